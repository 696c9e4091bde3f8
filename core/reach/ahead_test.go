package reach

import (
	"maps"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// goOn calls f for every walk that continues from what in answers, with its share.
func goOn(c *walk.Compiled, in walk.Input, p float64, f func(in walk.Input, res *walk.Result, p float64)) {
	res := c.Advance(in)
	if res.Pending < 0 {
		f(in, res, p)
		return
	}
	q := &c.Doc.Questions[res.Pending]
	answers := quiztest.Answers(q)
	for _, a := range answers {
		next := in
		next.Answers = maps.Clone(in.Answers)
		next.Answers[q.ID] = a
		goOn(c, next, p/float64(len(answers)), f)
	}
}

// Spans, shares and examples of what is still possible are those of all walks that continue from here.
func TestWhatIsStillPossible(t *testing.T) {
	r := rand.New(rand.NewPCG(12, 4))
	for range 300 {
		d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3})
		c, err := walk.New(d)
		require.NoError(t, err)
		given := walk.Input{Answers: map[string]walk.Answer{}}
		for i := range 1 + r.IntN(len(d.Questions)) {
			all := quiztest.Answers(&d.Questions[i])
			given.Answers[d.Questions[i].ID] = all[r.IntN(len(all))]
		}
		scales, keywords := make([]Span, len(d.Scales)), make([]Span, len(d.Keywords))
		outcomes, asked := map[string]float64{}, make([]float64, len(d.Questions))
		goOn(c, given, 1, func(_ walk.Input, res *walk.Result, p float64) {
			outcomes[res.Outcome] += p
			for _, id := range res.Path {
				asked[d.Question(id)] += p
			}
			for i := range scales {
				scales[i].see(res.Scales[i])
			}
			for i := range keywords {
				keywords[i].see(res.Keywords[i])
			}
		})
		a, err := LookAhead(t.Context(), d, given, Options{})
		require.NoError(t, err)
		require.True(t, a.Exact)
		same := func(want, got Span) {
			require.Equal(t, want.Known, got.Known)
			require.Zero(t, want.Least.Cmp(got.Least), "%v %v", want, got)
			require.Zero(t, want.Most.Cmp(got.Most), "%v %v", want, got)
		}
		for i := range scales {
			same(scales[i], a.Scales[i])
		}
		for i := range keywords {
			same(keywords[i], a.Keywords[i])
		}
		for i := range asked {
			require.InDelta(t, asked[i], a.Asked[i], 1e-9)
		}
		for _, o := range a.Outcomes {
			require.InDelta(t, outcomes[o.ID], o.Share, 1e-9)
			steered(t, c, given, o, outcomes[o.ID] > 0)
		}
	}
}

// steered holds Steer to an outcome against what all walks from here say.
func steered(t *testing.T, c *walk.Compiled, given walk.Input, o Outcome, possible bool) {
	t.Helper()
	whole, forbids, err := Steer(t.Context(), c.Doc, given, o.ID, Options{})
	require.NoError(t, err)
	require.Equal(t, possible, whole != nil)
	if whole != nil {
		res := c.Walk(*whole)
		require.Equal(t, o.ID, res.Outcome)
		for _, id := range res.Path {
			if was, answered := given.Answers[id]; answered {
				require.Equal(t, was.Fields(&c.Doc.Questions[c.Doc.Question(id)]), whole.Answers[id].Fields(&c.Doc.Questions[c.Doc.Question(id)]))
			}
		}
		return
	}
	for id := range given.Answers {
		without := walk.Input{Answers: maps.Clone(given.Answers)}
		delete(without.Answers, id)
		list, err := Odds(t.Context(), c.Doc, without, Options{})
		require.NoError(t, err)
		at := 0
		for list[at].ID != o.ID {
			at++
		}
		if list[at].Reachable {
			require.Contains(t, forbids, id)
		} else {
			require.NotContains(t, forbids, id)
		}
	}
}

// Computed values are sampled: what is met lies within what there is, and a quiz of one question is met whole.
func TestComputedValuesStillPossible(t *testing.T) {
	d := quiz.New("Price")
	n := rule.Int
	one, nine := n(1), n(9)
	d.Questions = []quiz.Question{{ID: "n", Kind: quiz.Rating, From: &one, To: &nine, Required: true}}
	d.Computed = []quiz.Computed{{ID: "price", Formula: "answer.n * 10 + 1"}, {ID: "none", Formula: "1 / 0"}}
	a, err := LookAhead(t.Context(), d, walk.Input{}, Options{})
	require.NoError(t, err)
	require.Equal(t, Span{Least: n(11), Most: n(91), Known: true, Sampled: true}, a.Computed[0])
	require.False(t, a.Computed[1].Known)
	five := n(5)
	a, err = LookAhead(t.Context(), d, walk.Input{Answers: map[string]walk.Answer{"n": {Number: &five}}}, Options{})
	require.NoError(t, err)
	require.Equal(t, Span{Least: n(51), Most: n(51), Known: true, Sampled: true}, a.Computed[0])
}
