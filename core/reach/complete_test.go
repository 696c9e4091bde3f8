package reach

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

func TestWhatIsLeftOpenSharesTheRest(t *testing.T) {
	from, to := rule.Int(1), rule.Int(3)
	d := quiz.New("Shares")
	abc := []quiz.Choice{{ID: "a"}, {ID: "b"}, {ID: "c"}}
	d.Questions = []quiz.Question{
		{ID: "one", Kind: quiz.Single, Required: true, Choices: abc},
		{ID: "may", Kind: quiz.Single, Choices: abc},
		{ID: "many", Kind: quiz.Multiple, Choices: abc},
		{ID: "rate", Kind: quiz.Rating, Required: true, From: &from, To: &to},
		{ID: "grid", Kind: quiz.Grid, Required: true, Rows: []quiz.Row{{ID: "r"}}, Choices: abc},
		{ID: "words", Kind: quiz.ShortText},
	}
	typed := func(field, value string, p float64) *Assumption {
		return &Assumption{Answers: map[string]map[string]float64{field: {value: p}}}
	}
	for _, c := range []struct {
		typed *Assumption
		field string
		want  map[string]float64
	}{
		{typed("one", "a", 0.5), "one", map[string]float64{"a": 0.5, "b": 0.25, "c": 0.25}},
		{typed("one", "a", 1), "one", map[string]float64{"a": 1, "b": 0, "c": 0}},
		{typed("one", "a", 1.4), "one", map[string]float64{"a": 1.4, "b": 0, "c": 0}}, // scaled when it is counted
		{typed("one", "gone", 0.5), "one", nil},
		{typed("may", "", 0.4), "may", map[string]float64{"": 0.4, "a": 0.2, "b": 0.2, "c": 0.2}},
		{typed("many", "b", 0.9), "many", map[string]float64{"a": 0.5, "b": 0.9, "c": 0.5}},
		{typed("rate", "3", 0.5), "rate", map[string]float64{"1": 0.25, "2": 0.25, "3": 0.5}},
		{typed("grid.r", "c", 0), "grid.r", map[string]float64{"a": 0.5, "b": 0.5, "c": 0}},
		{typed("words", "x", 0.5), "words", nil},
		{typed("lost", "x", 0.5), "lost", nil},
	} {
		got := Complete(d, c.typed)
		if c.want == nil {
			require.NotContains(t, got.Answers, c.field)
			continue
		}
		require.InDeltaMapValues(t, c.want, got.Answers[c.field], 1e-12, "%s", c.field)
		_, err := Check(t.Context(), d, Options{Assume: got})
		require.NoError(t, err)
	}
	require.Nil(t, Complete(d, nil))
	d.Verdicts = []quiz.Verdict{{When: &rule.Condition{Fact: "visitor.country", Op: rule.OpIn, Value: &rule.Operand{IsList: true, List: []rule.Scalar{{Text: "IE"}, {Text: "GB"}}}}, Outcome: "thanks"}}
	got := Complete(d, &Assumption{Visitor: map[string]map[string]float64{"country": {"GB": 0.6}, "device": {"phone": 1}}})
	require.Equal(t, map[string]map[string]float64{"country": {"GB": 0.6, "IE": 0.2, "*": 0.2}}, got.Visitor)
}
