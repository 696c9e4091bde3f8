package product

import (
	"context"
	"slices"

	"omphalos/core/part"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
	"omphalos/core/say"
)

// Codes of the findings.
const (
	CodeNone = "no_product"  // some respondents see no product
	CodeTie  = "product_tie" // some match more products than they are shown
)

// Counter remembers what was calculated last, so that an edit of wording calculates nothing.
type Counter struct{ none, tie reach.Counter }

// Findings returns what the recommended products leave open, for respondents whose ending shows products: who sees
// none, and who matches more than there is room for. whole is the report of the document itself. Nothing is said of a
// share that is too large to be calculated.
func (c *Counter) Findings(ctx context.Context, d *quiz.Document, whole *reach.Report, o reach.Options) ([]reach.Finding, error) {
	if d.Recommendations == nil || len(d.Recommendations.Lines) == 0 {
		return nil, nil
	}
	var out []reach.Finding
	for _, f := range []struct {
		asked   part.Asked
		counter *reach.Counter
		finding reach.Finding
		says    say.Sentence
	}{
		{part.Asked{When: noLine(d), At: endsWith(d, false)}, &c.none, reach.Finding{Code: CodeNone, Severity: reach.Warning}, seeNoProduct},
		{part.Asked{When: tooMany(d), At: endsWith(d, true)}, &c.tie, reach.Finding{Code: CodeTie, Severity: reach.Note}, matchMoreProducts},
	} {
		if f.asked.When == nil {
			continue
		}
		s, readOff := f.asked.ReadOff(whole)
		if !readOff {
			var err error
			if s, err = f.asked.Count(ctx, d, f.counter, o); err != nil {
				return nil, err
			}
		}
		if s.Known && s.Reachable && s.Share > 0 {
			f.finding.Said = f.says.With(reach.Percent(s.Share))
			f.finding.Where, f.finding.Share, f.finding.Witness = "/recommendations", &s.Share, s.Witness
			out = append(out, reach.Found(f.finding))
		}
	}
	return out, nil
}

// endsWith reports for an outcome whether its ending shows recommended products. Endings that list products of their
// own count only if withOwn.
func endsWith(d *quiz.Document, withOwn bool) func(outcome string) bool {
	return func(outcome string) bool {
		o := d.Outcome(outcome)
		return o != nil && o.Ending != nil && o.Ending.Kind == quiz.EndProducts && (withOwn || len(o.Ending.Products) == 0)
	}
}

// conditions are those of all lines; one without a condition is always true.
func conditions(d *quiz.Document) []rule.Condition {
	var out []rule.Condition
	for _, l := range d.Recommendations.Lines {
		if l.When == nil {
			l.When = &rule.Condition{All: []rule.Condition{}}
		}
		out = append(out, *l.When)
	}
	return out
}

// noLine returns the condition that no line is true, nil if a line is always true.
func noLine(d *quiz.Document) *rule.Condition {
	if slices.ContainsFunc(d.Recommendations.Lines, func(l quiz.RecommendationLine) bool { return l.When == nil }) {
		return nil
	}
	return &rule.Condition{None: conditions(d)}
}

// tooMany returns the condition that more lines are true than are shown, nil if there is room for all. A last line
// without a condition stands for the rest and makes no tie.
func tooMany(d *quiz.Document) *rule.Condition {
	r := d.Recommendations
	room := 1
	if r.Mode == "all" {
		room = r.Limit
	}
	list := conditions(d)
	if room == 1 && r.Lines[len(r.Lines)-1].When == nil {
		list = list[:len(list)-1]
	}
	if room == 0 || room >= len(list) {
		return nil
	}
	return &rule.Condition{AtLeast: room + 1, Of: list}
}
