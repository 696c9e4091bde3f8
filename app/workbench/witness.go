package workbench

import (
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/walk"
)

// Sample is the walk of somebody who ends where most respondents do, and their answers in words; nil while nothing is
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
		return nil, "", nil // the bar says what to mend first
	}
	said := Steps(v.Doc, best.Witness)
	if len(said) > 4 {
		said = append(said[:4], "…")
	}
	return c.Walk(reach.InputOf(v.Doc, best.Witness)), strings.Join(said, " · "), nil
}

// Finish answers what somebody has not answered yet with the first answer that can be given, until their walk ends.
func Finish(c *walk.Compiled, in *walk.Input) {
	for {
		r := c.Advance(*in)
		if r.Pending < 0 {
			return
		}
		q := &c.Doc.Questions[r.Pending]
		a := walk.Answer{}
		if q.Required {
			switch q.Kind {
			case quiz.Single, quiz.Multiple:
				least, _ := q.Picks()
				for j := 0; j < len(q.Choices) && (len(a.Picks) < least || q.Kind == quiz.Single && j == 0); j++ {
					a.Picks = append(a.Picks, q.Choices[j].ID)
				}
				if q.Kind == quiz.Single && len(a.Picks) > 1 {
					a.Picks = a.Picks[:1]
				}
			case quiz.Grid:
				a.Rows = map[string]string{}
				for _, row := range q.Rows {
					a.Rows[row.ID] = q.Choices[0].ID
				}
			case quiz.Rating, quiz.NumberQ:
				if q.From != nil {
					n := *q.From
					a.Number = &n
				}
			}
		}
		in.Answers[q.ID] = a
	}
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
	if in.Visitor.Country != "" {
		out["visitor.country"] = in.Visitor.Country
	}
	return out
}
