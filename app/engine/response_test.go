package engine

import (
	"encoding/json"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

func TestNothingIsKeptOfWhoIsNoLead(t *testing.T) {
	text, err := os.ReadFile("../../demo/living-wall.json")
	require.NoError(t, err)
	d, err := quiz.Read(text)
	require.NoError(t, err)
	c, err := walk.New(d)
	require.NoError(t, err)
	in := walk.Input{Answers: map[string]walk.Answer{"area": {Picks: []string{"large"}}, "budget": {Picks: []string{"b3"}}}}
	at := time.Date(2026, 3, 4, 5, 6, 7, 0, time.UTC)
	r, err := Response(d, c.Walk(in), Finished{ID: "w", QuizID: "q", At: at, Began: at, Input: in, Email: "a@b", Name: "N", Source: "s", Consent: "c"})
	require.NoError(t, err)
	require.Equal(t, tallies.Walked{Source: "s"}, r.Walked, "figures count it, its row does not have it")
	got, err := json.Marshal(r.Response)
	require.NoError(t, err)
	want, err := json.Marshal(&responses.Response{ID: "w", QuizID: "q", Outcome: "later", At: time.Date(2026, 3, 4, 0, 0, 0, 0, time.UTC)})
	require.NoError(t, err)
	require.JSONEq(t, string(want), string(got))
}
