package insight

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
)

// Bins hold every value once, in ranges of one width, and no more of them than asked for.
func TestBinsHoldAll(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 300 {
		var s Spread
		n, reach, most := 1+r.IntN(60), math.Pow(10, float64(r.IntN(6))), 1+r.IntN(30)
		whole := r.IntN(2) == 0
		for range n {
			x := (r.Float64() - 0.4) * reach
			if whole {
				x = math.Round(x)
			}
			s.Add(x)
		}
		bins := s.Bins(max(most, 2)) // zero is always an edge: values on both sides of it need two
		require.LessOrEqual(t, len(bins), max(most, 2))
		sum := 0
		for i, b := range bins {
			sum += b.Count
			require.Equal(t, s.From(b.From)-s.From(b.To), b.Count)
			if i > 0 {
				require.InDelta(t, bins[i-1].To, b.From, 1e-9*reach)
				require.InDelta(t, bins[0].To-bins[0].From, b.To-b.From, 1e-9*reach)
			}
		}
		require.Equal(t, n, sum)
	}
	require.Empty(t, (&Spread{}).Bins(10))
}

func TestTheBestPart(t *testing.T) {
	var s Spread
	for x := range 10 {
		s.Add(float64(x))
	}
	s.Add(9)
	s.Add(9) // 0…8 and three of 9: 12
	for _, c := range []struct {
		share, from, reached float64
		ok                   bool
	}{
		{0.2, 0, 0, false}, // three of twelve share the highest value: 25%
		{0.25, 9, 0.25, true},
		{0.34, 8, 4. / 12, true},
		{1, 0, 1, true},
	} {
		from, reached, ok := s.Best(c.share)
		require.Equal(t, c.ok, ok, c.share)
		require.InDelta(t, c.from, from, 0)
		require.InDelta(t, c.reached, reached, 1e-12)
	}
	_, _, ok := (&Spread{}).Best(0.5)
	require.False(t, ok)
}
