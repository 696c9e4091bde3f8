package app

import (
	"database/sql"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"net/url"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	_ "github.com/mattn/go-sqlite3"
	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// rows counts the lines of every table of the database, through a connection of its own, and tells the version of its
// data: it changes with any write of another connection (SQLite, PRAGMA data_version).
type rows struct {
	db *sql.DB
}

func (d *desk) rows() rows {
	d.Helper()
	files, err := filepath.Glob(filepath.Join(d.dir, "*.db"))
	require.NoError(d, err)
	require.Len(d, files, 1)
	db, err := sql.Open("sqlite3", files[0])
	require.NoError(d, err)
	db.SetMaxOpenConns(1)
	d.Cleanup(func() { _ = db.Close() })
	return rows{db}
}

func (r rows) state(t testing.TB) (version int, counts map[string]int) {
	t.Helper()
	require.NoError(t, r.db.QueryRow("PRAGMA data_version").Scan(&version))
	list, err := r.db.Query("SELECT name FROM sqlite_master WHERE type = 'table'")
	require.NoError(t, err)
	var names []string
	for list.Next() {
		var name string
		require.NoError(t, list.Scan(&name))
		names = append(names, name)
	}
	require.NoError(t, list.Close())
	counts = map[string]int{}
	for _, name := range names {
		n := 0
		require.NoError(t, r.db.QueryRow(`SELECT COUNT(*) FROM "`+name+`"`).Scan(&n))
		counts[name] = n
	}
	return version, counts
}

var placeField = regexp.MustCompile(`name="w" value="([^"]+)"`)

// rehearser is a browser in a rehearsal.
type rehearser struct {
	*desk
	at     string
	anyone bool // without an account
	page   *httptest.ResponseRecorder
}

func (r *rehearser) send(method, path string, form url.Values) *httptest.ResponseRecorder {
	return send(r.h, method, path, form, func(req *http.Request) {
		if !r.anyone {
			req.AddCookie(r.cookie)
		}
	})
}

func (r *rehearser) open() {
	r.Helper()
	r.page = r.send("GET", r.at, nil)
	require.Equal(r, http.StatusOK, r.page.Code, r.page.Body.String())
}

// answer sends the page's form with an answer, and goes where it leads.
func (r *rehearser) answer(form string) {
	r.Helper()
	values, err := url.ParseQuery(form)
	require.NoError(r, err)
	place := placeField.FindStringSubmatch(r.page.Body.String())
	require.NotNil(r, place, r.page.Body.String())
	values.Set("w", place[1])
	w := r.send("POST", r.at, values)
	require.Equal(r, http.StatusSeeOther, w.Code, w.Body.String())
	require.Empty(r, w.Result().Cookies())
	require.True(r, strings.HasPrefix(w.Header().Get("Location"), r.at+"?w="), "it stays here: "+w.Header().Get("Location"))
	r.page = r.send("GET", w.Header().Get("Location"), nil)
	require.Equal(r, http.StatusOK, r.page.Code)
	require.Empty(r, r.page.Result().Cookies())
}

func (r *rehearser) token() string {
	r.Helper()
	return placeField.FindStringSubmatch(r.page.Body.String())[1]
}

const pots = `{"format": "omphalos-quiz/1", "name": "Pots", "scales": [{"id": "fit", "name": "Fit"}], "params": ["from"],
	"intro": {"heading": "Pots", "button": "Begin"},
	"questions": [
		{"id": "size", "kind": "single", "text": "How large?", "required": true, "choices": [
			{"id": "s", "label": "Small", "points": {"fit": 1}}, {"id": "l", "label": "Large", "points": {"fit": 5}}]},
		{"id": "when", "kind": "single", "text": "When?", "required": true, "choices": [
			{"id": "now", "label": "Now", "points": {"fit": 3}}, {"id": "later", "label": "Later"}]},
		{"id": "name", "kind": "short_text", "text": "Called what?"}],
	"outcomes": [
		{"id": "visit", "name": "Visit", "heading": "We come", "ending": {"kind": "redirect", "url": "https://w.example/{?size,contact.email,param.from}"}},
		{"id": "pots", "name": "Pots", "heading": "Your pots", "keep": false, "ending": {"kind": "page", "buttons": [{"label": "Shop", "url": "https://s.example/"}]}}],
	"verdicts": [{"bands": {"on": "scale.fit", "cuts": [{"from": 0, "outcome": "pots"}, {"from": 5, "outcome": "visit"}]}}],
	"otherwise": "pots",
	"contact": {"place": "before_outcome", "fields": [{"id": "email", "kind": "email", "label": "E-mail", "required": true}]}}`

func (d *desk) quizOf(text string) string {
	d.Helper()
	q, err := d.Store.Documents.CreateQuizText("Pots", []byte(text))
	require.NoError(d, err)
	return q.ID
}

// A rehearsal goes the whole way, to a page and to a redirect that is shown and not followed, and writes nothing: no
// row, no counter, no cookie; the database is as it was.
func TestARehearsalWritesNothing(t *testing.T) {
	d := newDesk(t, false)
	id := d.quizOf(pots)
	r := &rehearser{desk: d, at: "/quizzes/" + id + "/rehearse/page"}
	d.get("/quizzes/" + id + "/rehearse")
	db := d.rows()
	version, counts := db.state(t)

	r.open()
	r.answer("")
	r.answer("size=l")
	side := d.get("/quizzes/" + id + "/rehearse/side?w=" + r.token())
	require.Equal(t, http.StatusOK, side.Code, side.Body.String())
	require.Contains(t, side.Body.String(), "Fit &#43;5")
	require.Contains(t, side.Body.String(), "Decided: Visit. The next answers can’t change it. 2 questions left.")
	what := d.get("/quizzes/" + id + "/rehearse/what?" + url.Values{"w": {r.token()}, "field": {"when"}, "value": {"now"}}.Encode())
	require.Contains(t, what.Body.String(), "“Now” gives Fit +3 and doesn’t change the possible outcomes.")
	r.answer("when=later")
	r.answer("name=Fern")
	require.Contains(t, r.page.Body.String(), "E-mail")
	r.answer(".c.email=nobody")
	require.Contains(t, r.page.Body.String(), "email address")
	r.answer(".c.email=ada%40larkmoor.example")
	require.Contains(t, r.page.Body.String(), "https://w.example/?size=Large&amp;contact.email=ada%40larkmoor.example")

	r.open()
	r.answer("")
	r.answer("size=s")
	r.answer("when=later")
	r.answer("")
	require.Contains(t, r.page.Body.String(), "Your pots")
	require.Contains(t, r.page.Body.String(), `target="_blank"`)

	after, countsAfter := db.state(t)
	require.Equal(t, counts, countsAfter)
	require.Equal(t, version, after, "nothing was written at all")
}

// went asks for another place, and opens it.
func (r *rehearser) went(query string) (message string) {
	r.Helper()
	at := strings.TrimSuffix(r.at, "/page") + "/go?w=" + url.QueryEscape(r.token()) + "&" + query
	w := r.get(at)
	require.Equal(r, http.StatusOK, w.Code, w.Body.String())
	var to struct{ Token, Message string }
	require.NoError(r, json.Unmarshal(w.Body.Bytes(), &to))
	r.page = r.send("GET", r.at+"?w="+to.Token, nil)
	return to.Message
}

// An edit in another window shows at the next step; what was answered stays where Keep this translation.
func TestARehearsalFollowsTheDraft(t *testing.T) {
	d := newDesk(t, false)
	id := d.quizOf(pots)
	r := &rehearser{desk: d, at: "/quizzes/" + id + "/rehearse/page"}
	r.open()
	r.answer("")
	r.answer("size=l")
	_, err := d.edit(id, 0, quiz.Patch{quiz.Add("/questions/1/text", "When shall it be?"), quiz.Remove("/questions/0/choices/1")})
	require.NoError(t, err)
	r.answer("when=now")
	require.Contains(t, r.page.Body.String(), "How large?", "what was answered is gone: it is asked again")
	r.answer("size=s")
	require.Contains(t, r.page.Body.String(), "When shall it be?")
	require.Contains(t, r.page.Body.String(), `value="now" checked`, "and what was answered beside it stays")
}

func TestGoingAnywhereInARehearsal(t *testing.T) {
	d := newDesk(t, false)
	id := d.quizOf(strings.Replace(pots, `{"id": "l", "label": "Large", "points": {"fit": 5}}]`,
		`{"id": "l", "label": "Large", "points": {"fit": 5}}], "branches": [{"when": {"fact": "answer.size", "op": "is", "value": "l"}, "go": "question:name"}]`, 1))
	r := &rehearser{desk: d, at: "/quizzes/" + id + "/rehearse/page"}
	r.open()
	require.Empty(t, r.went("question=name"))
	require.Contains(t, r.page.Body.String(), "Called what?")
	r.open()
	r.answer("")
	r.answer("size=l")
	require.Contains(t, r.page.Body.String(), "Called what?")
	require.Contains(t, r.went("question=when"), "so some answers were changed to reach it")
	require.Contains(t, r.page.Body.String(), "When?")

	require.Empty(t, r.went("outcome=visit"))
	require.Contains(t, r.page.Body.String(), "https://w.example/")
	r.open()
	r.answer("")
	r.answer("size=s")
	require.Contains(t, r.went("outcome=visit&keep=1"), "Visit is no longer possible, because you answered “Small”.")
	require.Empty(t, r.went("outcome=pots&keep=1"))
	require.Contains(t, r.page.Body.String(), "Your pots")

	r.open()
	require.Empty(t, r.went("pretend=1&country=NZ&params="+url.QueryEscape("from=fair&x=1")))
	require.Contains(t, r.went("pretend=1&today=soon"), "2027-03-01")
	side := d.get("/quizzes/" + id + "/rehearse/side?w=" + r.token())
	require.Contains(t, side.Body.String(), `"params":"from=fair&x=1"`)
	require.Contains(t, side.Body.String(), `"country":"NZ"`)
}

// A link shows the rehearsal to anyone: of Latest draft, or of one state of it; and no longer once it is revoked.
func TestShowingARehearsalToAColleague(t *testing.T) {
	d := newDesk(t, false)
	id := d.quizOf(pots)
	links := map[string]string{}
	for _, shows := range []string{"draft", "now"} {
		w := d.form("/quizzes/"+id+"/rehearse/links", url.Values{"shows": {shows}})
		require.Equal(t, http.StatusSeeOther, w.Code)
		made, err := url.Parse(w.Header().Get("Location"))
		require.NoError(t, err)
		links[shows] = "/rehearsal/" + made.Query().Get("made")
	}
	_, err := d.edit(id, 0, quiz.Patch{quiz.Add("/intro/heading", "Better pots")})
	require.NoError(t, err)
	for shows, heading := range map[string]string{"draft": "Better pots", "now": ">Pots<"} {
		r := &rehearser{desk: d, at: links[shows], anyone: true}
		r.open()
		require.Contains(t, r.page.Body.String(), heading)
		require.Contains(t, r.page.Body.String(), "your answers aren’t saved")
		r.answer("")
		r.answer("size=s")
		require.Contains(t, r.page.Body.String(), "your answers aren’t saved")
	}
	list, err := d.Store.Documents.RehearsalLinks(id)
	require.NoError(t, err)
	require.Len(t, list, 2)
	for _, l := range list {
		require.Equal(t, http.StatusSeeOther, d.form("/quizzes/"+id+"/rehearse/links/"+l.ID+"/revoke", nil).Code)
	}
	for _, at := range links {
		require.Equal(t, http.StatusNotFound, send(d.h, "GET", at, nil, nil).Code)
	}
	require.Equal(t, http.StatusNotFound, send(d.h, "GET", "/rehearsal/guess", nil, nil).Code)
}

// A check that an edit breaks holds the launch back and is told with what it was kept for, what decides now, and the
// edit that broke it.
func TestABrokenCheckHoldsTheLaunchBack(t *testing.T) {
	d := newDesk(t, false)
	id := d.quizOf(pots)
	propose := func(of string) quiz.Patch {
		w := d.get("/quizzes/" + id + "/rehearse/propose?of=" + of)
		require.Equal(t, http.StatusOK, w.Code, w.Body.String())
		var found struct{ Patch quiz.Patch }
		require.NoError(t, json.Unmarshal(w.Body.Bytes(), &found))
		return found.Patch
	}
	made, err := d.edit(id, 0, append(propose("outcomes"), propose("cuts")...))
	_ = made
	require.Error(t, err, "two lists that do not know of each other give the same ids")
	_, err = d.edit(id, 0, propose("outcomes"))
	require.NoError(t, err)
	_, err = d.edit(id, 1, propose("cuts"))
	require.NoError(t, err)
	require.Equal(t, http.StatusUnprocessableEntity, d.get("/quizzes/"+id+"/rehearse/propose?of=outcomes").Code, "none twice")
	reach := func() string { return d.get("/quizzes/" + id + "/reach?room=rehearse").Body.String() }
	require.NotContains(t, reach(), "no longer holds")
	_, err = d.edit(id, 2, quiz.Patch{quiz.Add("/questions/2/text", "Its name?")})
	require.NoError(t, err)
	_, err = d.edit(id, 3, quiz.Patch{quiz.Add("/verdicts/0/bands/cuts/1/from", 9)})
	require.NoError(t, err)
	require.Contains(t, reach(), "fails: ")
	q, err := d.Store.Documents.Quiz(id)
	require.NoError(t, err)
	doc, err := quiz.ReadStored(q.Document)
	require.NoError(t, err)
	require.Contains(t, d.get("/quizzes/"+id+"/rehearse/since/"+doc.Checks[0].ID).Body.String(), "cut point 2")

	launched := d.form("/quizzes/"+id+"/launch", url.Values{"base": {"4"}, "slug": {"pots"}})
	require.Contains(t, launched.Header().Get("Location"), "refused=")
	require.Contains(t, launched.Header().Get("Location"), "fails%3A")
	_, err = d.edit(id, 4, quiz.Patch{quiz.Add("/verdicts/0/bands/cuts/1/from", 5)})
	require.NoError(t, err)
	launched = d.form("/quizzes/"+id+"/launch", url.Values{"base": {"5"}, "slug": {"pots"}})
	require.Equal(t, "/quizzes/"+id+"/launch", launched.Header().Get("Location"))
}
