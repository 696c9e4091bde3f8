package workbench

import (
	"strings"

	"omphalos/core/fact"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/walk"
)

// Sample is the walk of someone who ends where most respondents do, and their answers in words; nil while nothing is
// counted.
func (v *Counted) Sample() (*walk.Result, string, error) {
	if v.Report == nil || len(v.Report.Outcomes) == 0 {
		return nil, "", nil
	}
	best := v.Report.Outcomes[0]
	for _, o := range v.Report.Outcomes {
		if o.Share > best.Share {
			best = o
		}
	}
	c, err := walk.New(v.Doc)
	if err != nil {
		return nil, "", nil // the bar says what to fix first
	}
	said := Steps(v.Doc, best.Witness)
	if len(said) > 4 {
		said = append(said[:4], "…")
	}
	return c.Walk(reach.InputOf(v.Doc, best.Witness)), strings.Join(said, " · "), nil
}

// Fields writes the answers of a walk's path as the reach report writes an example.
func Fields(d *quiz.Document, in walk.Input, r *walk.Result) map[string]any {
	out := map[string]any{}
	for _, id := range r.Path {
		a := in.Answers[id]
		switch {
		case len(a.Rows) > 0:
			for row, choice := range a.Rows {
				out[id+"."+row] = choice
			}
		case a.Number != nil:
			out[id] = a.Number.String()
		case len(a.Picks) == 1:
			out[id] = a.Picks[0]
		case len(a.Picks) > 1:
			out[id] = a.Picks
		case a.Text != "":
			out[id] = a.Text
		}
	}
	visit := in.Visit()
	visit.Each(func(k *fact.Known, text string) {
		if k.Group == "Respondent" {
			out[k.Name] = text
		}
	})
	return out
}
