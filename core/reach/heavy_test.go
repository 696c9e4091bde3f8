package reach

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiztest"
	"omphalos/core/walk"
)

// repeated writes n things, each from its number.
func repeated(n int, thing func(i int) string) string {
	list := make([]string, n)
	for i := range list {
		list[i] = thing(i)
	}
	return strings.Join(list, ",")
}

// points gives each of a number of scales something that tells answers apart.
func pointsOn(scales, at int) string {
	return `"points":{` + repeated(scales, func(s int) string { return fmt.Sprintf(`"s%d":%d`, s, (at*7919+s*104729)%997) }) + `}`
}

func manyScales(n int) string {
	return `"scales":[` + repeated(n, func(i int) string { return fmt.Sprintf(`{"id":"s%d"}`, i) }) + `],`
}

const xy = `"outcomes":[{"id":"x"},{"id":"y"}],"otherwise":"y",`

// tooMuch are quizzes that are each a page or two to write, and more than can be counted.
func tooMuch() map[string]string {
	single := func(i int) string {
		return fmt.Sprintf(`{"id":"q%d","kind":"single","required":true,"choices":[%s]}`, i,
			repeated(10, func(j int) string { return fmt.Sprintf(`{"id":"c%d",%s}`, j, pointsOn(8, 10*i+j)) }))
	}
	formula := func(i int) string {
		return fmt.Sprintf(`{"id":"v%d","name":"V","formula":"round(scale.s%d * percent.s%d / 7, 2)"}`, i, i%8, (i+1)%8)
	}
	picks := func(n int) func(int) string {
		return func(i int) string {
			return fmt.Sprintf(`{"id":"q%d","kind":"multiple","choices":[%s]}`, i,
				repeated(n, func(j int) string { return fmt.Sprintf(`{"id":"c%d","points":{"s0":%d.25}}`, j, 1<<min(j, 30)) }))
		}
	}
	bands := `"verdicts":[{"bands":{"on":"scale.s0","cuts":[{"from":100,"outcome":"x"}]}}],`
	return map[string]string{
		"formulas over eight scales": xy + manyScales(8) + `"computed":[` + repeated(10, formula) + `],` +
			`"verdicts":[{"bands":{"on":"computed.v3","cuts":[{"from":100,"outcome":"x"}]}}],"questions":[` + repeated(120, single) + `]`,
		"a hundred sets of twenty picks": xy + manyScales(1) + bands + `"questions":[` + repeated(100, picks(20)) + `]`,
		"sets of forty picks":            xy + manyScales(1) + bands + `"questions":[` + repeated(40, picks(40)) + `]`,
		"grids": xy + manyScales(4) + bands + `"questions":[` + repeated(20, func(i int) string {
			return fmt.Sprintf(`{"id":"q%d","kind":"grid","rows":[%s],"choices":[%s]}`, i,
				repeated(20, func(j int) string { return fmt.Sprintf(`{"id":"r%d"}`, j) }),
				repeated(10, func(j int) string { return fmt.Sprintf(`{"id":"c%d",%s}`, j, pointsOn(4, 31*j+i)) }))
		}) + `]`,
		"points far apart": xy + manyScales(1) + bands + `"questions":[` + repeated(40, func(i int) string {
			return fmt.Sprintf(`{"id":"q%d","kind":"single","choices":[{"id":"a","points":{"s0":1}},{"id":"b","points":{"s0":%d}}]}`, i, 1_000_000_007+7919*i)
		}) + `]`,
		"parameters": xy + `"params":[` + repeated(12, func(i int) string { return fmt.Sprintf(`"p%d"`, i) }) + `],"verdicts":[{"when":{"any":[` +
			repeated(12, func(i int) string {
				return fmt.Sprintf(`{"fact":"param.p%d","op":"in","value":["a","b","c","d"]}`, i)
			}) + `]},"outcome":"x"}],"questions":[{"id":"q","kind":"short_text"}]`,
		"thresholds": xy + manyScales(2) + `"verdicts":[{"when":{"any":[` + repeated(3000, func(i int) string {
			return fmt.Sprintf(`{"fact":"percent.s%d","op":"is","value":%d.%d}`, i%2, i%100, i/100)
		}) + `]},"outcome":"x"}],"questions":[` + repeated(200, func(i int) string {
			return fmt.Sprintf(`{"id":"q%d","kind":"single","choices":[{"id":"a","points":{"s0":1,"s1":2}},{"id":"b"}]}`, i)
		}) + `]`,
	}
}

// What is too much to be counted is simulated: every entrance ends with figures that say so.
func TestWhatIsTooMuchIsSimulated(t *testing.T) {
	o := Options{Budget: EditBudget, Patience: 200 * time.Millisecond, Memory: 16 << 20, Samples: 300}
	for name, text := range tooMuch() {
		t.Run(name, func(t *testing.T) {
			d := doc(t, text)
			r, err := Check(context.Background(), d, o)
			require.NoError(t, err)
			require.False(t, r.Exact)
			require.Equal(t, 300, r.Samples)
			total := 0.0
			for _, out := range r.Outcomes {
				total += out.Share
			}
			require.InDelta(t, 1, total, 1e-9)
			require.NotEmpty(t, r.Combinations)
			for _, q := range r.Questions {
				require.True(t, q.Matters, "not known")
			}
			if d.Verdicts[0].Bands != nil {
				spread, err := Arrivals(context.Background(), d, 1, o)
				require.NoError(t, err)
				require.Equal(t, 300, spread.Samples)
				advice, err := Advise(context.Background(), d, 1, []float64{1, 1}, o)
				require.NoError(t, err)
				require.Equal(t, 300, advice.Samples)
			}
			pinned := walk.Input{Answers: map[string]walk.Answer{d.Questions[0].ID: {}}}
			_, err = Odds(context.Background(), d, pinned, o)
			require.NoError(t, err)
		})
	}
}

// Who has gone is not counted for.
func TestACountThatIsGivenUpEnds(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	for _, text := range tooMuch() {
		_, err := Check(ctx, doc(t, text), Options{})
		require.True(t, errors.Is(err, context.Canceled), "%v", err)
	}
	var c Counter
	d := quiztest.Branching()
	_, err := c.Check(ctx, d, Options{})
	require.ErrorIs(t, err, context.Canceled)
	r, err := c.Check(context.Background(), d, Options{})
	require.NoError(t, err)
	require.True(t, r.Exact, "and the next count is a whole one")
}

// A count that fits its memory is exact, and the same one with less is not.
func TestMemoryIsBounded(t *testing.T) {
	d := keywords(15, 6, "order")
	r, err := Check(context.Background(), d, Options{Only: true, Patience: time.Minute})
	require.NoError(t, err)
	require.True(t, r.Exact)
	r, err = Check(context.Background(), d, Options{Only: true, Patience: time.Minute, Memory: 1 << 20, Samples: 300})
	require.NoError(t, err)
	require.False(t, r.Exact)
}

// What a Counter keeps between edits is bounded, and a count that it could not keep is made again.
func TestACounterKeepsOnlySoMuch(t *testing.T) {
	var c Counter
	d := keywords(15, 6, "order")
	before, err := c.Check(context.Background(), d, Options{Patience: time.Minute})
	require.NoError(t, err)
	require.LessOrEqual(t, c.bytes, int64(maxKept))
	again, err := c.Check(context.Background(), d, Options{Patience: time.Minute})
	require.NoError(t, err)
	require.Equal(t, before.Outcomes, again.Outcomes)
	require.LessOrEqual(t, c.bytes, int64(maxKept))
}

// Sets of picks, rows and numbers are counted without being listed, and as listing counts them.
func TestCombinationsWithoutListing(t *testing.T) {
	for _, c := range []struct{ question, want string }{
		{`{"id":"m","kind":"multiple","least":2,"most":3,"required":true,"choices":[{"id":"a"},{"id":"b"},{"id":"c"},{"id":"d"}]}`, "10"}, // C(4,2) + C(4,3)
		{`{"id":"m","kind":"multiple","choices":[{"id":"a"},{"id":"b"},{"id":"none","exclusive":true}]}`, "5"},
		{`{"id":"g","kind":"grid","rows":[{"id":"r"},{"id":"s"}],"choices":[{"id":"a"},{"id":"b"}]}`, "9"},
		{`{"id":"n","kind":"number","required":true,"from":1,"to":10,"step":3}`, "4"},
		{`{"id":"s","kind":"statement"}`, "1"},
	} {
		d := doc(t, xy+`"questions":[`+c.question+`]`)
		m, err := newModel(context.Background(), d, nil)
		require.NoError(t, err)
		require.Equal(t, c.want, m.mostCombinations().String(), c.question)
		r, err := Check(context.Background(), d, Options{})
		require.NoError(t, err)
		require.Equal(t, c.want, r.Combinations, c.question)
	}
}
