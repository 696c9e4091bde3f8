package leads

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

func TestAnswersInWords(t *testing.T) {
	n := rule.MustNumber("2.5")
	choices := []quiz.Choice{{ID: "a", Label: "Air"}, {ID: "b"}}
	for _, c := range []struct {
		q    quiz.Question
		a    walk.Answer
		want string
	}{
		{quiz.Question{Kind: quiz.Single, Choices: choices}, walk.Answer{Picks: []string{"a"}}, "Air"},
		{quiz.Question{Kind: quiz.Single, Choices: choices}, walk.Answer{Picks: []string{"gone"}}, "gone"},
		{quiz.Question{Kind: quiz.Multiple, Choices: choices}, walk.Answer{Picks: []string{"a", "b"}, Other: "else"}, "Air, b, else"},
		{quiz.Question{Kind: quiz.NumberQ, Unit: "m"}, walk.Answer{Number: &n}, "2.5 m"},
		{quiz.Question{Kind: quiz.Grid, Choices: choices, Rows: []quiz.Row{{ID: "r", Label: "Rain"}, {ID: "s"}}}, walk.Answer{Rows: map[string]string{"r": "a"}}, "Rain: Air"},
		{quiz.Question{Kind: quiz.ShortText}, walk.Answer{Text: "=1+1"}, "=1+1"},
		{quiz.Question{Kind: quiz.ShortText}, walk.Answer{}, "blank"},
	} {
		require.Equal(t, c.want, Words(&c.q, c.a))
	}
	require.Equal(t, "+2.5", signed(n))
	require.Equal(t, "−3", signed(rule.Int(-3)))
	require.Equal(t, "48 s", duration(48*time.Second))
	require.Equal(t, "1 min 8 s", duration(68*time.Second))
}
