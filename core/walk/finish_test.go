package walk

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/kind"
	"omphalos/core/quiz"
)

// A walk is finished whatever kind its questions are and though each must be answered: none is asked for ever.
func TestEveryWalkIsFinished(t *testing.T) {
	for _, name := range kind.Names {
		q := kind.Of(&quiz.Question{Kind: name}).Fresh()[0].Make()
		q.ID, q.Text, q.Required = "q", "Q", true
		d := &quiz.Document{Questions: []quiz.Question{q}, Outcomes: []quiz.Outcome{{ID: "o"}}, Otherwise: "o"}
		c, err := New(d)
		require.NoError(t, err, name)
		in := Input{Answers: map[string]Answer{}}
		c.Finish(&in)
		require.Equal(t, "o", c.Walk(in).Outcome, name)
	}
}
