package app

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// Back and Reload after a form was refused lead to a page, never to a question whether to send the form again.
func TestAnAddressThatOnlyTakesFormsLeadsUp(t *testing.T) {
	d := newDesk(t, false)
	q := d.newQuiz(quiz.New("Walls"))
	for address, want := range map[string]string{
		"/import/take":                              "/import",
		"/quizzes/" + q.ID + "/exchange/take":       "/quizzes/" + q.ID + "/exchange",
		"/quizzes/" + q.ID + "/leads/bring-in/take": "/quizzes/" + q.ID + "/leads/bring-in",
		"/people/export":                            "/people",
		"/account/seen":                             "/account",
	} {
		w := d.get(address)
		require.Equal(t, http.StatusSeeOther, w.Code, address)
		require.Equal(t, want, w.Header().Get("Location"))
	}
	require.Contains(t, d.form("/import/take", nil).Body.String(), "posted.js")
	require.NotContains(t, d.get("/import").Body.String(), "posted.js")
}
