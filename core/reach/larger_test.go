package reach

import (
	"context"
	"encoding/json"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/rule"
)

// Quizzes too large to walk every walk: the count stays within what simulated respondents, drawn and walked without it,
// allow. Both are from fixed seeds, so this either always passes or never.
func TestLargerQuizzesAgreeWithSimulatedRespondents(t *testing.T) {
	r := rand.New(rand.NewPCG(100, 200))
	compared := 0
	for range 60 {
		d := quiztest.Random(r, quiztest.Size{Questions: 14, Choices: 5, Visitor: true, Text: true})
		if len(d.Questions) < 8 {
			continue
		}
		exact, err := Check(context.Background(), d, Options{Budget: 3_000_000})
		require.NoError(t, err)
		if !exact.Exact {
			continue
		}
		compared++
		m, err := newModel(context.Background(), d, nil)
		require.NoError(t, err)
		const n = 3000
		sim, err := simulate(context.Background(), m, n)
		require.NoError(t, err)
		within := func(share float64, hits int, what string) {
			t.Helper()
			off := 6*math.Sqrt(share*(1-share)/n) + 3./n
			require.InDelta(t, share, float64(hits)/n, off, "%s of %s", what, func() string { b, _ := json.Marshal(d); return string(b) }())
		}
		total := 0.0
		for _, o := range exact.Outcomes {
			within(o.Share, sim.outcomes[o.ID], "outcome "+o.ID)
			require.True(t, o.Reachable || sim.outcomes[o.ID] == 0)
			total += o.Share
		}
		require.InDelta(t, 1, total, 1e-9)
		within(exact.Ties, sim.ties, "ties")
		for _, q := range exact.Questions {
			within(q.Asked, sim.asked[d.Question(q.ID)], "asked "+q.ID)
		}
		seen := map[[2]string]int{}
		for way, n := range sim.edges {
			e := m.edge(way[0], way[1], 0)
			seen[[2]string{e.From, e.To}] = n
		}
		for _, e := range exact.Edges {
			within(e.Share, seen[[2]string{e.From, e.To}], "edge "+e.From+" "+e.To)
		}
		for i, s := range exact.Scales {
			sum := 0.0
			for _, p := range s.Shares {
				sum += p.Share
			}
			require.InDelta(t, 1, sum, 1e-9)
			for _, p := range sim.scales[i].points(sim.n) {
				require.GreaterOrEqual(t, p.Value.Cmp(s.Least), 0)
				require.LessOrEqual(t, p.Value.Cmp(s.Most), 0)
			}
		}
	}
	require.Greater(t, compared, 20)
}

// A report does not hang on the order in which maps come: many times the same, byte for byte.
func TestReportsAreTheSameEveryTime(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	for range 40 {
		d := quiztest.Random(r, quiztest.Size{Questions: 6, Choices: 4, Visitor: true, Text: true})
		var first []byte
		for range 4 {
			report, err := Check(context.Background(), d, Options{})
			require.NoError(t, err)
			b, err := json.Marshal(report)
			require.NoError(t, err)
			if first == nil {
				first = b
			}
			require.Equal(t, string(first), string(b))
		}
	}
}

// Numbers finer than whole, negative weights and starts: units keep every sum exact, so 0.1 + 0.2 meets a cut at 0.3.
func TestDecimalsMeetTheirCuts(t *testing.T) {
	d := doc(t, `"scales":[{"id":"s","start":-0.3}],"outcomes":[{"id":"x"},{"id":"y"}],"otherwise":"y","questions":[
	{"id":"a","kind":"single","required":true,"choices":[{"id":"p","points":{"s":0.1}},{"id":"q","points":{"s":0.05}}]},
	{"id":"b","kind":"single","required":true,"weight":-0.5,"choices":[{"id":"p","points":{"s":-0.4}},{"id":"q","points":{"s":0.3333}}]}],
	"verdicts":[{"bands":{"on":"scale.s","cuts":[{"from":0,"outcome":"x"}]}}]`)
	r := counted4(t, d, nil)
	shareIs(t, r, map[string]float64{"x": 0.25, "y": 0.75})
	require.InDeltaMapValues(t, map[string]float64{"0": 0.25, "-0.05": 0.25, "-0.36665": 0.25, "-0.41665": 0.25}, distribution(r.Scales[0]), 1e-12)
	b, err := json.Marshal(r.Scales[0])
	require.NoError(t, err)
	require.JSONEq(t, `{"id":"s","least":-0.41665,"most":0,"distribution":[[-0.41665,0.25],[-0.36665,0.25],[-0.05,0.25],[0,0.25]]}`, string(b))
}

// Visitor facts are even over the values that conditions mention and one more, whatever else the quiz asks.
func TestVisitorsAreEvenOverWhatIsMentioned(t *testing.T) {
	d := doc(t, two+`"questions":[`+ab+`],"verdicts":[
	{"when":{"fact":"visitor.country","op":"in","value":["IE","GB"]},"outcome":"x"},
	{"when":{"all":[{"fact":"visitor.device","op":"is","value":"phone"},{"fact":"param.src","op":"is_not","value":"fair"}]},"outcome":"x"}]`)
	r := counted4(t, d, nil)
	shareIs(t, r, map[string]float64{"x": 2./3 + 1./3*1./2*1./2})
	require.Equal(t, "48", r.Combinations) // 3 countries, 2 devices, 2 sources, 4 answers
}

// Every condition on typed text is a guess, and says so; blank and answered are not.
func TestTypedTextIsAssumedAndSaysSo(t *testing.T) {
	text := func(condition string) *Report {
		return counted4(t, doc(t, two+`"questions":[{"id":"t","kind":"short_text"}],"verdicts":[{"when":`+condition+`,"outcome":"x"}]`), nil)
	}
	r := text(`{"fact":"answer.t","op":"answered"}`)
	shareIs(t, r, map[string]float64{"x": 0.5})
	require.Empty(t, r.Assumed)
	r = text(`{"fact":"answer.t","op":"contains","value":"wall"}`)
	require.Equal(t, []string{"t"}, r.Assumed)
	require.True(t, r.Outcomes[0].Reachable)
	require.Equal(t, map[string]any{"t": "wall"}, r.Outcomes[0].Witness)
}

func TestManyPicksAreCountedWithoutListingThem(t *testing.T) {
	d := quiz.New("Picks")
	d.Scales = []quiz.Scale{{ID: "s"}}
	q := quiz.Question{ID: "q", Kind: quiz.Multiple, Required: true}
	for j := range 40 {
		q.Choices = append(q.Choices, quiz.Choice{ID: "c" + rule.Int(int64(j)).String(), Points: map[string]rule.Number{"s": rule.Int(1)}})
	}
	d.Questions = []quiz.Question{q}
	r := counted4(t, d, nil)
	require.Equal(t, "1099511627775", r.Combinations) // 2⁴⁰ − 1
	require.Len(t, r.Scales[0].Shares, 40)
	require.InEpsilon(t, 137846528820./1099511627775, r.Scales[0].Shares[19].Share, 1e-12) // 40 over 20
}
