package app

import (
	"encoding/json"
	"html"
	"net/http"
	"net/http/httptest"
	"regexp"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/page"
	"omphalos/core/check"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

// crossed is a quiz of its own: the living wall with a matrix, and a check that does not hold.
func (d *desk) crossed() (id string, doc *quiz.Document) {
	d.Helper()
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(d, err)
	edited, err := quiz.Edit(q.Document, quiz.Patch{
		{Op: "replace", Path: "/verdicts/1", Value: []byte(`{"matrix":{"across":{"on":"scale.fit","cuts":[0,8,18]},"down":{"on":"percent.urgency","cuts":[0,30,60]},
			"outcomes":[["later","later","pack"],["later","potted","visit"],["potted","pack","visit"]]}}`)},
		{Op: "add", Path: "/checks", Value: []byte(`[{"id":"big","name":"Big wall","answers":{"area":"medium","light":"bright","decides":"two","budget":"b10","deadline":"spring","staff":20,"country":"ie"},"expect":{"outcome":"visit"}}]`)},
	})
	require.NoError(d, err)
	fresh, err := d.Store.Documents.CreateQuizText("Crossed", edited.Text)
	require.NoError(d, err)
	return fresh.ID, edited.Document
}

// made is a document after a patch that a page offers.
func made(t *testing.T, d *quiz.Document, patch string) *quiz.Document {
	t.Helper()
	text, err := json.Marshal(d)
	require.NoError(t, err)
	p, err := quiz.ReadPatch([]byte(patch))
	require.NoError(t, err)
	edited, err := quiz.Edit(text, p)
	require.NoError(t, err)
	require.Empty(t, edited.Document.Validate())
	return edited.Document
}

// Every repair that the room offers makes the check hold, and its strip shows what the count says.
func TestRepairsThatTheRoomOffers(t *testing.T) {
	d := newDesk(t, true)
	id, doc := d.crossed()
	body := d.get("/quizzes/" + id + "/mend").Body.String()
	require.Contains(t, body, "One check fails")
	offers := regexp.MustCompile(`data-repair="([^"]+)" data-preview="([^"]+)"`).FindAllStringSubmatch(body, -1)
	require.NotEmpty(t, offers)
	for _, offer := range offers {
		changed := made(t, doc, html.UnescapeString(offer[1]))
		require.True(t, check.Holds(changed, changed.Checks[0], nil))
		var shares map[string]float64
		require.NoError(t, json.Unmarshal([]byte(html.UnescapeString(offer[2])), &shares))
		r, err := reach.Check(t.Context(), changed, reach.Options{})
		require.NoError(t, err)
		for _, o := range r.Outcomes {
			require.InDelta(t, o.Share, shares[o.ID], 1e-9)
		}
	}
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	require.Equal(t, http.StatusNoContent, d.get("/quizzes/"+q.ID+"/mend").Code, "all checks hold")
}

// Cut points for wanted shares give what they say.
func TestALevelGivesWhatItSays(t *testing.T) {
	d := newDesk(t, true)
	id, doc := d.crossed()
	w := d.get("/quizzes/" + id + "/level?line=2&want.visit=30&want.pack=30&want.potted=40")
	require.Equal(t, http.StatusOK, w.Code, w.Body.String())
	var answer struct{ Text, Patch string }
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &answer))
	changed := made(t, doc, answer.Patch)
	x, err := reach.Cross(t.Context(), changed, 2, reach.Options{})
	require.NoError(t, err)
	visit := 0.0
	for dn, row := range x.Cells {
		for a, cell := range row {
			if changed.Verdicts[1].Matrix.Cell(dn-1, a-1) == "visit" {
				visit += cell.Share / x.Came
			}
		}
	}
	require.Contains(t, answer.Text, "SV "+page.Percent(visit))
	for _, query := range []string{"line=2", "line=2&want.visit=30", "line=2&want.visit=many&want.pack=3", "line=9&want.visit=3&want.pack=3", "line=1&want.visit=30&want.pack=70", "line=2&want.nobody=30&want.pack=70"} {
		requireNoAdvice(t, d.get("/quizzes/"+id+"/level?"+query), query)
	}
}

// What the map's room says could go moves no more than it says, and a norm is what responses came to.
func TestWhatCouldGoAndNorms(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	doc, err := quiz.Read(q.Document)
	require.NoError(t, err)
	body := d.get("/quizzes/" + q.ID + "/spare").Body.String()
	offer := regexp.MustCompile(`data-patch="([^"]+)">Remove question`).FindStringSubmatch(body)
	require.NotNil(t, offer, body)
	require.Len(t, made(t, doc, html.UnescapeString(offer[1])).Questions, len(doc.Questions)-1)

	for _, from := range []string{"count", "responses"} {
		w := d.get("/quizzes/" + q.ID + "/norm/fit?from=" + from)
		require.Equal(t, http.StatusOK, w.Code, w.Body.String())
		var answer struct{ Text, Patch string }
		require.NoError(t, json.Unmarshal(w.Body.Bytes(), &answer))
		mean, known := made(t, doc, answer.Patch).Scales[0].Norm.Mean()
		require.True(t, known)
		require.Greater(t, mean.Float(), 5.0)
	}
	requireNoAdvice(t, d.get("/quizzes/"+q.ID+"/norm/none"), "norm")
	fresh, err := d.Store.Documents.CreateQuizText("Fresh", q.Document)
	require.NoError(t, err)
	w := d.get("/quizzes/" + fresh.ID + "/norm/fit?from=responses")
	requireNoAdvice(t, w, "norm without responses")
	require.Contains(t, w.Body.String(), "no responses yet")
}

// requireNoAdvice wants an answer that says why there is no advice, and nothing to apply.
func requireNoAdvice(t *testing.T, w *httptest.ResponseRecorder, of string) {
	t.Helper()
	require.Equal(t, http.StatusOK, w.Code, of)
	var answer map[string]string
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &answer), of)
	require.NotEmpty(t, answer["message"], of)
	require.Empty(t, answer["patch"], of)
}
