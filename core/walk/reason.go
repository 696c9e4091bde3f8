package walk

import (
	"fmt"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/verdict"
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
	line := v.Line()
	if line == nil {
		return outcome // the document has changed since
	}
	return line.Explain(d, why.Decision, why.Line) + " → " + outcome
}

// Shown writes a value for reading: a number rounded to two places.
func Shown(v rule.Value) string { return verdict.Shown(v) }

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
