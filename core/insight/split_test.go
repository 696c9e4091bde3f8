package insight

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
)

// Two equal versions that are looked at after every response, up to 2,000 each: a difference is claimed in at most 5 %
// of 1,000 runs. A true difference of 10 points is found in at least 80 % of them by then.
func TestTheIntervalHoldsHoweverOftenOneLooks(t *testing.T) {
	r := rand.New(rand.NewPCG(18, 11))
	const runs, each, alpha = 1000, 2000, 0.05
	claims := func(p, q float64) int {
		found := 0
		for range runs {
			var a, b Rate
			for range each {
				a = a.see(r.Float64() < p)
				if Differs(a, b, alpha) {
					found++
					break
				}
				b = b.see(r.Float64() < q)
				if Differs(a, b, alpha) {
					found++
					break
				}
			}
		}
		return found
	}
	for _, p := range []float64{0.1, 0.5} {
		require.LessOrEqual(t, claims(p, p), runs*5/100, "false alarms at %v", p)
	}
	for _, p := range []float64{0.1, 0.45} {
		require.GreaterOrEqual(t, claims(p, p+0.1), runs*80/100, "differences found at %v", p)
	}
}

func (r Rate) see(hit bool) Rate {
	r.Of++
	if hit {
		r.Hits++
	}
	return r
}

// One rate, looked at after every response up to 1,000: its true share is ever left out in at most 5 % of 1,000 runs.
func TestTheSequenceOfARate(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 7))
	const runs, each, alpha = 1000, 1000, 0.05
	for _, p := range []float64{0, 0.1, 0.5, 1} {
		left := 0
		for range runs {
			var a Rate
			for range each {
				if a = a.see(r.Float64() < p); evidence(a, p) >= -math.Log(alpha) {
					left++
					break
				}
			}
		}
		require.LessOrEqual(t, left, runs*5/100, "left out at %v", p)
	}
	low, high := Sequence(Rate{}, alpha)
	require.Equal(t, [2]float64{0, 1}, [2]float64{low, high}, "nothing is known of nobody")
	for range 200 {
		a := Rate{Of: 1 + r.IntN(400)}
		a.Hits = r.IntN(a.Of + 1)
		low, high := Sequence(a, alpha)
		one, other := Wilson(a)
		require.Less(t, low, high)
		require.LessOrEqual(t, low, one+1e-9, "%v: wider than that of one look", a)
		require.GreaterOrEqual(t, high, other-1e-9, "%v", a)
		for _, edge := range []float64{low, high} {
			if edge > 0 && edge < 1 {
				require.InDelta(t, -math.Log(alpha), evidence(a, edge), 1e-6, "%v at %v", a, edge)
			}
		}
	}
}

// The interval is just where the two martingales together reach 1/alpha, leaves out 0 exactly when Differs says so, and
// is wider than that of one look.
func TestTheIntervalOfADifference(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	for range 300 {
		a, b := Rate{Of: r.IntN(400)}, Rate{Of: r.IntN(400)}
		a.Hits, b.Hits = r.IntN(a.Of+1), r.IntN(b.Of+1)
		d := Compare(a, b, 0.05)
		require.LessOrEqual(t, d.Low, d.Value)
		require.GreaterOrEqual(t, d.High, d.Value)
		if d.Low > -1+1e-9 {
			require.InDelta(t, math.Log(20), leastEvidence(a, b, d.Low), 1e-4, "%v %v", a, b)
		}
		if math.Abs(d.Low) > 1e-6 && math.Abs(d.High) > 1e-6 {
			require.Equal(t, Differs(a, b, 0.05), d.Clear(), "%v %v", a, b)
		}
		if a.Of > 0 && b.Of > 0 {
			once := Newcombe(a, b)
			require.Less(t, once.High-once.Low, d.High-d.Low, "%v %v", a, b)
		}
		other := Compare(b, a, 0.05)
		require.InDelta(t, d.Low, -other.High, 1e-9)
	}
	nobody := Compare(Rate{}, Rate{}, 0.05)
	require.Equal(t, Difference{0, -1, 1}, nobody)
}

// Values for one look. Newcombe 1998, Table II, case (a): 56/70 − 48/80, method 10: 0.0524 to 0.3339 (from memory).
// Wilson's interval of 15 of 148 is that of Newcombe's companion paper on single proportions: 0.0624 to 0.1605 (from
// memory).
func TestPublishedIntervalsOfOneLook(t *testing.T) {
	d := Newcombe(Rate{48, 80}, Rate{56, 70})
	require.InDelta(t, 0.0524, d.Low, 5e-5)
	require.InDelta(t, 0.3339, d.High, 5e-5)
	low, high := Wilson(Rate{15, 148})
	require.InDelta(t, 0.0624, low, 5e-5)
	require.InDelta(t, 0.1605, high, 5e-5)
}

func TestHowManyAreNeeded(t *testing.T) {
	n := Needed(0.5, 0.1, 0.05, 1_000_000)
	require.True(t, Differs(Rate{int(math.Round(0.45 * float64(n))), n}, Rate{int(math.Round(0.55 * float64(n))), n}, 0.05))
	require.Less(t, n, 2000)
	require.Greater(t, Needed(0.5, 0.05, 0.05, 1_000_000), 3*n, "half the difference needs about four times as many")
	require.Equal(t, 100, Needed(0.5, 0.001, 0.05, 100))
}

// χ² of 1 degree of freedom: 3.841 is its 95th percentile (any table of the distribution).
func TestASplitThatDoesNotFit(t *testing.T) {
	require.InDelta(t, 1, Mismatch(500, 500, 0.5), 1e-12)
	n := 10_000.0
	off := math.Sqrt(3.841459 * n / 4)
	require.InDelta(t, 0.05, math.Erfc(math.Sqrt(math.Pow(off, 2)*4/n/2)), 1e-6)
	require.InDelta(t, 0.05, Mismatch(5098, 4902, 0.5), 2e-3)
	require.Less(t, Mismatch(700, 500, 0.5), MismatchAlarm)
	require.Greater(t, Mismatch(612, 605, 0.5), 0.8)
	require.Greater(t, Mismatch(905, 95, 0.1), MismatchAlarm)
	require.Equal(t, 1.0, Mismatch(0, 0, 0.5))
}
