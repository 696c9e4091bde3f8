package check

import (
	"errors"
	"maps"
	"slices"

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
		Visitor: walk.Visitor(c.Visitor),
		Params:  c.Params,
		Today:   c.Today,
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
		a, err := answer(q, g)
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

var errKind = errors.New("this answer has the wrong form for its question type")

// answer reads what a document writes as the answer to a question. Choices go by their ids alone.
func answer(q *quiz.Question, g quiz.Given) (walk.Answer, error) {
	ids := g.List
	if g.Text != "" && g.List == nil {
		ids = []string{g.Text}
	}
	switch q.Kind {
	case quiz.Single, quiz.Multiple:
		if g.Number != nil || g.Rows != nil {
			return walk.Answer{}, errKind
		}
		if q.ChoicesFrom == nil {
			if err := checkPicks(q, ids); err != nil {
				return walk.Answer{}, err
			}
			if q.Kind == quiz.Single && len(ids) == 1 {
				return walk.Answer{Picks: ids}, nil
			}
		}
	case quiz.Rating, quiz.NumberQ:
		if g.Number == nil {
			if g.Text == "" && g.List == nil && g.Rows == nil {
				return walk.Answer{}, nil
			}
			return walk.Answer{}, errKind
		}
		ids = []string{g.Number.String()}
	case quiz.Grid:
		return rows(q, g)
	case quiz.Statement:
		if g.Text != "" || g.Number != nil || len(g.List) > 0 || len(g.Rows) > 0 {
			return walk.Answer{}, errors.New("a statement can’t be answered")
		}
	default:
		if g.Number != nil || g.List != nil || g.Rows != nil {
			return walk.Answer{}, errKind
		}
	}
	return walk.Parse(q, func(field string) []string {
		if field == q.ID {
			return ids
		}
		return nil
	})
}

// rows reads the answer to a grid.
func rows(q *quiz.Question, g quiz.Given) (walk.Answer, error) {
	if g.Number != nil || g.Text != "" || g.List != nil {
		return walk.Answer{}, errKind
	}
	for row, id := range g.Rows {
		if q.Row(row) < 0 {
			return walk.Answer{}, errors.New("unknown row “" + row + "”")
		}
		if err := checkPicks(q, []string{id}); err != nil {
			return walk.Answer{}, err
		}
	}
	return walk.Parse(q, func(field string) []string {
		for row, id := range g.Rows {
			if field == q.ID+"."+row {
				return []string{id}
			}
		}
		return nil
	})
}

// checkPicks refuses ids that are none of the question's choices.
func checkPicks(q *quiz.Question, ids []string) error {
	if i := slices.IndexFunc(ids, func(id string) bool { return q.Choice(id) < 0 }); i >= 0 {
		return errors.New("unknown answer “" + ids[i] + "”")
	}
	return nil
}

// GivenAnswers writes answers by question id as a document does; blank ones, and those to no question of it, are left
// out.
func GivenAnswers(d *quiz.Document, answers map[string]walk.Answer) map[string]quiz.Given {
	out := map[string]quiz.Given{}
	for id, answer := range answers {
		if i := d.Question(id); i >= 0 {
			if g, given := Given(&d.Questions[i], answer); given {
				out[id] = g
			}
		}
	}
	return out
}

// Given writes an answer as a document does; false for one that is blank.
func Given(q *quiz.Question, a walk.Answer) (quiz.Given, bool) {
	switch {
	case a.Blank():
		return quiz.Given{}, false
	case q.Kind == quiz.Multiple:
		return quiz.Given{List: a.Picks}, true
	case a.Number != nil:
		return quiz.Given{Number: a.Number}, true
	case len(a.Rows) > 0:
		return quiz.Given{Rows: a.Rows}, true
	case len(a.Picks) > 0:
		return quiz.Given{Text: a.Picks[0]}, true
	}
	return quiz.Given{Text: a.Text}, true
}
