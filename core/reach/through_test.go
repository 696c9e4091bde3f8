package reach

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiztest"
	"omphalos/core/walk"
)

// Someone is named for every branch that anyone takes and every question that anyone is asked, and no one else.
func TestThroughNamesSomebodyWhoWalksThere(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	taken, never := 0, 0
	for range 120 {
		d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3})
		c, err := walk.New(d)
		require.NoError(t, err)
		asked := map[int]bool{}
		exits := map[[2]int]bool{}
		whole, n := true, 0
		quiztest.Each(c, func(in walk.Input, res *walk.Result, _ float64) bool {
			if n++; n > 20000 {
				whole = false
				return false
			}
			for i, id := range res.Path {
				asked[d.Question(id)] = true
				if b := res.Branches[i]; b >= 0 {
					exits[[2]int{d.Question(id), b}] = true
				}
			}
			return true
		})
		if !whole {
			continue
		}
		for q := range d.Questions {
			witness, ok, err := Through(t.Context(), d, q, -1, Options{})
			require.NoError(t, err)
			require.Equal(t, asked[q], ok)
			if ok {
				require.Contains(t, c.Walk(answersOf(t, d, witness)).Path, d.Questions[q].ID)
			}
			for b := range d.Questions[q].Branches {
				witness, ok, err := Through(t.Context(), d, q, b, Options{})
				require.NoError(t, err)
				require.Equal(t, exits[[2]int{q, b}], ok)
				if !ok {
					never++
					continue
				}
				taken++
				res := c.Walk(answersOf(t, d, witness))
				for i, id := range res.Path {
					if id == d.Questions[q].ID {
						require.Equal(t, b, res.Branches[i])
					}
				}
			}
		}
	}
	require.Greater(t, taken, 50)
	require.Greater(t, never, 10)
}
