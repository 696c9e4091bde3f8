package main

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app"
	"omphalos/app/store"
	"omphalos/app/store/documents"
	"omphalos/core/quiz"
	"omphalos/demo"
)

// After a cut point has moved, the room Leads and replay on the command line, given the room's own export, say the same
// of the same people.
func TestReplaySaysWhatTheRoomSays(t *testing.T) {
	dir := t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	defer s.Close()
	require.NoError(t, demo.Fill(s, "http://127.0.0.1:1", "larkmoor-tests", time.Now()))
	h, err := app.New(s, app.Options{OneClick: "click"})
	require.NoError(t, err)
	q, err := s.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	var cookie *http.Cookie
	get := func(path string) string {
		r, w := httptest.NewRequest("GET", path, nil), httptest.NewRecorder()
		if cookie != nil {
			r.AddCookie(cookie)
		}
		h.ServeHTTP(w, r)
		if cookie == nil {
			cookie = w.Result().Cookies()[0]
		}
		return w.Body.String()
	}
	get("/demo/click")

	owner, err := s.People.FirstAccount()
	require.NoError(t, err)
	edited, err := quiz.Edit(q.Document, quiz.Patch{quiz.Add("/verdicts/1/bands/cuts/2/from", 16)})
	require.NoError(t, err)
	require.NoError(t, s.Documents.Swap(q.Revision, &documents.Next{Name: q.Name, Document: edited.Text, Revision: documents.Revision{
		QuizID: q.ID, Number: q.Revision + 1, EditID: "cut", Kind: documents.KindEdit, AccountID: owner.ID, Patch: []byte("[]"), Inverse: []byte("[]"),
	}}))
	rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(get("/quizzes/"+q.ID+"/leads.csv?as=ids"), "\ufeff"))).ReadAll()
	require.NoError(t, err)
	for i := range rows[0] {
		rows[0][i] = strings.TrimPrefix(rows[0][i], "answer.")
	}
	var table strings.Builder
	require.NoError(t, csv.NewWriter(&table).WriteAll(rows))
	for name, data := range map[string]string{"live.json": string(q.Document), "draft.json": string(edited.Text), "rows.csv": table.String()} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(data), 0o600))
	}
	out, _, code := command(t, build(t), dir, "replay", "draft.json", "rows.csv", "--against", "live.json", "--json")
	require.Zero(t, code)
	var replayed struct {
		Rows, Moved int
		Moves       []struct{ From, To string }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &replayed))
	require.Positive(t, replayed.Moved)
	require.Equal(t, "pack", replayed.Moves[0].From)
	require.Equal(t, "visit", replayed.Moves[0].To)
	require.Contains(t, get("/quizzes/"+q.ID+"/leads?replay=1"), fmt.Sprintf("<b>%d of %d</b> would get a different outcome", replayed.Moved, replayed.Rows))
}
