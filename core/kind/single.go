package kind

import (
	"math/big"
	"math/rand/v2"

	"omphalos/core/rule"
)

// Single is the kind of a question with choices of which one is given.
const Single Name = "single"

// single has choices of its own, or the rows of a table as choices: then an answer is the key of a row, as a text.
type single struct{ common }

func (single) About() *About {
	return &aboutSingle
}

var aboutSingle = About{Name: Single, Words: "single choice", Hints: []string{"one"}, Choices: true, Picks: true}

func (single) Check(q *Question, report Report) { checkChoices(q, report) }

func (single) Read(q *Question, values func(string) []string) (Answer, error) {
	given, err := only(q, values)
	if err != nil || given == "" {
		return Answer{}, err
	}
	if q.ChoicesFrom != nil {
		return Answer{Text: given}, nil
	}
	id, err := choiceOf(q, q.ID, given)
	if err != nil {
		return Answer{}, err
	}
	return other(q, Answer{Picks: []string{id}}, values)
}

func (single) Missing(q *Question, a Answer) *FieldError { return blank(q, a, "choose") }

func (single) Take(q *Question, g Given) (Answer, error) {
	if ids := g.ids(); len(ids) == 1 && g.Number == nil && g.Rows == nil && q.ChoicesFrom == nil {
		if err := checkIDs(q, ids); err != nil {
			return Answer{}, err
		}
		return Answer{Picks: ids}, nil
	}
	return take(q, g)
}

func (single) JSON(a Answer) any {
	if len(a.Picks) > 0 {
		return a.Picks[0]
	}
	return a.Text
}

func (single) Facts(q *Question) []Fact {
	if len(q.Choices) == 0 {
		return answerFact(rule.TextType)
	}
	return answerFact(rule.ChoiceType)
}

func (single) Value(_ *Question, a Answer, part string) rule.Value {
	switch {
	case part != "":
		return rule.Value{}
	case len(a.Picks) > 0:
		return rule.TextValue(a.Picks[0])
	}
	return rule.TextValue(a.Text)
}

func (single) Counts(q *Question, a Answer, f func(int, rule.Number)) { countPicks(q, a, f) }

func (single) Best(q *Question, points func(int) rule.Number, _ func() []rule.Number) rule.Number {
	return bestChoice(q, points)
}

func (single) First(q *Question) Answer {
	if !q.Required || len(q.Choices) == 0 {
		return Answer{}
	}
	return Answer{Picks: []string{q.Choices[0].ID}}
}

func (single) Near(q *Question, a Answer) []Answer {
	var out []Answer
	for _, c := range q.Choices {
		if len(a.Picks) == 0 || a.Picks[0] != c.ID {
			out = append(out, Answer{Picks: []string{c.ID}})
		}
	}
	return out
}

func (single) Listed(q *Question) []string { return withBlank(q, choiceIDs(q)) }

func (single) Options(l *Listing) ([]Option, bool, error) {
	if l.ChoicesFrom == nil {
		picked := func(ids []string) Answer { return Answer{Picks: ids} }
		return l.oneChoice(l.ID, l.Tell, picked), false, nil
	}
	list, guessed := l.open(l.Mentioned(), someText)
	return list, guessed, nil
}

func (s single) Count(l *Listing) *big.Int {
	if l.ChoicesFrom == nil {
		return big.NewInt(int64(len(l.Choices)) + l.blanks())
	}
	list, _, _ := s.Options(l.apart())
	return big.NewInt(int64(len(list)))
}

func (s single) Draw(l *Listing, r *rand.Rand) func() Answer {
	if l.ChoicesFrom != nil {
		list, _, _ := s.Options(l.apart())
		return drawn(list, r)
	}
	answers := make([]Answer, len(l.Choices)+1) // the last is blank
	for j := range l.Choices {
		answers[j] = Answer{Picks: []string{l.Choices[j].ID}}
	}
	return among(answers, l.choiceWeights(l.ID), r)
}

func (single) Fresh() []Fresh {
	yes := func() Question {
		q := asked(Single)
		q.Choices = []Choice{{ID: "yes", Label: "Yes"}, {ID: "no", Label: "No"}}
		return q
	}
	return []Fresh{
		{Words: "Single choice", Usual: true, Make: freshChoices(Single, "", "a1", "a2")},
		{Words: "Picture choice", Display: "pictures", Make: freshChoices(Single, "pictures", "a1", "a2")},
		{Words: "Drop-down", Display: "dropdown", Make: freshChoices(Single, "dropdown", "a1", "a2")},
		{Words: "Yes or no", Preset: true, Make: yes},
	}
}
