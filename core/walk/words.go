package walk

import (
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Words writes an answer to q as people read it: labels for choices, "blank" for nothing.
func (a Answer) Words(q *quiz.Question) string {
	label := func(id string) string {
		if i := q.Choice(id); i >= 0 {
			return q.Choices[i].Title()
		}
		return id
	}
	var parts []string
	for _, id := range a.Picks {
		parts = append(parts, label(id))
	}
	for _, row := range q.Rows {
		if c := a.Rows[row.ID]; c != "" {
			parts = append(parts, quiz.FirstOf(row.Label, row.ID)+": "+label(c))
		}
	}
	switch {
	case a.Number != nil:
		parts = append(parts, strings.TrimSpace(a.Number.String()+" "+q.Unit))
	case a.Text != "":
		parts = append(parts, a.Text)
	}
	if a.Other != "" {
		parts = append(parts, a.Other)
	}
	if len(parts) == 0 {
		return "blank"
	}
	return strings.Join(parts, ", ")
}

// Failed says what of a verdict line did not hold; "" for the line that decides.
func (t Tried) Failed(d *quiz.Document) string {
	if t.Holds {
		return ""
	}
	shown := Shown(t.Value)
	if i := d.Question(strings.TrimPrefix(t.Fact, "answer.")); i >= 0 && t.Value.Kind != rule.Blank {
		if at := d.Questions[i].Choice(t.Value.String()); at >= 0 {
			shown = "“" + d.Questions[i].Choices[at].Title() + "”"
		}
	}
	switch {
	case t.Part != nil && t.Fact != "":
		return d.Sentence(t.Part) + ": it is " + shown
	case t.Part != nil:
		return d.Sentence(t.Part)
	case t.Fact != "":
		return strings.TrimSuffix(d.FactName(t.Fact), ",") + " is " + shown + ", below all cut points"
	}
	return "no row or keyword matches"
}
