package app

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// fileOf is a table of lines with an address each.
func fileOf(lines int) []byte {
	var b strings.Builder
	b.WriteString("key,name,url\n")
	for i := range lines {
		fmt.Fprintf(&b, "k%d,Place %d,https://p%d.example/\n", i, i, i)
	}
	return []byte(b.String())
}

const byTable = `{"format":"omphalos-quiz/1","name":"Places","questions":[{"id":"k","kind":"short_text","text":"Which place?","required":true}],
	"outcomes":[{"id":"o","name":"On","keep":false,"ending":{"kind":"redirect","url":"https://none.example/","lookup":{"table":"places","key":"answer.k","column":"url","fallback":"https://none.example/"}}}],"otherwise":"o"}`

// A table of 50,000 lines comes in, is shown in part, is searched, decides where respondents go, and its history stays
// small.
func TestALongTable(t *testing.T) {
	d := newDesk(t, false)
	doc, err := quiz.Read([]byte(byTable))
	require.NoError(t, err)
	q := d.newQuiz(doc)
	base := "/quizzes/" + q.ID + "/tables/places"
	w := d.upload(base+"/file", "file", "t.csv", fileOf(50_000), url.Values{"base": {"0"}})
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body.String())
	page := d.get("/quizzes/" + q.ID + "/endings?table=places").Body.String()
	require.Less(t, len(page), 200_000)
	require.Contains(t, page, "100 of 50,000 rows")
	require.NotContains(t, page, "data-addrow")
	found := d.get("/quizzes/" + q.ID + "/endings?table=places&find=PLACE+49999").Body.String()
	require.Contains(t, found, "p49999.example")
	require.NotContains(t, found, "p100.example")
	w = d.upload(base+"/file", "file", "t.csv", fileOf(100_001), url.Values{"base": {"1"}})
	require.Equal(t, http.StatusRequestEntityTooLarge, w.Code)
	require.Contains(t, w.Body.String(), "You can send up to 4 MB here")

	require.Equal(t, http.StatusSeeOther, d.form("/quizzes/"+q.ID+"/launch", url.Values{"base": {"0"}, "slug": {"places"}}).Code)
	first := send(d.h, "GET", "/q/places", nil, nil).Body.String()
	token := between(t, first, `name="w" value="`, `"`)
	w = send(d.h, "POST", "/q/places", url.Values{"w": {token}, "k": {"k49998"}}, nil)
	require.Equal(t, "https://p49998.example/", w.Header().Get("Location"))

	for n := range 60 { // a small table that is changed often
		w := d.upload("/quizzes/"+q.ID+"/tables/small/file", "file", "t.csv", fileOf(1+n%2), url.Values{"base": {fmt.Sprint(n)}})
		require.Equal(t, http.StatusSeeOther, w.Code, n)
	}
	history, err := d.Store.Documents.TableHistory(q.ID, "small")
	require.NoError(t, err)
	require.Len(t, history, 50)
	require.Equal(t, 60, history[0].Number)
	_, err = d.Store.Documents.TableAt(q.ID, "small", 10)
	require.Error(t, err, "it is dropped, not only hidden")
}

// between is what stands between two texts.
func between(t *testing.T, text, before, after string) string {
	t.Helper()
	_, rest, ok := strings.Cut(text, before)
	require.True(t, ok, "%q is not there", before)
	inside, _, _ := strings.Cut(rest, after)
	return inside
}

// 500 questions are imported, edited, counted and answered.
func TestFiveHundredQuestions(t *testing.T) {
	d := newDesk(t, false)
	var questions []string
	for i := range 500 {
		questions = append(questions, fmt.Sprintf(`{"id":"q%d","kind":"single","text":"Question %d","choices":[{"id":"a","label":"A","points":{"s":1}},{"id":"b","label":"B"}]}`, i, i))
	}
	doc, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"Long","scales":[{"id":"s","name":"S"}],"outcomes":[{"id":"x","name":"X"},{"id":"y","name":"Y"}],"otherwise":"y",
		"verdicts":[{"bands":{"on":"scale.s","cuts":[{"from":250,"outcome":"x"}]}}],"questions":[` + strings.Join(questions, ",") + `]}`))
	require.NoError(t, err)
	q := d.newQuiz(doc)
	code, a := d.post("/quizzes/"+q.ID+"/edits", map[string]any{"id": "e1", "base": 0, "patch": quiz.Patch{quiz.Add("/questions/499/choices/0/points/s", 2)}})
	require.Equal(t, http.StatusOK, code)
	require.Equal(t, 1, a.Revision)
	w := d.get("/quizzes/" + q.ID + "/reach?room=script")
	require.Equal(t, http.StatusOK, w.Code)
	require.NotContains(t, w.Body.String(), "simulated")
	for _, room := range []string{"script", "verdicts", "paths", "endings", "launch", "leads"} {
		require.Equal(t, http.StatusOK, d.get("/quizzes/"+q.ID+"/"+room).Code, room)
	}
	require.Equal(t, http.StatusSeeOther, d.form("/quizzes/"+q.ID+"/launch", url.Values{"base": {"1"}, "slug": {"long"}}).Code)
	at := "/q/long"
	for i := range 500 {
		body := send(d.h, "GET", at, nil, nil).Body.String()
		token := between(t, body, `name="w" value="`, `"`)
		require.Contains(t, body, fmt.Sprintf("Question %d<", i))
		w := send(d.h, "POST", "/q/long", url.Values{"w": {token}, fmt.Sprint("q", i): {"a"}}, nil)
		require.Equal(t, http.StatusSeeOther, w.Code)
		at = w.Header().Get("Location")
		require.Less(t, len(at), 2000)
	}
	require.Contains(t, at, "/q/long/end/")
}

// The sites that may frame a quiz are the owner's to name, and hold from the next page on.
func TestFramesAreTheOwnersToName(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("windowsill")
	require.NoError(t, err)
	policy := func() string {
		return send(d.h, "GET", "/q/windowsill", nil, nil).Header().Get("Content-Security-Policy")
	}
	require.Contains(t, policy(), "frame-ancestors *")
	save := func(sites string) string {
		w := d.form("/quizzes/"+q.ID+"/launch/frames", url.Values{"frames": {sites}})
		require.Equal(t, http.StatusSeeOther, w.Code)
		return w.Header().Get("Location")
	}
	require.Contains(t, save("https://www.larkmoor.example/offices?x=1\nshop.larkmoor.example"), "saved")
	require.Contains(t, policy(), "frame-ancestors 'self' https://www.larkmoor.example https://shop.larkmoor.example")
	require.Contains(t, d.get("/quizzes/"+q.ID+"/launch").Body.String(), "https://shop.larkmoor.example</textarea>")
	for _, bad := range []string{"javascript:alert(1)", "https://a.example;script-src", "https://x:y@a.example", "https://", strings.Repeat("a.example\n", 21), "*"} {
		require.Contains(t, save(bad), "refused", bad)
		require.Contains(t, policy(), "https://shop.larkmoor.example", "it is as it was")
	}
	save("")
	require.Contains(t, policy(), "frame-ancestors *")
	require.Equal(t, http.StatusNotFound, d.form("/quizzes/none/launch/frames", nil).Code)
}

// A response that is deleted leaves the table, the export and every figure.
func TestDeletingAResponse(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	room := "/quizzes/" + q.ID + "/leads"
	id := between(t, d.get(room).Body.String(), "leads/", "/deal")
	before, err := d.Store.Tallies.QuizCounts(q.ID, time.UTC)
	require.NoError(t, err)
	require.Equal(t, http.StatusNotFound, d.form("/quizzes/none/leads/"+id+"/delete", nil).Code)
	require.Equal(t, http.StatusSeeOther, d.form(room+"/"+id+"/delete", nil).Code)
	require.Equal(t, http.StatusNotFound, d.form(room+"/"+id+"/delete", nil).Code)
	after, err := d.Store.Tallies.QuizCounts(q.ID, time.UTC)
	require.NoError(t, err)
	require.Equal(t, before.Kept-1, after.Kept)
	require.NotContains(t, d.get(room+".csv").Body.String(), id)
	require.Contains(t, d.get(room+"?deleted=1").Body.String(), "Response deleted")
}
