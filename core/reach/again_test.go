package reach

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/rule"
)

// reweighed is a copy of a document with other points or votes of some choices.
func reweighed(t testing.TB, r *rand.Rand, d *quiz.Document, edits int) *quiz.Document {
	t.Helper()
	text, err := json.Marshal(d)
	require.NoError(t, err)
	other, err := quiz.Read(text)
	require.NoError(t, err)
	for range edits {
		q := &other.Questions[r.IntN(len(other.Questions))]
		if len(q.Choices) == 0 {
			continue
		}
		c := &q.Choices[r.IntN(len(q.Choices))]
		switch n := rule.Int(int64(r.IntN(5) - 1)); {
		case len(d.Keywords) > 0 && r.IntN(3) == 0:
			c.Votes = map[string]rule.Number{d.Keywords[r.IntN(len(d.Keywords))].ID: n}
		case len(d.Scales) > 0:
			c.Points = map[string]rule.Number{d.Scales[r.IntN(len(d.Scales))].ID: n}
		}
	}
	return other
}

// Documents edited step by step and counted by one counter: the count equals walking every walk after each edit.
func TestCountingAgainEqualsWalkingEveryWalk(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 3))
	whole, runs, checks := 0, 0, 0
	for n := range 160 {
		d := quiztest.Random(r, quiztest.Size{Questions: 5, Choices: 3, Visitor: n%3 == 0})
		var c Counter
		for range 10 {
			e, ok := enumerate(t, d, 1000)
			if !ok {
				break
			}
			report, err := c.Check(context.Background(), d, Options{Moved: true})
			require.NoError(t, err)
			if !t.Run("", func(t *testing.T) { compare(t, d, e, report, true) }) {
				b, _ := json.Marshal(d)
				t.Fatalf("quiz %d\n%s", n, b)
			}
			fresh, err := Check(context.Background(), d, Options{Moved: true})
			require.NoError(t, err)
			require.Equal(t, codes(fresh), codes(report))
			for q := range fresh.Questions {
				near(t, fresh.Questions[q].Influence, report.Questions[q].Influence, "influence")
				require.Equal(t, fresh.Questions[q].Matters, report.Questions[q].Matters)
			}
			checks += len(c.passes)
			d = reweighed(t, r, d, 1+r.IntN(2))
		}
		runs += c.Passes
		whole++
	}
	require.Greater(t, whole, 120)
	require.Less(t, 4*runs, 3*checks, "many passes are not run from their beginning")
}

// The same on a quiz of common size: what is counted again equals a count from the beginning.
func TestCountingAgainEqualsCountingAnew(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 15))
	var c Counter
	d := quiztest.Branching()
	for range 40 {
		again, err := c.Check(context.Background(), d, Options{Budget: EditBudget})
		require.NoError(t, err)
		anew, err := Check(context.Background(), d, Options{Budget: EditBudget})
		require.NoError(t, err)
		for i, o := range anew.Outcomes {
			near(t, o.Share, again.Outcomes[i].Share, "%s", o.ID)
			require.Equal(t, o.Reachable, again.Outcomes[i].Reachable)
			require.NotNil(t, again.Outcomes[i].Witness)
		}
		for i, s := range anew.Scales {
			require.Len(t, again.Scales[i].Shares, len(s.Shares))
			for k, p := range s.Shares {
				require.Equal(t, p.Value.String(), again.Scales[i].Shares[k].Value.String())
				near(t, p.Share, again.Scales[i].Shares[k].Share, "%s", p.Value)
			}
		}
		for i, q := range anew.Questions {
			near(t, q.Asked, again.Questions[i].Asked, "%s", q.ID)
			near(t, q.Influence, again.Questions[i].Influence, "%s", q.ID)
			near(t, q.Settles, again.Questions[i].Settles, "%s", q.ID)
		}
		require.Len(t, again.Edges, len(anew.Edges))
		for i, e := range anew.Edges {
			require.Equal(t, [2]string{e.From, e.To}, [2]string{again.Edges[i].From, again.Edges[i].To})
			near(t, e.Share, again.Edges[i].Share, "%s", e.From)
		}
		require.Equal(t, codes(anew), codes(again))
		d = reweighed(t, r, d, 1)
	}
}

// Who has been sent to an outcome before the question that is edited stays there, and the example of it is theirs.
func TestCountingAgainKeepsWhoHasEnded(t *testing.T) {
	at := func(points int) *quiz.Document {
		return doc(t, two+`"questions":[
			{"id":"a","kind":"single","required":true,"choices":[{"id":"p"},{"id":"q"},{"id":"r"}],
			"branches":[{"when":{"fact":"answer.a","op":"is","value":"p"},"go":"outcome:x"}]},
			{"id":"b","kind":"single","required":true,"choices":[{"id":"p","points":{"s":1}},{"id":"q","points":{"s":`+fmt.Sprint(points)+`}},{"id":"r","points":{"s":9}}]}],
			"verdicts":[{"bands":{"on":"scale.s","cuts":[{"from":0,"outcome":"y"}]}}]`)
	}
	var c Counter
	for _, points := range []int{2, 3, 2} {
		d := at(points)
		ran := c.Passes
		report, err := c.Check(context.Background(), d, Options{})
		require.NoError(t, err)
		if ran > 0 {
			require.Equal(t, ran, c.Passes, "nothing is counted from its beginning")
		}
		near(t, 1.0/3, report.Outcomes[0].Share, "x by the branch")
		require.Equal(t, map[string]any{"a": "p"}, report.Outcomes[0].Witness)
		near(t, 2.0/3, report.Outcomes[1].Share, "y")
	}
}

// A value that no one is assumed to have is one that someone can have.
func TestConvolvedValuesWithoutAShare(t *testing.T) {
	d := doc(t, two+`"questions":[{"id":"a","kind":"single","required":true,"choices":[{"id":"p","points":{"s":1}},{"id":"q","points":{"s":5}}]}],
		"verdicts":[{"bands":{"on":"scale.s","cuts":[{"from":0,"outcome":"y"},{"from":3,"outcome":"x"}]}}]`)
	r, err := Check(context.Background(), d, Options{Assume: &Assumption{Answers: map[string]map[string]float64{"a": {"p": 1, "q": 0}}}})
	require.NoError(t, err)
	require.Equal(t, []Point{{rule.Int(1), 1}, {rule.Int(5), 0}}, r.Scales[0].Shares)
	require.Equal(t, "5", r.Scales[0].Most.String())
}

// In a long session of edits the states that no one comes to any more do not pile up, and what is counted stays right
// when someone comes to them again.
func TestALongSessionOfEdits(t *testing.T) {
	for seed := range uint64(3) {
		r := rand.New(rand.NewPCG(seed, 16))
		d := quiztest.Branching()
		var c Counter
		runs := 0
		for n := range 121 {
			// A few answers to and fro, so that values come, go and come again.
			at := d.Questions[3+7*r.IntN(4)].Choices[r.IntN(2)].Points
			at["a"] = rule.Int(int64(r.IntN(4)))
			again, err := c.Check(context.Background(), d, Options{Budget: EditBudget})
			require.NoError(t, err)
			for _, pass := range c.passes {
				runs++
				require.LessOrEqual(t, 3*pass.deserted, 2*pass.states(), "few enough to be passed over")
				deserted := pass.states()
				for i := range pass.tables {
					for range pass.tables[i].people() {
						deserted--
					}
				}
				require.Equal(t, deserted, pass.deserted)
			}
			if n%10 > 0 {
				continue
			}
			anew, err := Check(context.Background(), d, Options{Budget: EditBudget})
			require.NoError(t, err)
			for i, o := range anew.Outcomes {
				near(t, o.Share, again.Outcomes[i].Share, "%s after %d edits", o.ID, n)
			}
			for i, q := range anew.Questions {
				near(t, q.Influence, again.Questions[i].Influence, "%s after %d edits", q.ID, n)
			}
			require.Equal(t, codes(anew), codes(again))
			for i, s := range anew.Scales {
				require.Len(t, again.Scales[i].Shares, len(s.Shares), "no value that nobody has")
			}
		}
		require.Less(t, c.Passes, runs/2, "most edits are not counted from the beginning")
	}
}

// The same on many quizzes that cannot be walked one by one any more, edited back and forth.
func TestManySessionsOfEdits(t *testing.T) {
	r := rand.New(rand.NewPCG(16, 3))
	edits, passes := 0, 0
	for n := range 60 {
		d := quiztest.Random(r, quiztest.Size{Questions: 10, Choices: 4})
		var c Counter
		for range 12 {
			again, err := c.Check(context.Background(), d, Options{Budget: EditBudget, Samples: 10})
			require.NoError(t, err)
			if !again.Exact {
				break
			}
			edits++
			anew, err := Check(context.Background(), d, Options{Budget: EditBudget})
			require.NoError(t, err)
			for i, o := range anew.Outcomes {
				near(t, o.Share, again.Outcomes[i].Share, "quiz %d: %s", n, o.ID)
			}
			for i, q := range anew.Questions {
				near(t, q.Influence, again.Questions[i].Influence, "quiz %d: %s", n, q.ID)
				require.Equal(t, q.Matters, again.Questions[i].Matters, "quiz %d: %s", n, q.ID)
			}
			require.Equal(t, codes(anew), codes(again))
			d = reweighed(t, r, d, 1)
		}
		passes += c.Passes
	}
	require.Greater(t, edits, 400)
	t.Log(edits, "edits,", passes, "passes from their beginning")
}

// Nor is one whose share is too small for a number: of 500 questions hardly anyone gives the first answer throughout.
func TestConvolvedValuesWithHardlyAShare(t *testing.T) {
	r, err := Check(context.Background(), scored(500, 5, plain), Options{})
	require.NoError(t, err)
	require.True(t, r.Exact)
	require.Equal(t, "0", r.Scales[0].Least.String())
	require.Equal(t, "2000", r.Scales[0].Most.String())
	require.Len(t, r.Scales[0].Shares, 2001)
	sum := 0.0
	for _, p := range r.Scales[0].Shares {
		sum += p.Share
	}
	near(t, 1, sum, "all of them")
}

// Where a document can be counted within a budget it is after an edit too, whatever states the counts before left.
func TestAnEditIsCountedWithinTheBudgetOfItsDocument(t *testing.T) {
	d := quiztest.Branching()
	first, err := newModel(context.Background(), d, nil)
	require.NoError(t, err)
	p, err := newPass(context.Background(), first, purpose{lines: true, below: true})
	require.NoError(t, err)
	counted, err := p.run(context.Background(), spend{EditBudget, countingMemory}, false)
	require.NoError(t, err)
	budget := Options{Budget: counted.work + counted.work/64, Samples: 10}
	r := rand.New(rand.NewPCG(4, 16))
	var c Counter
	exact := 0
	for range 80 {
		d.Questions[3+7*r.IntN(4)].Choices[r.IntN(2)].Points["a"] = rule.Int(int64(r.IntN(4)))
		again, err := c.Check(context.Background(), d, budget)
		require.NoError(t, err)
		anew, err := Check(context.Background(), d, budget)
		require.NoError(t, err)
		if anew.Exact {
			exact++
			require.True(t, again.Exact, "after %d edits that could be counted", exact)
		}
	}
	require.Greater(t, exact, 20)
}
