package app

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// The preview is the respondents' own page, filled in for someone who ends there, and leaves no trace.
func TestEndingsAreShownAsRespondentsGetThem(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("windowsill")
	require.NoError(t, err)
	at := "/quizzes/" + q.ID + "/endings/preview"
	w := d.get(at + "?outcome=fern")
	require.Equal(t, http.StatusOK, w.Code)
	body := w.Body.String()
	require.Contains(t, body, "Your plant is a Mist-keeper", "what nobody knows shows its fallback")
	require.Contains(t, body, "Mist-keeper, in clay")
	require.Contains(t, body, "--strong:#4b5a8c")
	require.NotContains(t, body, "<script")
	require.Contains(t, w.Header().Get("Content-Security-Policy"), "frame-ancestors 'self'")
	require.Contains(t, d.get(at).Body.String(), "How bright is your windowsill?")
	require.Equal(t, http.StatusNotFound, d.get(at+"?outcome=none").Code)

	// A product that is not in the catalogue leaves no line for the owner, and an unfinished draft is shown all the
	// same.
	revision := q.Revision
	edit := func(ops ...quiz.Operation) {
		code, a := d.post("/quizzes/"+q.ID+"/edits", map[string]any{"base": revision, "patch": quiz.Patch(ops)})
		require.Equal(t, http.StatusOK, code)
		revision = a.Revision
	}
	edit(quiz.Add("/outcomes/0/ending/products", []string{"gone"}))
	require.NotContains(t, d.get(at+"?outcome=fern").Body.String(), "in clay")
	misses, err := d.Store.Documents.Misses(q.ID)
	require.NoError(t, err)
	require.Empty(t, misses)
	edit(quiz.Add("/otherwise", "nowhere"), quiz.Add("/outcomes/0/heading", "New words for {name|you}"))
	require.Contains(t, d.get(at+"?outcome=fern").Body.String(), "New words for you")
	edit(quiz.Add("/outcomes/0/ending", quiz.Ending{Kind: quiz.EndRedirect, URL: "https://larkmoor.example/{?light}"}), quiz.Add("/otherwise", "fern"))
	require.Contains(t, d.get(at+"?outcome=fern").Body.String(), "https://larkmoor.example/?light=")

	w = send(d.h, "GET", at, nil, nil)
	require.Equal(t, http.StatusSeeOther, w.Code, "only for those who are signed in")
}
