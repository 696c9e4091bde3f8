package reach

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// scored is a quiz of n questions with k answers each that give points to one scale, cut into three bands.
func scored(n, k int, points func(q, c int) int64) *quiz.Document {
	d := quiz.New("Bench")
	d.Scales = []quiz.Scale{{ID: "s"}}
	top := int64(0)
	for q := range n {
		question := quiz.Question{ID: fmt.Sprint("q", q), Kind: quiz.Single, Required: true}
		best := int64(0)
		for c := range k {
			best = max(best, points(q, c))
			question.Choices = append(question.Choices, quiz.Choice{ID: fmt.Sprint("c", c), Points: map[string]rule.Number{"s": rule.Int(points(q, c))}})
		}
		top += best
		d.Questions = append(d.Questions, question)
	}
	d.Outcomes = []quiz.Outcome{{ID: "low"}, {ID: "mid"}, {ID: "high"}}
	d.Otherwise = "low"
	d.Verdicts = []quiz.Verdict{{Bands: &quiz.Bands{On: "scale.s", Cuts: []quiz.Cut{{From: rule.Int(0), Outcome: "low"}, {From: rule.Int(top / 3), Outcome: "mid"}, {From: rule.Int(2 * top / 3), Outcome: "high"}}}}}
	return d
}

func plain(_, c int) int64 { return int64(c) }

// keywords has n questions of k answers, each a vote for one of k keywords.
func keywords(n, k int, ties string) *quiz.Document {
	d := quiz.New("Keywords")
	d.Scales = nil
	lead := &quiz.Leader{Outcomes: map[string]string{}, Ties: ties}
	d.Outcomes = []quiz.Outcome{{ID: "none"}}
	d.Otherwise = "none"
	for c := range k {
		d.Keywords = append(d.Keywords, quiz.Keyword{ID: fmt.Sprint("k", c)})
		d.Outcomes = append(d.Outcomes, quiz.Outcome{ID: fmt.Sprint("o", c)})
		lead.Outcomes[fmt.Sprint("k", c)] = fmt.Sprint("o", c)
	}
	for q := range n {
		question := quiz.Question{ID: fmt.Sprint("q", q), Kind: quiz.Single, Required: true}
		for c := range k {
			question.Choices = append(question.Choices, quiz.Choice{ID: fmt.Sprint("c", c), Votes: map[string]rule.Number{fmt.Sprint("k", c): rule.Int(1)}})
		}
		d.Questions = append(d.Questions, question)
	}
	d.Verdicts = []quiz.Verdict{{Leader: lead}}
	return d
}

func states(t testing.TB, d *quiz.Document, want purpose) int {
	m, err := newModel(context.Background(), d, nil)
	require.NoError(t, err)
	p, err := newPass(context.Background(), m, want)
	require.NoError(t, err)
	c, err := p.run(context.Background(), spend{64_000_000, 4 << 30}, false)
	require.NoError(t, err)
	n := 0
	for _, tab := range c.tables {
		n += tab.size()
	}
	return n
}

// The numbers of states are exact and repeatable, so they are what is kept from growing.
func TestStateCounts(t *testing.T) {
	require.LessOrEqual(t, states(t, scored(40, 5, plain), purpose{exact: map[int]bool{0: true}}), 3321)
	require.LessOrEqual(t, states(t, scored(40, 5, plain), purpose{lines: true}), 3321)
	t.Log("one scale 40×5, outcomes", states(t, scored(40, 5, plain), purpose{lines: true}))
	t.Log("branching 30", states(t, quiztest.Branching(), purpose{lines: true}))
	t.Log("keywords 15×6×6", states(t, keywords(15, 6, "order"), purpose{lines: true}))
	require.LessOrEqual(t, states(t, keywords(15, 6, "order"), purpose{lines: true}), 15552)
}

func check(b *testing.B, d *quiz.Document, o Options) {
	b.ReportAllocs()
	o.Budget = 64_000_000
	for b.Loop() {
		r, err := Check(context.Background(), d, o)
		if err != nil || !r.Exact {
			b.Fatal(err, r.Exact)
		}
	}
}

// BenchmarkConvolution40x5 is the limit: the distribution of the sum by itself, in plain Go.
func BenchmarkConvolution40x5(b *testing.B) {
	b.ReportAllocs()
	for b.Loop() {
		dist := []float64{1}
		for range 40 {
			next := make([]float64, len(dist)+4)
			for v, p := range dist {
				for c := range 5 {
					next[v+c] += p * 0.2
				}
			}
			dist = next
		}
	}
}

func BenchmarkOneScale40x5(b *testing.B) { check(b, scored(40, 5, plain), Options{}) }

// BenchmarkOneScaleOutcomes40x5 is the pass for the outcomes alone, on a document made ready.
func BenchmarkOneScaleOutcomes40x5(b *testing.B) {
	m, err := newModel(context.Background(), scored(40, 5, plain), nil)
	require.NoError(b, err)
	p, err := newPass(context.Background(), m, purpose{lines: true})
	require.NoError(b, err)
	b.ReportAllocs()
	for b.Loop() {
		c, err := p.run(context.Background(), spend{EditBudget, countingMemory}, false)
		if err != nil {
			b.Fatal(err)
		}
		c.finish()
	}
}

func BenchmarkExact8x5(b *testing.B) { check(b, scored(8, 5, plain), Options{}) }

func BenchmarkBruteForce8x5(b *testing.B) {
	c, err := walk.New(scored(8, 5, plain))
	require.NoError(b, err)
	for b.Loop() {
		shares := map[string]float64{}
		quiztest.Each(c, func(_ walk.Input, r *walk.Result, p float64) bool {
			shares[r.Outcome] += p
			return true
		})
	}
}

func BenchmarkBranching30(b *testing.B) { check(b, quiztest.Branching(), Options{}) }

func BenchmarkLeader15x6x6(b *testing.B) { check(b, keywords(15, 6, "order"), Options{Only: true}) }

func BenchmarkLeaderLatest15x6x6(b *testing.B) {
	check(b, keywords(15, 6, "latest"), Options{Only: true})
}

// BenchmarkMoved30 is BenchmarkBranching30 with what leaving out each question would move.
func BenchmarkMoved30(b *testing.B) { check(b, quiztest.Branching(), Options{Moved: true}) }

// edited counts a document for the reach bar, with another weight each time, as a window of the workbench does.
func edited(b *testing.B, points func(n int) (question, choice int, weight int64)) {
	d := quiztest.Branching()
	b.ReportAllocs()
	var c Counter
	for n := 0; b.Loop(); n++ {
		q, choice, weight := points(n)
		d.Questions[q].Choices[choice].Points["a"] = rule.Int(weight)
		if _, err := c.Check(context.Background(), d, Options{Budget: EditBudget}); err != nil {
			b.Fatal(err)
		}
	}
}

// BenchmarkEditOneWeight30 is the answer to one edit of BenchmarkBranching30: one weight takes one value after another.
func BenchmarkEditOneWeight30(b *testing.B) {
	edited(b, func(n int) (int, int, int64) { return 7, 1, int64(n % 4) })
}

// BenchmarkEditAnyWeight30 edits a weight of another question each time, some of them to more than any answer there
// gave before.
func BenchmarkEditAnyWeight30(b *testing.B) {
	edited(b, func(n int) (int, int, int64) { return 7 * n % 30, n % 4, int64((n + n/60) % 5) }) // another one each round
}

// BenchmarkConvolutionOfTwo is the limit of the matrix: the distribution of two sums at once, in plain Go.
func BenchmarkConvolutionOfTwo(b *testing.B) {
	d := crossed()
	b.ReportAllocs()
	for b.Loop() {
		dist := map[[2]int64]float64{{0, 0}: 1}
		for q := range d.Questions {
			next := make(map[[2]int64]float64, len(dist))
			for at, p := range dist {
				for _, c := range d.Questions[q].Choices {
					x, _ := c.Points["s"].Scaled(0)
					y, _ := c.Points["u"].Scaled(0)
					next[[2]int64{at[0] + x, at[1] + y}] += p / float64(len(d.Questions[q].Choices))
				}
			}
			dist = next
		}
	}
}

// crossed is 10 questions of 4 answers on two scales of 31 and 16 values, crossed.
func crossed() *quiz.Document { return scored2(10, 4) }

func BenchmarkMatrix(b *testing.B) {
	d := crossed()
	b.ReportAllocs()
	for b.Loop() {
		x, err := Cross(context.Background(), d, 1, Options{})
		if err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(float64(len(x.Across)*len(x.Down)), "cells")
	}
}
