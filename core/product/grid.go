// Package product reads a quiz’s recommended products as a grid of answers and products. It finds respondents who would
// see no product, or more products than fit.
package product

import (
	"slices"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Ticks are the answers that a product asks for: the ids of choices, by the id of their question. A respondent gets the
// product if every question here was answered with one of its ticked choices. A question without ticks does not matter.
type Ticks map[string][]string

// InGrid reports whether the answers to a question can be rows of the grid: it has choices of its own.
func InGrid(q *quiz.Question) bool {
	return kind.Of(q).About().Picks && q.ChoicesFrom == nil
}

// Read returns the ticks that a line's condition amounts to. It reports false if the condition says something that a
// grid cannot show. No condition is no tick.
func Read(d *quiz.Document, when *rule.Condition) (Ticks, bool) {
	ticks := Ticks{}
	if when == nil {
		return ticks, true
	}
	parts := []rule.Condition{*when}
	if when.All != nil {
		parts = when.All
	}
	for i := range parts {
		q, choices, ok := oneOf(d, &parts[i])
		if !ok || ticks[q.ID] != nil {
			return nil, false
		}
		ticks[q.ID] = choices
	}
	return ticks, true
}

// oneOf reads a condition that asks for one of some choices of one question.
func oneOf(d *quiz.Document, c *rule.Condition) (*quiz.Question, []string, bool) {
	if len(c.Any) > 0 {
		q, choices, ok := oneOf(d, &c.Any[0])
		for i := 1; ok && i < len(c.Any); i++ {
			other, more, also := oneOf(d, &c.Any[i])
			ok = also && other == q
			choices = append(choices, more...)
		}
		return q, choices, ok
	}
	q, fact := d.AnswerFact(c.Fact)
	if q == nil || !InGrid(q) || c.Value == nil {
		return nil, nil, false
	}
	if part, one, several := kind.Of(q).Picked(); fact.Part != part || c.Op != one && (c.Op != several || several == "") {
		return nil, nil, false
	}
	var choices []string
	for _, s := range c.Value.List {
		if q.Choice(s.Text) < 0 {
			return nil, nil, false
		}
		choices = append(choices, s.Text)
	}
	return q, choices, len(choices) > 0
}

// When returns the condition of ticks, nil if there are none. Questions come in the order of the document, choices in
// that of their question.
func (t Ticks) When(d *quiz.Document) *rule.Condition {
	var parts []rule.Condition
	for i := range d.Questions {
		q := &d.Questions[i]
		var in []string
		for _, c := range q.Choices {
			if slices.Contains(t[q.ID], c.ID) {
				in = append(in, c.ID)
			}
		}
		if len(in) > 0 {
			parts = append(parts, kind.Gave(q, in...))
		}
	}
	switch len(parts) {
	case 0:
		return nil
	case 1:
		return &parts[0]
	}
	return &rule.Condition{All: parts}
}

// Set ticks or unticks an answer.
func (t Ticks) Set(question, choice string, ticked bool) {
	t[question] = slices.DeleteFunc(slices.Clone(t[question]), func(c string) bool { return c == choice })
	if ticked {
		t[question] = append(t[question], choice)
	}
	if len(t[question]) == 0 {
		delete(t, question)
	}
}
