package workbench

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

func TestCellsOfAMatrix(t *testing.T) {
	d := quiz.New("Crossed")
	d.Scales = []quiz.Scale{{ID: "fit", Name: "Fit"}, {ID: "urgency", Name: "Urgency"}}
	d.Verdicts = []quiz.Verdict{{Outcome: "x"}, {Matrix: &quiz.Matrix{
		Across: quiz.Edge{On: "scale.fit", Cuts: []rule.Number{rule.Int(0), rule.Int(8), rule.Int(18)}},
		Down:   quiz.Edge{On: "percent.urgency", Cuts: []rule.Number{rule.Int(0), rule.Int(50)}},
	}}}
	for text, want := range map[string]string{
		"2.1.2": "Fit from 8 to under 18, Urgency (%) from 0% to under 50%",
		"2.2.3": "Fit from 18, Urgency (%) from 50%",
		"2.0.0": "Fit under 0, Urgency (%) under 0%",
	} {
		c, ok := CellOf(d, text)
		require.True(t, ok, text)
		require.Equal(t, text, c.String())
		require.Equal(t, want, c.In(d))
	}
	for _, text := range []string{"", "2", "2.1", "1.1.1", "0.1.1", "3.1.1", "2.3.1", "2.1.4", "2.-1.1", "2.1.2 ", "2.01.2", "2.1.2.1", "a.b.c"} {
		_, ok := CellOf(d, text)
		require.False(t, ok, text)
	}
	d.Verdicts[1].Matrix.Down.Cuts = nil
	_, ok := CellOf(d, "2.0.1")
	require.False(t, ok, "a draft may have no cut points yet")
	d.Verdicts[1].Off = true
	_, ok = CellOf(d, "2.1.2")
	require.False(t, ok, "the line is off")
}
