package walk

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// A walk is finished whatever kind its questions are and though each must be answered: none is asked for ever.
func TestEveryWalkIsFinished(t *testing.T) {
	one := rule.Int(1)
	choices := []quiz.Choice{{ID: "a", Label: "A"}, {ID: "b", Label: "B"}}
	for _, kind := range []quiz.Kind{
		quiz.Single, quiz.Multiple, quiz.Rating, quiz.NumberQ, quiz.Grid, quiz.ShortText, quiz.LongText, quiz.Email, quiz.Phone, quiz.Date,
		quiz.Consent, quiz.Statement,
	} {
		q := quiz.Question{ID: "q", Kind: kind, Text: "Q", Required: true}
		switch kind {
		case quiz.Single, quiz.Multiple, quiz.Grid:
			q.Choices = choices
		case quiz.Rating, quiz.NumberQ:
			q.From, q.To = &one, &one
		}
		if kind == quiz.Grid {
			q.Rows = []quiz.Row{{ID: "r", Label: "R"}}
		}
		d := &quiz.Document{Questions: []quiz.Question{q}, Outcomes: []quiz.Outcome{{ID: "o"}}, Otherwise: "o"}
		c, err := New(d)
		require.NoError(t, err, kind)
		in := Input{Answers: map[string]Answer{}}
		c.Finish(&in)
		require.Equal(t, "o", c.Walk(in).Outcome, kind)
	}
}
