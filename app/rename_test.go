package app

import (
	"net/http"
	"net/url"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// The first button of the launch form is pressed by Enter in the field of the link: it keeps the name and launches nothing.
func TestEnterInTheLinkLaunchesNothing(t *testing.T) {
	d := newDesk(t, false)
	q := d.newQuiz(&quiz.Document{Format: quiz.Format, Name: "Ferns", Language: "en", Otherwise: "o", Outcomes: []quiz.Outcome{{ID: "o"}},
		Questions: []quiz.Question{{ID: "q", Kind: quiz.Statement, Text: "Hello"}}})
	w := d.form("/quizzes/"+q.ID+"/launch", url.Values{"only": {"link"}, "slug": {"my-ferns"}, "base": {"1"}})
	require.Equal(t, http.StatusSeeOther, w.Code)
	now, err := d.Store.Quiz(q.ID)
	require.NoError(t, err)
	require.Zero(t, now.LiveVersion)
	require.Contains(t, d.get(w.Header().Get("Location")).Body.String(), `name="slug" value="my-ferns"`)
}

// The link of a live quiz gets another name without a launch; the old name leads to the same quiz.
func TestALinkIsRenamedWithoutALaunch(t *testing.T) {
	d := newDesk(t, true)
	id := d.wall()
	before, err := d.Store.Quiz(id)
	require.NoError(t, err)
	room := "/quizzes/" + id + "/launch"
	require.Equal(t, http.StatusSeeOther, d.form(room+"/link", url.Values{"slug": {"green-office"}}).Code)
	after, err := d.Store.Quiz(id)
	require.NoError(t, err)
	require.Equal(t, "green-office", *after.Slug)
	require.Equal(t, before.LiveVersion, after.LiveVersion)
	for _, slug := range []string{"living-wall", "green-office"} {
		q, err := d.Store.QuizBySlug(slug)
		require.NoError(t, err)
		require.Equal(t, id, q.ID)
	}
	for slug, said := range map[string]string{"windowsill": "Another quiz has the link", "Green Office": "small letters"} {
		w := d.form(room+"/link", url.Values{"slug": {slug}})
		at, err := url.Parse(w.Header().Get("Location"))
		require.NoError(t, err)
		require.Contains(t, at.Query().Get("refused"), said)
	}
}
