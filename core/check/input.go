package check

import (
	"maps"
	"slices"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Input is the respondent of a check. Answers that the document cannot take are left out.
func Input(d *quiz.Document, c *quiz.Check) walk.Input {
	in, _ := input(d, c)
	return in
}

// badAnswer is an answer that can never be given.
type badAnswer struct {
	question string
	at       int // position of the question; -1 when there is none
	err      error
}

// input reads the respondent of a check, and finds the answers that can never be given.
func input(d *quiz.Document, c *quiz.Check) (walk.Input, []badAnswer) {
	in := walk.Input{
		Answers: make(map[string]walk.Answer, len(c.Answers)),
		Visitor: c.Visitor,
		Params:  c.Params,
		Today:   c.Today,
		Time:    c.Time,
	}
	known := 0
	var bad []badAnswer
	for i := range d.Questions { // not by Question(id): a check answers most questions
		q := &d.Questions[i]
		g, given := c.Answers[q.ID]
		if !given {
			continue
		}
		known++
		a, err := kind.Of(q).Take(q, g)
		switch {
		case err != nil:
			bad = append(bad, badAnswer{q.ID, i, err})
		case !a.Blank():
			in.Answers[q.ID] = a
		}
	}
	if known == len(c.Answers) {
		return in, bad
	}
	for _, id := range slices.Sorted(maps.Keys(c.Answers)) {
		if d.Question(id) < 0 {
			bad = append(bad, badAnswer{id, -1, nil})
		}
	}
	return in, bad
}

// GivenAnswers writes answers by question id as a document does; blank ones, and those to no question of it, are left
// out.
func GivenAnswers(d *quiz.Document, answers map[string]walk.Answer) map[string]quiz.Given {
	out := map[string]quiz.Given{}
	for id, answer := range answers {
		if i := d.Question(id); i >= 0 {
			if g, given := kind.Write(&d.Questions[i], answer); given {
				out[id] = g
			}
		}
	}
	return out
}
