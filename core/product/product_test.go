package product

import (
	"context"
	"encoding/json"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/reach"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

const garden = `{"format":"omphalos-quiz/1","name":"Garden","questions":[
	{"id":"light","kind":"single","text":"Light?","choices":[{"id":"sun"},{"id":"shade"},{"id":"dark"}]},
	{"id":"uses","kind":"multiple","text":"Uses?","choices":[{"id":"food"},{"id":"looks"}]},
	{"id":"area","kind":"number","text":"Area?","from":1,"to":2}],
	"outcomes":[{"id":"shop","ending":{"kind":"products"}},{"id":"page"}],"otherwise":"shop"}`

func TestTicksAndConditionsAreTheSame(t *testing.T) {
	d, err := quiz.Read([]byte(garden))
	require.NoError(t, err)
	for name, c := range map[string]struct {
		when  string
		ticks Ticks // nil: no grid shows it
	}{
		"nothing":            {`null`, Ticks{}},
		"one answer":         {`{"fact":"answer.light","op":"is","value":"sun"}`, Ticks{"light": {"sun"}}},
		"one of two":         {`{"fact":"answer.light","op":"in","value":["sun","dark"]}`, Ticks{"light": {"sun", "dark"}}},
		"a pick":             {`{"fact":"answer.uses","op":"has","value":"food"}`, Ticks{"uses": {"food"}}},
		"any of two picks":   {`{"any":[{"fact":"answer.uses","op":"has","value":"food"},{"fact":"answer.uses","op":"has","value":"looks"}]}`, Ticks{"uses": {"food", "looks"}}},
		"two questions":      {`{"all":[{"fact":"answer.light","op":"is","value":"sun"},{"fact":"answer.uses","op":"has","value":"food"}]}`, Ticks{"light": {"sun"}, "uses": {"food"}}},
		"either question":    {`{"any":[{"fact":"answer.light","op":"is","value":"sun"},{"fact":"answer.uses","op":"has","value":"food"}]}`, nil},
		"a question twice":   {`{"all":[{"fact":"answer.uses","op":"has","value":"food"},{"fact":"answer.uses","op":"has","value":"looks"}]}`, nil},
		"not":                {`{"fact":"answer.light","op":"is_not","value":"sun"}`, nil},
		"only":               {`{"fact":"answer.uses","op":"is","value":"food"}`, nil},
		"none of":            {`{"none":[{"fact":"answer.light","op":"is","value":"sun"}]}`, nil},
		"a number":           {`{"fact":"answer.area","op":"ge","value":3}`, nil},
		"blank":              {`{"fact":"answer.light","op":"blank"}`, nil},
		"a parameter":        {`{"fact":"param.light","op":"is","value":"sun"}`, nil},
		"no such choice":     {`{"fact":"answer.light","op":"is","value":"moon"}`, nil},
		"at least one":       {`{"at_least":1,"of":[{"fact":"answer.light","op":"is","value":"sun"}]}`, nil},
		"a group in a group": {`{"all":[{"all":[{"fact":"answer.light","op":"is","value":"sun"}]}]}`, nil},
	} {
		t.Run(name, func(t *testing.T) {
			var when *rule.Condition
			require.NoError(t, json.Unmarshal([]byte(c.when), &when))
			ticks, ok := Read(d, when)
			require.Equal(t, c.ticks != nil, ok)
			if !ok {
				return
			}
			require.Equal(t, c.ticks, ticks)
			written, err := json.Marshal(ticks.When(d))
			require.NoError(t, err)
			require.JSONEq(t, c.when, string(written))
		})
	}
}

// Ticks set at random are read back from their condition, and the condition is true exactly for respondents whose answers
// are ticked.
func TestTicksSayWhoGetsTheProduct(t *testing.T) {
	d, err := quiz.Read([]byte(garden))
	require.NoError(t, err)
	c, err := walk.New(d)
	require.NoError(t, err)
	for seed := range uint64(200) {
		r := rand.New(rand.NewPCG(seed, 26))
		ticks := Ticks{}
		for _, q := range d.Questions[:2] {
			for _, choice := range q.Choices {
				ticks.Set(q.ID, choice.ID, r.IntN(2) == 0)
			}
		}
		when := ticks.When(d)
		again, ok := Read(d, when)
		require.True(t, ok)
		require.Equal(t, ticks, again, "seed %d", seed)
		quiztest.Each(c, func(in walk.Input, res *walk.Result, _ float64) bool {
			want := true
			for q, choices := range ticks {
				some := false
				for _, choice := range choices {
					for _, pick := range in.Answers[q].Picks {
						some = some || pick == choice
					}
				}
				want = want && some
			}
			require.Equal(t, want, when == nil || when.Holds(c.Facts(in)), "seed %d: %v %v", seed, ticks, in.Answers)
			return true
		})
	}
}

// Shares of respondents without a product, and with more than is shown, are those of walking every walk and picking the
// products as endings do.
func TestFindingsEqualWalkingEveryWalk(t *testing.T) {
	none, ties, neither := 0, 0, 0
	for seed := range uint64(600) {
		r := rand.New(rand.NewPCG(seed, 27))
		d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3})
		var own []rule.Condition
		d.EachCondition(func(_ string, c *rule.Condition) { own = append(own, *c) })
		d.Recommendations = &quiz.Recommendations{Mode: []string{"", "first", "all"}[r.IntN(3)], Limit: r.IntN(3)}
		for i := range 1 + r.IntN(4) {
			line := quiz.RecommendationLine{Product: string(rune('a' + i))}
			if len(own) > 0 && r.IntN(6) > 0 {
				line.When = &own[r.IntN(len(own))]
			}
			d.Recommendations.Lines = append(d.Recommendations.Lines, line)
		}
		for i := range d.Outcomes {
			if r.IntN(2) == 0 {
				d.Outcomes[i].Ending = &quiz.Ending{Kind: quiz.EndProducts}
			}
		}
		c, err := walk.New(d)
		require.NoError(t, err, "seed %d", seed)
		whole, err := reach.Check(context.Background(), d, reach.Options{})
		require.NoError(t, err)
		var counter Counter
		found, err := counter.Findings(context.Background(), d, whole, reach.Options{})
		require.NoError(t, err)
		shares := map[string]float64{}
		for _, f := range found {
			shares[f.Code] = *f.Share
		}
		if !whole.Exact {
			continue
		}
		wantNone, wantTie := 0.0, 0.0
		quiztest.Each(c, func(in walk.Input, res *walk.Result, p float64) bool {
			o := d.Outcome(res.Outcome)
			if o.Ending == nil || o.Ending.Kind != quiz.EndProducts {
				return true
			}
			facts := c.Facts(in)
			shown := len(fill.Products(d, o.Ending, facts))
			matching, rest := 0, 0
			for i, l := range d.Recommendations.Lines {
				switch {
				case l.When == nil && i == len(d.Recommendations.Lines)-1:
					rest = 1
				case l.When == nil || l.When.Holds(facts):
					matching++
				}
			}
			if room := d.Recommendations.Limit; d.Recommendations.Mode == "all" && room != 1 {
				matching += rest
			}
			if shown == 0 {
				wantNone += p
			} else if shown < matching {
				wantTie += p
			}
			return true
		})
		require.InDelta(t, wantNone, shares[CodeNone], 1e-9, "seed %d", seed)
		require.InDelta(t, wantTie, shares[CodeTie], 1e-9, "seed %d", seed)
		switch {
		case wantNone > 0:
			none++
		case wantTie > 0:
			ties++
		default:
			neither++
		}
	}
	require.Greater(t, none, 50)
	require.Greater(t, ties, 50)
	require.Greater(t, neither, 50)
}
