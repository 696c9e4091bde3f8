package insight

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
)

func randomDeals(r *rand.Rand) []Graded {
	out := make([]Graded, 2+r.IntN(80))
	for i := range out {
		out[i] = Graded{float64(r.IntN(12)), r.IntN(3) == 0}
	}
	return out
}

// The area under the curve by trapezoids is the share of pairs that AUC counts, and the curve only ever ascends.
func TestTheCurveHasTheArea(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 1))
	for range 500 {
		list := randomDeals(r)
		var won, lost []float64
		for _, g := range list {
			if g.Won {
				won = append(won, g.Score)
			} else {
				lost = append(lost, g.Score)
			}
		}
		curve := ROC(list)
		area, ok := AUC(won, lost)
		require.Equal(t, ok, curve != nil)
		if !ok {
			continue
		}
		sum := 0.0
		for i := 1; i < len(curve); i++ {
			require.GreaterOrEqual(t, curve[i].Lost, curve[i-1].Lost)
			require.GreaterOrEqual(t, curve[i].Won, curve[i-1].Won)
			sum += (curve[i].Lost - curve[i-1].Lost) * (curve[i].Won + curve[i-1].Won) / 2
		}
		require.InDelta(t, area.Value, sum, 1e-12)
		require.Equal(t, Point{1, 1}, curve[len(curve)-1])
	}
}

// Every deal is in one band, that of its score, and fifths hold about as many each.
func TestBandsHoldEachDealOnce(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 7))
	for range 300 {
		list := randomDeals(r)
		cuts := []float64{3, 8}
		if r.IntN(2) == 0 {
			cuts = Fifths(list)
		}
		require.True(t, slices.IsSorted(cuts))
		all, won := 0, 0
		for _, b := range Bands(list, cuts) {
			of, hits := 0, 0
			for _, g := range list {
				if g.Score >= b.From && g.Score < b.To {
					if of++; g.Won {
						hits++
					}
				}
			}
			require.Equal(t, []int{of, hits}, []int{b.Of, b.Won})
			require.LessOrEqual(t, b.Low, b.Share())
			require.GreaterOrEqual(t, b.High, b.Share())
			all, won = all+b.Of, won+b.Won
		}
		require.Equal(t, len(list), all)
	}
	even := make([]Graded, 100)
	for i := range even {
		even[i].Score = float64(i)
	}
	require.Equal(t, []float64{20, 40, 60, 80}, Fifths(even))
	require.Empty(t, Fifths(nil))
	require.True(t, math.IsInf(Bands(nil, nil)[0].To, 1))
}
