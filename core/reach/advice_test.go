package reach

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiztest"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Every way to cut a small distribution, tried by hand, is no better than what is advised.
func TestAdviceIsTheClosest(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	for range 300 {
		var values []Point
		total := 0.0
		for v := range 2 + r.IntN(7) {
			values = append(values, Point{rule.Int(int64(v * 2)), r.Float64()})
			total += values[v].Share
		}
		for i := range values {
			values[i].Share /= total
		}
		want := []float64{r.Float64(), r.Float64(), r.Float64()}
		sum := want[0] + want[1] + want[2]
		for i := range want {
			want[i] /= sum
		}
		best := math.Inf(1)
		for i := 0; i <= len(values); i++ {
			for j := i; j <= len(values); j++ {
				got := [3]float64{}
				for k, v := range values {
					switch {
					case k < i:
						got[0] += v.Share
					case k < j:
						got[1] += v.Share
					default:
						got[2] += v.Share
					}
				}
				best = min(best, math.Abs(got[0]-want[0])+math.Abs(got[1]-want[1])+math.Abs(got[2]-want[2]))
			}
		}
		a := advise(values, want)
		require.InDelta(t, best, a.Off, 1e-9)
		require.Len(t, a.Cuts, 2)
		require.Negative(t, a.Cuts[0].Cmp(a.Cuts[1]))
		real := [3]float64{} // the advised cut points give what is said
		for _, v := range values {
			at := 0
			for _, c := range a.Cuts {
				if v.Value.Cmp(c) >= 0 {
					at++
				}
			}
			real[at] += v.Share
		}
		for i := range real {
			require.InDelta(t, real[i], a.Shares[i], 1e-9)
		}
	}
}

func TestTheTopFifthGoesToSales(t *testing.T) {
	d := scored(4, 3, plain) // 0 to 8, in 81 ways: 10 are at 7 or 8 … 5; 15 at 6 and over
	a, err := Advise(context.Background(), d, 1, []float64{0.8, 0.2}, Options{})
	require.NoError(t, err)
	require.Equal(t, "6", a.Cuts[0].String())
	require.InDelta(t, 15./81, a.Shares[1], 1e-12)
	_, err = Advise(context.Background(), d, 2, []float64{1, 1}, Options{})
	require.ErrorContains(t, err, "no cut points")
	_, err = Advise(context.Background(), d, 1, []float64{1}, Options{})
	require.ErrorContains(t, err, "at least two bands")
}

// The odds at any point of a walk are the shares among the walks that continue from there.
func TestOddsOnTheWay(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 4))
	for range 400 {
		d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3})
		c, err := walk.New(d)
		require.NoError(t, err)
		given := walk.Input{Answers: map[string]walk.Answer{}}
		for i := range d.Questions { // the first question or two
			if all := quiztest.Answers(&d.Questions[i]); i < 1+r.IntN(2) {
				given.Answers[d.Questions[i].ID] = all[r.IntN(len(all))]
			}
		}
		want := map[string]float64{}
		var step func(in walk.Input, p float64)
		step = func(in walk.Input, p float64) {
			res := c.Advance(in)
			if res.Pending < 0 {
				want[res.Outcome] += p
				return
			}
			q := &d.Questions[res.Pending]
			answers := quiztest.Answers(q)
			for _, a := range answers {
				next := walk.Input{Answers: map[string]walk.Answer{q.ID: a}}
				for id, v := range in.Answers {
					next.Answers[id] = v
				}
				step(next, p/float64(len(answers)))
			}
		}
		step(given, 1)
		odds, err := Odds(context.Background(), d, given, Options{})
		require.NoError(t, err)
		for _, o := range odds {
			require.InDelta(t, want[o.ID], o.Share, 1e-12, fmt.Sprint(given.Answers))
		}
	}
}

func TestSomebodyStandsAtEachBoundary(t *testing.T) {
	d := scored(6, 4, func(q, c int) int64 { return int64(c * (1 + q%2)) }) // sums of 0–3 and 0, 2, 4, 6
	bands, err := Boundaries(context.Background(), d, 1, Options{})
	require.NoError(t, err)
	c, err := walk.New(d)
	require.NoError(t, err)
	for i, b := range bands {
		r := c.Walk(answersOf(t, d, b.Witness))
		require.Equal(t, i, r.Reason.Cut)
		require.Zero(t, r.Scales[0].Cmp(*b.Least))
		require.GreaterOrEqual(t, b.Least.Cmp(b.From), 0)
	}
	require.Equal(t, "9", bands[1].Least.String())
	d.Verdicts[0].Bands.Cuts[2].From = rule.Int(100)
	bands, err = Boundaries(context.Background(), d, 1, Options{})
	require.NoError(t, err)
	require.Nil(t, bands[2].Least)
}
