package app

import (
	"net/http"
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/responses"
	"omphalos/core/quiz"
)

// A response that was set aside is out of the figures and in a list of its own, until one click counts it.
func TestOneClickCountsWhatWasKeptAside(t *testing.T) {
	d := newDesk(t, false)
	q := d.newQuiz(quiz.New("Aside"))
	_, err := d.Store.Launch(q.ID, 1, 0, "aside", 0)
	require.NoError(t, err)
	now := time.Now().UTC()
	for _, r := range []responses.Response{
		{ID: "human", Email: "orla@fenhall.example"},
		{ID: "program", Email: "bot@fenhall.example", Suspect: "a field that nobody sees was filled in"},
	} {
		r.QuizID, r.Version, r.Kept, r.Outcome, r.StartedAt, r.At = q.ID, 1, true, "thanks", now.Add(-time.Minute), now
		r.Scores, r.Answers, r.Contact, r.Params = []byte("{}"), []byte("{}"), []byte("{}"), []byte("{}")
		_, err := d.Store.Responses.Submit(responses.Submission{Response: &r})
		require.NoError(t, err)
	}
	at := "/quizzes/" + q.ID + "/leads"
	leads := d.get(at).Body.String()
	require.Contains(t, leads, "orla@fenhall.example")
	require.NotContains(t, leads, "bot@fenhall.example")
	aside := d.get(at + "?aside=1&lead=program").Body.String()
	require.Contains(t, aside, "bot@fenhall.example")
	require.Contains(t, aside, "a field that nobody sees was filled in")
	require.NotContains(t, aside, "orla@fenhall.example")

	w := d.form(at+"/program/take-in", nil)
	require.Equal(t, http.StatusSeeOther, w.Code)
	require.Equal(t, at+"?lead=program", w.Header().Get("Location"))
	require.Contains(t, d.get(at).Body.String(), "bot@fenhall.example")
	require.Equal(t, http.StatusNotFound, d.form(at+"/nobody/take-in", nil).Code)
	require.Equal(t, http.StatusNotFound, d.form("/quizzes/nowhere/leads/program/take-in", nil).Code)
}

// What a table was asked for and did not have is told its owner once, and taken off the list by them.
func TestAMissedLineIsTakenOffTheList(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	for range 3 {
		require.NoError(t, d.Store.Documents.Missed(q.ID, "regions", "pt"))
	}
	require.NoError(t, d.Store.Documents.Missed(q.ID, "regions", "se"))
	at := "/quizzes/" + q.ID + "/endings?table=regions"
	page := d.get(at).Body.String()
	require.Contains(t, page, "“pt” was looked up 3 times")
	require.Contains(t, page, "“se” was looked up 1 time")
	w := d.form("/quizzes/"+q.ID+"/tables/regions/seen", url.Values{"key": {"pt"}})
	require.Equal(t, http.StatusSeeOther, w.Code)
	page = d.get(at).Body.String()
	require.NotContains(t, page, "“pt”")
	require.Contains(t, page, "“se” was looked up 1 time")
}

// A column goes by an act: its figures go with it, what used it is said, and one that no longer exists meanwhile says
// so.
func TestAColumnIsRemovedByAnAct(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	drop := func(at string) (int, answer) {
		return d.post("/quizzes/"+q.ID+"/edits", map[string]any{
			"base": q.Revision, "room": "script", "whole": true, "act": map[string]any{"name": "drop", "at": at},
		})
	}
	code, a := drop("/scales/@urgency")
	require.Equal(t, http.StatusOK, code)
	require.Contains(t, a.Said, "Column “Urgency” and ")
	now, err := d.Store.Documents.Quiz(q.ID)
	require.NoError(t, err)
	require.NotContains(t, string(now.Document), `"urgency":6`)
	for _, at := range []string{"/scales/@urgency", "/keywords/@none"} {
		code, a = drop(at)
		require.Equal(t, http.StatusUnprocessableEntity, code, at)
		require.Contains(t, a.Message, "no longer exists")
	}
	code, _ = d.post("/quizzes/"+q.ID+"/undo", map[string]any{})
	require.Equal(t, http.StatusOK, code)
	back, err := d.Store.Documents.Quiz(q.ID)
	require.NoError(t, err)
	require.JSONEq(t, string(q.Document), string(back.Document))
}
