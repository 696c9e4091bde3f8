package verdicts

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Rows that are merged lead every combination where they led before, and there are no more of them.
func TestMergedRowsLeadWhereTheyLed(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 8))
	d, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"x","outcomes":[{"id":"x"},{"id":"y"}],"otherwise":"y","questions":[
		{"id":"a","kind":"single","text":"A","choices":[{"id":"1"},{"id":"2"},{"id":"3"}]},
		{"id":"b","kind":"single","text":"B","choices":[{"id":"1"},{"id":"2"}]},
		{"id":"c","kind":"single","text":"C","choices":[{"id":"1"},{"id":"2"},{"id":"3"}]}]}`))
	require.NoError(t, err)
	facts := []string{"answer.a", "answer.b", "answer.c"}
	decide := func(rows []quiz.TableRow, at []quiz.Cell) string {
		for _, row := range rows {
			if overlap(row.Cells, at) {
				return row.Outcome
			}
		}
		return "none"
	}
	fewer := 0
	for range 200 {
		whole := &quiz.Table{Facts: facts}
		all, ok := Uncovered(d, whole)
		require.True(t, ok)
		require.Len(t, all, 18)
		for i := range all {
			all[i].Outcome = []string{"x", "y"}[r.IntN(2)]
		}
		whole.Rows = all[:6+r.IntN(13)]
		merged := Merged(d, whole)
		require.LessOrEqual(t, len(merged), len(whole.Rows))
		if len(merged) < len(whole.Rows) {
			fewer++
		}
		for _, one := range all {
			require.Equal(t, decide(whole.Rows, one.Cells), decide(merged, one.Cells))
		}
	}
	require.Greater(t, fewer, 150)
	any := []quiz.Cell{nil, {rule.Scalar{Text: "1"}}, nil}
	overlapping := &quiz.Table{Facts: facts, Rows: []quiz.TableRow{
		{Cells: any, Outcome: "x"}, {Cells: []quiz.Cell{nil, nil, nil}, Outcome: "y"}, {Cells: any, Outcome: "x"}}}
	require.Len(t, Merged(d, overlapping), 3, "where rows overlap their order matters")
}
