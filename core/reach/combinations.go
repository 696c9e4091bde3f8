package reach

import (
	"math/big"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// mostCombinations is how many combinations of answers and visitors there are at most: of all questions, whether they
// are asked or not. It lists no answers, so it is quick however many there are.
func (m *model) mostCombinations() *big.Int {
	total := big.NewInt(1)
	for i := range m.slots[:m.visitors] {
		total.Mul(total, big.NewInt(int64(len(m.slots[i].options))))
	}
	for i := range m.d.Questions {
		total.Mul(total, m.answers(i))
	}
	return total
}

// answers is how many different answers question i can have, the blank one among them.
func (m *model) answers(i int) *big.Int {
	q := &m.d.Questions[i]
	blank := int64(1)
	if q.Required {
		blank = 0
	}
	switch {
	case q.Kind == quiz.Statement:
		return big.NewInt(1)
	case q.Kind == quiz.Single && q.ChoicesFrom == nil:
		return big.NewInt(int64(len(q.Choices)) + blank)
	case q.Kind == quiz.Multiple:
		sets := pickSets(q)
		return sets.Add(sets, big.NewInt(blank))
	case q.Kind == quiz.Grid:
		row := big.NewInt(int64(len(q.Choices)) + blank)
		return row.Exp(row, big.NewInt(int64(len(q.Rows))), nil)
	case (q.Kind == quiz.Rating || q.Kind == quiz.NumberQ) && q.From != nil && q.To != nil:
		last, _ := rule.Ratio(q.To.Sub(*q.From), q.Increment()).Floor().Scaled(0)
		return big.NewInt(last + 1 + blank)
	}
	list, _ := m.open(i, func(a walk.Answer) string { return a.Value(q).String() })
	return big.NewInt(int64(len(list)))
}

// pickSets is how many allowed sets of picks a multiple choice has, without the blank one.
func pickSets(q *quiz.Question) *big.Int {
	least, most := q.Picks()
	sets, open := new(big.Int), int64(0)
	for j := range q.Choices {
		switch {
		case !q.Choices[j].Exclusive:
			open++
		case least == 1:
			sets.Add(sets, one)
		}
	}
	for n := int64(max(1, least)); n <= min(int64(most), open); n++ {
		sets.Add(sets, new(big.Int).Binomial(open, n))
	}
	return sets
}
