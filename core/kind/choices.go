package kind

import (
	"errors"
	"slices"
	"strings"

	"omphalos/core/rule"
)

// What kinds with choices have in common.

var errForm = errors.New("this answer has the wrong form for its question type")

// choiceOf finds a choice by id, else by its label.
func choiceOf(q *Question, field, v string) (string, error) {
	if q.Choice(v) >= 0 {
		return v, nil
	}
	found := ""
	for _, c := range q.Choices {
		if strings.EqualFold(strings.TrimSpace(c.Label), v) {
			if found != "" {
				return "", fault(field, "two_choices", v)
			}
			found = c.ID
		}
	}
	if found == "" {
		return "", fault(field, "not_a_choice", v)
	}
	return found, nil
}

// other adds the fill-in of a choice that asks for one.
func other(q *Question, a Answer, values func(string) []string) (Answer, error) {
	if slices.ContainsFunc(a.Picks, func(id string) bool { return q.Choices[q.Choice(id)].Other }) {
		a.Other = strings.Join(values(q.ID+".other"), " ")
		if err := tooLong(q, a.Other); err != nil {
			return Answer{}, err
		}
	}
	return a, nil
}

// checkIDs refuses ids that are none of the question's choices.
func checkIDs(q *Question, ids []string) error {
	if i := slices.IndexFunc(ids, func(id string) bool { return q.Choice(id) < 0 }); i >= 0 {
		return errors.New("unknown answer “" + ids[i] + "”")
	}
	return nil
}

// take reads choices that a document writes, and refuses numbers and rows.
func take(q *Question, g Given) (Answer, error) {
	if g.Number != nil || g.Rows != nil {
		return Answer{}, errForm
	}
	ids := g.ids()
	if q.ChoicesFrom == nil {
		if err := checkIDs(q, ids); err != nil {
			return Answer{}, err
		}
	}
	return Read(q, func(field string) []string {
		if field == q.ID {
			return ids
		}
		return nil
	})
}

// checkChoices reports that there is nothing to choose from.
func checkChoices(q *Question, report Report) {
	if len(q.Choices) == 0 && q.ChoicesFrom == nil {
		report("/choices", addAnAnswer.With(), questionHasNoAnswersChoose.With(q.Title()))
	}
}

func choiceIDs(q *Question) []string {
	out := make([]string, 0, len(q.Choices)+1)
	for i := range q.Choices {
		out = append(out, q.Choices[i].ID)
	}
	return out
}

// withBlank adds the blank value where a question may be left blank.
func withBlank(q *Question, values []string) []string {
	if q.Required {
		return values
	}
	return append(values, "")
}

// countPicks counts each pick once.
func countPicks(q *Question, a Answer, f func(choice int, times rule.Number)) {
	for _, id := range a.Picks {
		if j := q.Choice(id); j >= 0 {
			f(j, once)
		}
	}
}

// bestChoice is the greatest number of one choice, or 0 of a permitted blank.
func bestChoice(q *Question, points func(int) rule.Number) rule.Number {
	best, found := rule.Number{}, !q.Required
	for j := range q.Choices {
		if p := points(j); !found || p.Cmp(best) > 0 {
			best, found = p, true
		}
	}
	return best
}

// freshChoices is a question of some choices without labels.
func freshChoices(name Name, display string, ids ...string) func() Question {
	return func() Question {
		q := asked(name)
		q.Display = display
		for _, id := range ids {
			q.Choices = append(q.Choices, Choice{ID: id})
		}
		return q
	}
}
