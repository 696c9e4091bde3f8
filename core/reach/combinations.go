package reach

import (
	"math/big"

	"omphalos/core/kind"
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
	none := func(walk.Answer) string { return "" }
	return kind.Of(&m.d.Questions[i]).Count(m.listing(i, none))
}
