package app

import (
	"bytes"
	"encoding/json"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/deliveries"
	"omphalos/app/store/responses"
	"omphalos/core/quiz"
)

// Everything about one person is shown and shared, and no longer exists permanently when it is deleted: from the table,
// the exports, the figures and the files of the database.
func TestEverythingAboutOnePerson(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	list, err := d.Store.Responses.Reader(q.ID, responses.Genuine).Before(responses.Cursor{}, 1)
	require.NoError(t, err)
	email := list[0].Email
	require.NoError(t, d.Store.Responses.SetDeals(q.ID, []responses.Deal{{ResponseID: list[0].ID, QuizID: q.ID, State: responses.DealWon}}))
	held, err := d.Store.Responses.Person(strings.ToUpper(email))
	require.NoError(t, err)
	require.NotEmpty(t, held.Responses)
	require.NotEmpty(t, held.Deals)
	before, err := d.Store.Tallies.QuizCounts(q.ID, list[0].At.Location())
	require.NoError(t, err)

	require.Contains(t, d.get("/").Body.String(), "/people")
	shown := d.form("/people", url.Values{"email": {" " + strings.ToUpper(email) + " "}}).Body.String()
	require.Contains(t, shown, list[0].Name)
	require.Contains(t, shown, "How large is the wall?")
	var out struct {
		Responses []struct {
			Contact map[string]string
			Quiz    string
		}
		Deals []any
	}
	w := d.form("/people/export", url.Values{"email": {email}})
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &out))
	require.Len(t, out.Responses, len(held.Responses))
	require.Len(t, out.Deals, len(held.Deals))
	quizzes, here := map[string]bool{}, 0
	for i, r := range out.Responses {
		require.Equal(t, email, r.Contact["email"])
		quizzes[r.Quiz] = true
		if held.Responses[i].QuizID == q.ID {
			here++
		}
	}
	require.Greater(t, len(quizzes), 1, "they answered two quizzes")
	require.Contains(t, w.Header().Get("Content-Disposition"), "attachment")

	doc, err := d.Store.Documents.VersionDocument(q.ID, list[0].Version)
	require.NoError(t, err)
	team := slices.IndexFunc(doc.Messages, func(m quiz.Message) bool { return m.To != quiz.ToRespondent })
	require.GreaterOrEqual(t, team, 0)
	tried := d.form("/quizzes/"+q.ID+"/messages/try/"+doc.Messages[team].ID, url.Values{"of": {list[0].ID}})
	require.Equal(t, http.StatusOK, tried.Code, "a colleague tries a message with what they answered")
	mails, err := d.Store.Deliveries.DueMails(50)
	require.NoError(t, err)
	require.True(t, slices.ContainsFunc(mails, func(m deliveries.Mail) bool { return strings.Contains(string(m.Content), email) }))

	require.True(t, inFiles(t, d.dir, email))
	gone := d.form("/people/delete", url.Values{"email": {email}})
	require.Equal(t, http.StatusOK, gone.Code)
	require.Contains(t, gone.Body.String(), "Deleted on")
	require.False(t, inFiles(t, d.dir, email))
	require.Contains(t, d.get("/quizzes/"+q.ID+"/leads?q="+url.QueryEscape(email)).Body.String(), "0 people")
	for _, form := range []string{"csv", "jsonl"} {
		require.NotContains(t, d.get("/quizzes/"+q.ID+"/leads."+form).Body.String(), email)
	}
	after, err := d.Store.Tallies.QuizCounts(q.ID, list[0].At.Location())
	require.NoError(t, err)
	require.Equal(t, before.Kept-here, after.Kept)

	require.Contains(t, d.form("/people", url.Values{"email": {email}}).Body.String(), "No data found for")
	require.Contains(t, d.form("/people/delete", url.Values{"email": {email}}).Body.String(), "There was no data about")
	require.Equal(t, http.StatusOK, d.form("/people", url.Values{"email": {"  "}}).Code)
}

// Someone who typed their address as an answer, where there is no contact step, is found and deleted too; one whose
// text only mentions it is not.
func TestAnAddressThatWasAnAnswer(t *testing.T) {
	d := newDesk(t, false)
	const email = "nell@quayside.example"
	q, err := d.Store.Documents.CreateQuizText("Asks", []byte(`{"format": "omphalos-quiz/1", "name": "Asks", "questions": [{"id": "mail", "kind": "email", "text": "Where?"},
		{"id": "note", "kind": "short_text", "text": "What else?"}], "outcomes": [{"id": "o", "heading": "Done"}], "otherwise": "o"}`))
	require.NoError(t, err)
	_, err = d.Store.Launch(q.ID, 1, 0, "asks", 0)
	require.NoError(t, err)
	for id, answers := range map[string]string{
		"asked": `{"mail": {"text": "Nell@quayside.example"}}`, "mentions": `{"note": {"text": "my friend nell@quayside.example sent me"}}`,
	} {
		_, err := d.Store.Responses.Submit(responses.Submission{Response: &responses.Response{ID: id, QuizID: q.ID, Version: 1, Kept: true, Outcome: "o", Answers: []byte(answers), At: time.Now()}})
		require.NoError(t, err)
	}
	held, err := d.Store.Responses.Person(email)
	require.NoError(t, err)
	require.Len(t, held.Responses, 1)
	require.Equal(t, "asked", held.Responses[0].ID)
	require.Contains(t, d.form("/people", url.Values{"email": {email}}).Body.String(), "Asks")
	require.Equal(t, http.StatusOK, d.form("/people/delete", url.Values{"email": {email}}).Code)
	require.False(t, inFiles(t, d.dir, "Nell@quayside.example"))
	_, err = d.Store.Responses.Response("mentions")
	require.NoError(t, err)
}

// inFiles reports whether any file of the database holds a text.
func inFiles(t *testing.T, dir, text string) bool {
	t.Helper()
	files, err := filepath.Glob(filepath.Join(dir, "*.db*"))
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, file := range files {
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		if bytes.Contains(data, []byte(text)) {
			return true
		}
	}
	return false
}

// An invitation goes with the person whom it names.
func TestAnInvitationGoesWithThePerson(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	require.NoError(t, d.Store.Responses.Invite(q.ID, []responses.Invitation{{Name: "Ivo Sedge", Email: "ivo@quayside.example"}}, nil))
	require.Contains(t, d.form("/people", url.Values{"email": {"Ivo@quayside.example"}}).Body.String(), "Ivo Sedge")
	require.Contains(t, d.form("/people/delete", url.Values{"email": {"ivo@quayside.example"}}).Body.String(), "1 invitation")
	require.False(t, inFiles(t, d.dir, "ivo@quayside.example"))
}

// A search for someone goes with them, also where nothing else of them is kept; a filter by an outcome that is called
// like them stays.
func TestSearchesGoWithThePerson(t *testing.T) {
	d := newDesk(t, true)
	id := d.wall()
	for name, query := range map[string]string{"Mine": "q=ivo%40quayside.example", "Others": "outcome=visit"} {
		require.NoError(t, d.Store.Responses.KeepFilter(&responses.KeptFilter{QuizID: id, Name: name, Query: query}))
	}
	require.NoError(t, d.Store.Responses.Invite(id, []responses.Invitation{{Name: "Visit Sedge", Email: "visit@quayside.example"}}, nil))
	for _, email := range []string{"ivo@quayside.example", "visit@quayside.example"} {
		require.Equal(t, http.StatusOK, d.form("/people/delete", url.Values{"email": {email}}).Code)
		require.False(t, inFiles(t, d.dir, email))
	}
	left, err := d.Store.Responses.KeptFilters(id)
	require.NoError(t, err)
	require.Len(t, left, 1)
	require.Equal(t, "Others", left[0].Name)
}
