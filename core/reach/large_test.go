package reach

import (
	"context"
	"fmt"
	"runtime"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// coupled has three scales that one rule compares together: 20 questions of 4 answers.
func coupled() *quiz.Document {
	d := quiz.New("Coupled")
	d.Scales = []quiz.Scale{{ID: "a"}, {ID: "b"}, {ID: "c"}}
	for q := range 20 {
		question := quiz.Question{ID: fmt.Sprint("q", q), Kind: quiz.Single, Required: true}
		for c := range 4 {
			points := map[string]rule.Number{}
			if c < 3 {
				points[d.Scales[c].ID] = rule.Int(int64(1 + q%3))
			}
			question.Choices = append(question.Choices, quiz.Choice{ID: fmt.Sprint("c", c), Points: points})
		}
		d.Questions = append(d.Questions, question)
	}
	at := func(scale string, n int64) rule.Condition {
		return rule.Condition{Fact: "scale." + scale, Op: rule.OpGe, Value: rule.One(rule.Scalar{Num: rule.Int(n), IsNum: true})}
	}
	d.Outcomes = []quiz.Outcome{{ID: "x"}, {ID: "y"}}
	d.Otherwise = "y"
	d.Verdicts = []quiz.Verdict{{When: &rule.Condition{All: []rule.Condition{at("a", 12), at("b", 11), at("c", 13)}}, Outcome: "x"}}
	return d
}

// The largest of the sizes that must stay exact: the states of 20 questions on 8 keywords, and their memory.
func TestLargeCountsStayExactAndSmall(t *testing.T) {
	if testing.Short() {
		t.Skip("a second of counting")
	}
	require.LessOrEqual(t, states(t, coupled(), purpose{lines: true}), 95_978)
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	m, err := newModel(context.Background(), keywords(20, 8, "order"), nil)
	require.NoError(t, err)
	p, err := newPass(context.Background(), m, purpose{lines: true})
	require.NoError(t, err)
	c, err := p.run(context.Background(), spend{DemandBudget, countingMemory}, false)
	require.NoError(t, err)
	runtime.GC()
	runtime.ReadMemStats(&after)
	n := 0
	for _, tab := range c.tables {
		n += tab.size()
	}
	require.LessOrEqual(t, n, 648_000)
	perState := float64(after.HeapAlloc-before.HeapAlloc) / float64(n)
	t.Logf("%d states, %.0f bytes each", n, perState)
	require.Less(t, perState*2_000_000, 400e6, "two million states")
	runtime.KeepAlive(c)
}
