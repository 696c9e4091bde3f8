package app

import (
	"encoding/json"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// A table goes out as CSV and comes back as it was, formulas guarded; what is wrong is named, and the table stays as it
// is.
func TestATableAsCSV(t *testing.T) {
	d := newDesk(t, false)
	q := d.newQuiz(quiz.New("Tables"))
	base := "/quizzes/" + q.ID + "/tables/places"
	post := func(number int, rows ...[]string) int {
		table := map[string]any{"base": number, "columns": []string{"key", "name"}, "rows": rows}
		body, err := json.Marshal(map[string]any{"table": table})
		require.NoError(t, err)
		code, err := d.postRaw(base, string(body))
		require.NoError(t, err)
		return code
	}
	sent := [][]string{{"a", "=1+1"}, {"b", "Ünïcode, \"quoted\""}, {"", ""}}
	require.Equal(t, http.StatusOK, post(0, sent...))
	require.Equal(t, http.StatusOK, post(0, sent...), "what is sent again, because the answer was lost, is there once")
	out := d.get(base + "/table.csv").Body.String()
	require.True(t, strings.HasPrefix(out, "\ufeffkey,name\r\na,'=1+1\r\nb,"), "%q", out)
	w := d.upload(base+"/file", "file", "t.csv", []byte(strings.Replace(out, "b,", "c,", 1)), url.Values{"base": {"1"}})
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body.String())
	tables, err := d.Store.Documents.Tables(q.ID)
	require.NoError(t, err)
	require.Equal(t, [][]string{{"a", "=1+1"}, {"c", "Ünïcode, \"quoted\""}}, tables[0].Rows, "empty lines are left out, guards taken away")
	for name, bad := range map[string]string{"a line too short": "key,name\na\n", "a key twice": "key,name\na,x\na,y\n", "nothing": "", "not CSV": "key,name\n\"a,x\n"} {
		w := d.upload(base+"/file", "file", "t.csv", []byte(bad), url.Values{"base": {"2"}})
		require.Equal(t, http.StatusUnprocessableEntity, w.Code, name)
		require.Contains(t, w.Body.String(), "The table hasn’t changed", name)
	}
	w = d.upload(base+"/file", "file", "t.csv", []byte("key;name\nx;semicolons\n"), url.Values{"base": {"2"}})
	require.Equal(t, http.StatusSeeOther, w.Code)
	page := d.get("/quizzes/" + q.ID + "/endings?table=places").Body.String()
	require.Contains(t, page, `value="semicolons"`)
	require.Equal(t, http.StatusSeeOther, d.form(base+"/back/1", url.Values{"base": {"3"}}).Code)
	tables, err = d.Store.Documents.Tables(q.ID)
	require.NoError(t, err)
	require.Equal(t, "=1+1", tables[0].Rows[0][1])
	require.Equal(t, http.StatusNotFound, d.form(base+"/back/99", nil).Code)
	require.Equal(t, http.StatusSeeOther, d.form(base+"/delete", nil).Code)
	require.Equal(t, http.StatusNotFound, d.form(base+"/delete", nil).Code)
	require.Equal(t, http.StatusNotFound, d.get(base+"/table.csv").Code)
	require.Contains(t, d.get("/quizzes/"+q.ID+"/endings?table=places").Body.String(), "Restore", "its history stays")
	require.Equal(t, http.StatusUnprocessableEntity, d.form("/quizzes/"+q.ID+"/tables", url.Values{"name": {"Bad Name!"}}).Code)
	require.Equal(t, http.StatusSeeOther, d.form("/quizzes/"+q.ID+"/tables", url.Values{"name": {"Regions"}}).Code)
	require.Equal(t, http.StatusNotFound, d.form("/quizzes/nowhere/tables", url.Values{"name": {"x"}}).Code)
}

// Pieces that are fetched when they are opened answer for what is there, and say when it no longer exists.
func TestPiecesThatAreFetched(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	base := "/quizzes/" + q.ID
	require.Contains(t, d.get(base+"/settings/area").Body.String(), "weight-area")
	require.Equal(t, http.StatusNotFound, d.get(base+"/settings/gone").Code)
	others := d.get(base + "/others").Body.String()
	require.Contains(t, others, "Honestly, how often will you water?")
	require.NotContains(t, others, "How large is the wall?", "not its own")
	since := func(path, body string) int {
		code, err := d.postRaw(path, body)
		require.NoError(t, err)
		return code
	}
	require.Equal(t, http.StatusNoContent, since(base+"/since/0", "{}"))
	_, err = d.edit(q.ID, 0, quiz.Patch{quiz.Add("/questions/0/text", "How big?")})
	require.NoError(t, err)
	code, told := d.post(base+"/since/0", map[string]any{"room": "script"})
	require.Equal(t, http.StatusOK, code)
	require.Equal(t, []string{"changed the text of question 1 “How big?”"}, told.Since)
	require.Contains(t, told.Parts["room"], "How big?")
	have := map[string]string{"q:gone": "stamp"}
	_, told = d.post(base+"/since/0", map[string]any{"room": "script", "have": have})
	require.Empty(t, told.Parts["room"])
	for _, b := range told.Blocks {
		require.NotEmpty(t, b.HTML, "a window that has nothing gets all of it")
		have[b.Key] = b.Stamp
	}
	delete(have, "q:light")
	_, told = d.post(base+"/since/0", map[string]any{"room": "script", "have": have})
	for _, b := range told.Blocks {
		require.Equal(t, b.Key == "q:light", b.HTML != "", "%s: only what the window lacks", b.Key)
	}
	require.Equal(t, http.StatusNotFound, since(base+"/since/x", "{}"))
	require.Equal(t, http.StatusBadRequest, since(base+"/since/0", "nonsense"))
	require.Equal(t, http.StatusGone, since("/quizzes/nowhere/since/0", "{}"))
	list := d.get(base + "/paths?response=nobody")
	require.Equal(t, http.StatusOK, list.Code)
	reach := d.get(base + "/reach?room=paths&query=" + url.QueryEscape("?station=area"))
	require.Contains(t, reach.Body.String(), "Asked of 100% of respondents.")
	reach = d.get(base + "/reach?room=verdicts")
	require.Contains(t, reach.Body.String(), `"share-rest":"10.2%"`)
}
