package walk

import (
	"fmt"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Say tells in one sentence why the walk ended where it did.
func (r *Result) Say(d *quiz.Document) string {
	outcome := d.OutcomeName(r.Outcome)
	why := r.Reason
	switch why.Line {
	case LineBranch:
		i := d.Question(why.Question)
		if i < 0 {
			return "A branch leads to " + outcome
		}
		return fmt.Sprintf(
			"After question %d a branch leads to %s: %s",
			i+1,
			outcome,
			d.Sentence(&d.Questions[i].Branches[why.Branch].When),
		)
	case LineOtherwise:
		return "No verdict line matched: everyone else → " + outcome
	}
	v := &d.Verdicts[why.Line-1]
	switch {
	case v.Bands != nil:
		value, cut := why.Facts[len(why.Facts)-1].Value, v.Bands.Cuts[why.Cut]
		rel := "is above"
		if value.Num.Cmp(cut.From) == 0 {
			rel = "equals"
		}
		return fmt.Sprintf(
			"%s %s %s the cut point %s → %s",
			d.FactName(v.Bands.On),
			Shown(value),
			rel,
			cut.From,
			outcome,
		)
	case v.Leader != nil:
		name := why.Keyword
		if k := d.Keyword(why.Keyword); k != nil {
			name = k.Title()
		}
		if r.TieRule() {
			return fmt.Sprintf("%s wins a tie between %d keywords → %s", name, len(why.Tied), outcome)
		}
		return fmt.Sprintf("%s has the most votes → %s", name, outcome)
	case v.Matrix != nil:
		last := why.Facts[len(why.Facts)-2:]
		return fmt.Sprintf("%s %s and %s %s meet in a cell of line %d → %s", d.FactName(last[0].Fact),
			Shown(last[0].Value), d.FactName(last[1].Fact), Shown(last[1].Value), why.Line, outcome)
	case v.Table != nil:
		return fmt.Sprintf("Row %d of the table in line %d → %s", why.Row+1, why.Line, outcome)
	}
	if len(why.Facts) == 0 {
		return fmt.Sprintf("Line %d matches everyone → %s", why.Line, outcome)
	}
	return fmt.Sprintf("Line %d: %s → %s", why.Line, d.Sentence(v.When), outcome)
}

// Shown writes a value for reading: a number rounded to two places.
func Shown(v rule.Value) string {
	if v.Kind == rule.Num {
		return v.Num.Round(2).String()
	}
	if v.Kind == rule.Blank {
		return "blank"
	}
	return strings.ReplaceAll(v.String(), "|", ", ")
}

// Line is the deciding line as reports write it: its number, 0 for everyone else, or "branch".
func (r *Result) Line() any {
	if r.Reason.Line == LineBranch {
		return "branch"
	}
	return r.Reason.Line
}

// LineName writes the deciding line as tables and exports show it: its number, "0" for everyone else, or "branch".
func (r *Result) LineName() string {
	return fmt.Sprint(r.Line())
}
