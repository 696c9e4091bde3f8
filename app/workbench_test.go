package app

import (
	"encoding/json"
	"html"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/counting"
	"omphalos/app/edit"
	"omphalos/app/store"
	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/rule"
	"omphalos/core/sheet"
	"omphalos/core/walk"
	"omphalos/demo"
	"omphalos/demo/demotest"
)

// desk is someone signed in at a program with the demonstration's data, or with none.
type desk struct {
	testing.TB
	h      http.Handler
	Store  *store.Store
	cookie *http.Cookie
	dir    string // of the database
}

const password = demotest.Password

func newDesk(t testing.TB, filled bool, now ...func() time.Time) *desk {
	t.Helper()
	dir := t.TempDir()
	o := store.Options{}
	if len(now) > 0 {
		o.Now = now[0]
	} else if filled {
		demotest.Fill(t, dir)
	}
	s, err := store.Open(dir, o)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	if filled { // does nothing to a copy
		require.NoError(t, demo.Fill(s, demotest.Sites, password, time.Now()))
	} else {
		_, err = s.People.CreateOwner(demo.Owner, password)
		require.NoError(t, err)
	}
	h, err := New(s, Options{OneClick: "click"})
	require.NoError(t, err)
	w := send(h, "GET", "/demo/click", nil, nil)
	return &desk{t, h, s, w.Result().Cookies()[0], dir}
}

func (d *desk) get(path string) *httptest.ResponseRecorder {
	return send(d.h, "GET", path, nil, func(r *http.Request) { r.AddCookie(d.cookie) })
}

func (d *desk) form(path string, form url.Values) *httptest.ResponseRecorder {
	return send(d.h, "POST", path, form, func(r *http.Request) { r.AddCookie(d.cookie) })
}

// answer is what the server says to an edit.
type answer struct {
	Revision int
	Message  string
	Detail   string
	Where    string
	Since    []string
	Did      string
	Said     string
	Parts    map[string]string
	Blocks   []workbench.Block
}

func (d *desk) post(path string, body any) (int, answer) {
	d.Helper()
	b, err := json.Marshal(body)
	require.NoError(d, err)
	r := httptest.NewRequest("POST", path, strings.NewReader(string(b)))
	r.AddCookie(d.cookie)
	w := httptest.NewRecorder()
	d.h.ServeHTTP(w, r)
	var a answer
	require.NoError(d, json.Unmarshal(w.Body.Bytes(), &a), w.Body.String())
	return w.Code, a
}

// edit is an edit of someone else's.
func (d *desk) edit(id string, base int, patch quiz.Patch) (*edit.Result, error) {
	return edit.New(d.Store, counting.New(), time.Now).Apply(d.Context(), edit.Actor{Account: 1}, id, edit.Edit{Base: base, Patch: patch})
}

func (d *desk) newQuiz(doc *quiz.Document) *documents.Quiz {
	q, err := d.Store.Documents.CreateQuiz(doc)
	require.NoError(d, err)
	return q
}

func TestEditsOverTheWire(t *testing.T) {
	d := newDesk(t, false)
	q := d.newQuiz(quiz.New("Wire"))
	at := "/quizzes/" + q.ID
	edit := func(base int, ops ...quiz.Operation) (int, answer) {
		return d.post(at+"/edits", map[string]any{"base": base, "patch": ops, "room": "script", "whole": true})
	}
	code, a := edit(0, quiz.Add("/name", "Wire <b>& more</b>"))
	require.Equal(t, http.StatusOK, code)
	require.Equal(t, 1, a.Revision)
	require.Contains(t, a.Parts["state"], "saved")
	require.Contains(t, a.Parts["room"], "What do you want to ask first?")
	require.NotContains(t, d.get(at+"/script").Body.String(), "<b>&", "a name is text")

	code, a = edit(0, quiz.Add("/name", "Overwritten"))
	require.Equal(t, http.StatusConflict, code)
	require.Equal(t, []string{"changed the name of the quiz"}, a.Since)
	for _, c := range []struct {
		op   quiz.Operation
		says string
	}{
		{quiz.Add("/colour", "red"), "Unknown field"},
		{quiz.Remove("/questions/4"), "There is nothing here to remove"},
		{quiz.Add("/outcomes/0/ending/url", "javascript:alert(1)"), "The address must start with https://"},
		{quiz.Add("/outcomes/0/ending/buttons", "none"), "This is text in quotes"},
		{quiz.Add("/scales/0/start", 0.00001), "has more than 4 decimals"},
		{quiz.Operation{Op: "erase", Path: "/name"}, "isn’t a JSON Patch operation"},
		{quiz.Operation{Op: "add", Path: "name", Value: json.RawMessage(`"x"`)}, "which isn’t a JSON Pointer"},
	} {
		code, a = edit(1, c.op)
		require.Equal(t, http.StatusUnprocessableEntity, code, c.says)
		require.Contains(t, a.Message+a.Detail, c.says)
		require.NotContains(t, a.Message, "JSON", "no internal text")
	}
	code, a = d.post(at+"/undo", map[string]any{"room": "verdicts"})
	require.Equal(t, http.StatusOK, code)
	require.Contains(t, a.Parts["room"], "How answers decide the outcome")
	code, a = d.post(at+"/undo", map[string]any{})
	require.Equal(t, http.StatusUnprocessableEntity, code)
	require.Contains(t, a.Message, "nothing to undo")
	code, _ = d.post(at+"/redo", map[string]any{})
	require.Equal(t, http.StatusOK, code)
	code, a = d.post(at+"/redo", map[string]any{})
	require.Equal(t, http.StatusUnprocessableEntity, code)
	require.Contains(t, a.Message, "There’s nothing to redo")
	now, err := d.Store.Documents.Quiz(q.ID)
	require.NoError(t, err)
	require.Equal(t, "Wire <b>& more</b>", now.Name)
	code, _ = d.post("/quizzes/nowhere/edits", map[string]any{"patch": []any{}})
	require.Equal(t, http.StatusGone, code)
	for _, path := range []string{"/quizzes/nowhere/script", "/quizzes/nowhere/reach", "/quizzes/nowhere/leads.csv"} {
		require.Equal(t, http.StatusNotFound, d.get(path).Code, path)
	}
}

// Undo says what it has undone, redo what it has made again: the edit as it was made, not its reverse.
func TestUndoSaysWhatItTookBack(t *testing.T) {
	d := newDesk(t, false)
	q := d.newQuiz(quiz.New("Said"))
	at := "/quizzes/" + q.ID
	question := quiz.Question{ID: "q", Kind: quiz.Single, Choices: []quiz.Choice{{ID: "a"}, {ID: "b"}}}
	for i, c := range []struct {
		patch        quiz.Patch
		undone, made string
	}{
		{quiz.Patch{quiz.Add("/questions/-", question)}, "Undid: added question 1", "Redid: added a new question"},
		{quiz.Patch{quiz.Add("/questions/0/text", "Which?")}, "Undid the change to the text of question 1", "Redid the change to the text of question 1 “Which?”"},
		{quiz.Patch{quiz.Remove("/questions/0/choices/0")}, "Undid: removed answer 1 in question 1", "Redid: removed answer 1 in question 1"},
		{quiz.Patch{quiz.Copy("/questions/0", "/questions/1"), quiz.Add("/questions/1/id", "twin")}, "Undid: added question 2", "Redid: copied question 1 “Which?”"},
		{quiz.Patch{quiz.Remove("/questions/0")}, "Undid: removed question 1 “Which?”", "Redid: removed question 1 “Which?”"},
	} {
		code, a := d.post(at+"/edits", map[string]any{"base": 3 * i, "patch": c.patch})
		require.Equal(t, http.StatusOK, code, a.Message)
		code, a = d.post(at+"/undo", map[string]any{})
		require.Equal(t, http.StatusOK, code)
		require.Equal(t, c.undone, a.Did)
		code, a = d.post(at+"/redo", map[string]any{})
		require.Equal(t, http.StatusOK, code)
		require.Equal(t, c.made, a.Did)
	}
}

var patches = regexp.MustCompile(`data-(?:patch|checked|unchecked)=["']([^"']+)["']`)
var places = regexp.MustCompile(`<(?:input|textarea|select)[^>]*data-do="(?:text|lines|optional|lines optional|number|list|numbers|tick|choose)"\s+data-at="([^"]+)"[^>]*>`)
var acts = regexp.MustCompile(`<(?:button|select)[^>]*data-do="act:([a-z.]+)"[^>]*data-at="([^"]+)"[^>]*>`)

// position is an element of a list named by its number. A pair of values has two ends, which have no other names.
var position = regexp.MustCompile(`/[0-9]+(/|$)`)

var ends = regexp.MustCompile(`/(ends|value)/[01]$`)

// Every control of every room carries an edit that can be made, that leaves a well-formed draft, and that undo undoes
// exactly; and every place that a room names exists or can be added.
func TestEveryControlsEditCanBeMadeAndTakenBack(t *testing.T) {
	d := newDesk(t, true)
	r := rand.New(rand.NewPCG(4, 2))
	docs := []*quiz.Document{quiz.New("Empty")}
	for range 12 {
		docs = append(docs, quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3, Visitor: true, Text: true}))
	}
	live, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	wall, err := quiz.Read(live.Document)
	require.NoError(t, err)
	docs = append(docs, wall)
	tried := 0
	for _, doc := range docs {
		q := d.newQuiz(doc)
		rooms := []string{"script?view=ledger", "verdicts", "paths", "launch", "leads", "messages"}
		open := url.Values{}
		for i := range doc.Questions {
			open.Add("open", doc.Questions[i].ID)
			rooms = append(rooms, "paths?station="+doc.Questions[i].ID)
			for _, b := range doc.Questions[i].Branches {
				rooms = append(rooms, "paths?"+url.Values{"arc": {doc.Questions[i].ID + " " + b.Go}}.Encode())
			}
		}
		rooms = append(rooms, "script?"+open.Encode())
		for _, o := range doc.Outcomes {
			rooms = append(rooms, "endings?outcome="+o.ID)
		}
		for _, part := range []string{"look", "all", "products"} {
			rooms = append(rooms, "endings?part="+part)
		}
		for _, room := range rooms {
			w := d.get("/quizzes/" + q.ID + "/" + room)
			require.Equal(t, http.StatusOK, w.Code, room)
			for _, m := range patches.FindAllStringSubmatch(w.Body.String(), -1) {
				patch, err := quiz.ReadPatch([]byte(html.UnescapeString(m[1])))
				require.NoError(t, err, m[1])
				done, err := quiz.Edit(q.Document, patch)
				require.NoError(t, err, "%s: %s", room, m[1])
				undone, err := quiz.Edit(done.Text, done.Inverse)
				require.NoError(t, err)
				require.JSONEq(t, string(q.Document), string(undone.Text))
				tried++
			}
			for _, m := range places.FindAllStringSubmatch(w.Body.String(), -1) {
				var value any = "text"
				switch {
				case strings.Contains(m[0], `type="checkbox"`):
					value = true
				case strings.Contains(m[0], `data-do="number"`):
					value = 2
				case strings.Contains(m[0], `data-do="numbers"`):
					value = []int{1, 2}
				case strings.Contains(m[0], `data-do="list"`):
					value = []string{"a"}
				}
				at := html.UnescapeString(m[1])
				require.False(t, position.MatchString(ends.ReplaceAllString(at, "")), "%s: %s", room, at)
				_, err := quiz.Edit(q.Document, quiz.Patch{quiz.Set(at, value)})
				require.NoError(t, err, "%s: %s", room, at)
				tried++
			}
			for _, m := range acts.FindAllStringSubmatch(w.Body.String(), -1) {
				if m[1] != "drop" && m[1] != "twin" && m[1] != "condition.drop" && m[1] != "condition.and" {
					continue // what the others take is tried where they are
				}
				at := html.UnescapeString(m[2])
				require.False(t, position.MatchString(at), "%s: %s", room, at)
				read, err := quiz.ReadStored(q.Document)
				require.NoError(t, err)
				place, ok := read.Find(at)
				require.True(t, ok, "%s: %s", room, at)
				change, err := workbench.Acts()[m[1]](read, place, nil)
				require.NoError(t, err, "%s: %s %s", room, m[1], at)
				done, err := quiz.Edit(q.Document, change.Patch)
				require.NoError(t, err, "%s: %s %s", room, m[1], at)
				undone, err := quiz.Edit(done.Text, done.Inverse)
				require.NoError(t, err)
				require.JSONEq(t, string(q.Document), string(undone.Text))
				tried++
			}
		}
	}
	require.Greater(t, tried, 1000)
}

func TestTheReachBarOverTheWire(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	ask := func(id, assume string) (html string, columns []map[string]any) {
		w := d.get("/quizzes/" + id + "/reach?assume=" + assume)
		require.Equal(t, http.StatusOK, w.Code)
		var a struct {
			HTML    string
			Columns []map[string]any
		}
		require.NoError(t, json.Unmarshal(w.Body.Bytes(), &a))
		return a.HTML, a.Columns
	}
	even, columns := ask(q.ID, "even")
	require.Contains(t, even, "Exact: all 456,920 combinations of answers")
	require.Contains(t, even, "14.8%")
	require.Equal(t, "3 to 25", columns[0]["range"])
	seen, _ := ask(q.ID, "seen")
	require.NotContains(t, seen, "14.8%")
	require.Contains(t, seen, "Spread as in 400 responses so far")

	empty := d.newQuiz(quiz.New("Empty"))
	bar, _ := ask(empty.ID, "seen")
	require.Contains(t, bar, "Add a question to see who reaches each outcome")
	broken := quiz.New("Broken")
	broken.Questions = []quiz.Question{{ID: "q", Kind: quiz.Single}}
	bar, _ = ask(d.newQuiz(broken).ID, "even")
	require.Contains(t, bar, "Fix the problems listed here to see who reaches each outcome")
	require.Contains(t, bar, "to fix before launch")
}

func TestLaunchingIsRefusedWithAReason(t *testing.T) {
	d := newDesk(t, true)
	whole := quiz.New("Über uns: 5 Fragen!")
	whole.Questions = []quiz.Question{{ID: "q", Kind: quiz.ShortText, Text: "Why?"}}
	q := d.newQuiz(whole)
	require.Contains(t, d.get("/quizzes/"+q.ID+"/launch").Body.String(), `value="uber-uns-5-fragen"`)
	launch := func(id, slug, base string) string {
		w := d.form("/quizzes/"+id+"/launch", url.Values{"slug": {slug}, "base": {base}})
		require.Equal(t, http.StatusSeeOther, w.Code)
		to, err := url.Parse(w.Header().Get("Location"))
		require.NoError(t, err)
		return to.Query().Get("refused")
	}
	require.Contains(t, launch(q.ID, "Bad Slug", "0"), "Use only lower-case letters a–z, digits and hyphens in the link (up to 60 characters), such as living-wall.")
	require.Contains(t, launch(q.ID, "living-wall", "0"), "Another quiz already uses the link living-wall. Choose a different link.")
	require.Contains(t, launch(q.ID, "why", "7"), "Someone changed the quiz a moment ago. Check the changes, then launch again")
	require.Contains(t, launch(d.newQuiz(quiz.New("Empty")).ID, "empty", "0"), "The quiz has no questions yet. Add a question.")
	require.Empty(t, launch(q.ID, "why", "0"))
	require.Equal(t, http.StatusOK, d.get("/q/why").Code)
	require.Equal(t, http.StatusSeeOther, d.form("/quizzes/"+q.ID+"/delete", nil).Code)
	require.Equal(t, http.StatusNotFound, d.get("/q/why").Code, "a deleted quiz does not go on")
	require.Contains(t, d.get("/?deleted="+q.ID).Body.String(), "You can restore it until")
	require.Equal(t, http.StatusSeeOther, d.form("/quizzes/"+q.ID+"/restore", nil).Code)
	require.Equal(t, http.StatusOK, d.get("/q/why").Code)
}

func TestHome(t *testing.T) {
	d := newDesk(t, true)
	body := d.get("/").Body.String()
	require.Contains(t, body, "Is your office ready for a living wall?")
	require.Regexp(t, `Site visit \d+`, body)
	w := d.form("/quizzes", url.Values{"name": {"  Winter  "}})
	require.Equal(t, http.StatusSeeOther, w.Code)
	require.Equal(t, http.StatusUnprocessableEntity, d.form("/quizzes", url.Values{"name": {strings.Repeat("x", 201)}}).Code)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	require.Equal(t, http.StatusSeeOther, d.form("/quizzes/"+q.ID+"/duplicate", nil).Code)
	list, err := d.Store.Documents.Quizzes()
	require.NoError(t, err)
	var names []string
	for _, l := range list {
		names = append(names, l.Name)
	}
	require.ElementsMatch(t, []string{"Is your office ready for a living wall?", "Is your office ready for a living wall? (copy)", "Winter", "Which plant belongs on your windowsill?", "How well do you water?"}, names)
	require.Contains(t, d.get("/").Body.String(), "Not launched yet")

	const watering = "How well do you water?"
	other, err := d.Store.Documents.QuizBySlug("watering")
	require.NoError(t, err)
	w = d.form("/quizzes/"+other.ID+"/archive", nil)
	body = d.get(w.Header().Get("Location")).Body.String()
	require.Contains(t, body, "is archived. Its link still works.")
	require.Equal(t, http.StatusOK, d.get("/q/watering").Code)
	require.NotContains(t, d.get("/").Body.String(), `data-name="`+watering)
	require.Contains(t, d.get("/?state=archived").Body.String(), `data-name="`+watering)
	require.Equal(t, http.StatusSeeOther, d.form("/quizzes/"+other.ID+"/unarchive", nil).Code)
	require.Contains(t, d.get("/").Body.String(), `data-name="`+watering)
	for typed, want := range map[string]string{
		" spring,  office plants ,Spring,,": "spring,office plants",
		"":                                  "",
		"a,b,c,d,e,f,g,h,i,j,k,l,m":         "refused",
		strings.Repeat("x", 41):             "refused",
	} {
		w := d.form("/quizzes/"+other.ID+"/tags", url.Values{"tags": {typed}})
		if want == "refused" {
			again := d.get(w.Header().Get("Location")).Body.String()
			require.Contains(t, again, "Those tags weren’t saved")
			require.Contains(t, again, `value="`+typed+`"`, "they can be shortened")
			continue
		}
		q, err := d.Store.Documents.Quiz(other.ID)
		require.NoError(t, err)
		require.Equal(t, want, q.Tags, typed)
	}
	require.Equal(t, http.StatusNotFound, d.form("/quizzes/none/archive", nil).Code)
	require.Equal(t, http.StatusNotFound, d.form("/quizzes/none/tags", nil).Code)
}

// The export has a line for every kept response, and what it says agrees with walking the stored answers again.
func TestTheExportAgreesWithTheAnswers(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	w := d.get("/quizzes/" + q.ID + "/leads.csv?as=both")
	require.Equal(t, http.StatusOK, w.Code)
	require.Contains(t, w.Header().Get("Content-Disposition"), "living-wall-leads.csv")
	rows, faults := sheet.NewCSV(w.Body.Bytes(), ',').All(0)
	require.Empty(t, faults)
	doc, err := quiz.Read(q.Document)
	require.NoError(t, err)
	c, err := walk.New(doc)
	require.NoError(t, err)
	byID := map[string]map[string]string{}
	for _, row := range rows[2:] {
		got := map[string]string{}
		for i, name := range rows[1] {
			got[name] = row[i]
		}
		byID[got["id"]] = got
	}
	kept := 0
	for r, err := range d.Store.Responses.Reader(q.ID, responses.All).All() {
		require.NoError(t, err)
		kept++
		var answers map[string]walk.Answer
		require.NoError(t, json.Unmarshal(r.Answers, &answers))
		res := c.Walk(walk.Input{Answers: answers})
		got := byID[r.ID]
		require.Equal(t, res.Scales[0].String(), got["scale.fit"])
		require.Equal(t, doc.OutcomeName(res.Outcome), got["outcome"])
		require.Equal(t, res.LineName(), got["line"])
		require.Equal(t, r.Email, got["contact.email"])
		require.Equal(t, r.Source, got["param.utm_source"])
	}
	require.Len(t, byID, kept)
	require.Greater(t, kept, 300)

	// From page to page everyone is met once, and the way back leads to the beginning.
	met := map[string]bool{}
	lead := regexp.MustCompile(`lead=(demo[0-9a-f]+)`)
	next, pages := "", 0
	for ; pages == 0 || next != ""; pages++ {
		body := d.get("/quizzes/" + q.ID + "/leads?" + next).Body.String()
		for _, m := range lead.FindAllStringSubmatch(body, -1) {
			require.False(t, met[m[1]], m[1])
			met[m[1]] = true
		}
		older := regexp.MustCompile(`href="\?(before=[^"&]+)">Older`).FindStringSubmatch(body)
		if next = ""; older != nil {
			next = older[1]
		}
		if pages == 1 {
			newer := regexp.MustCompile(`href="\?(after=[^"&]+)">Newer`).FindStringSubmatch(body)
			require.NotNil(t, newer)
			require.Contains(t, d.get("/quizzes/"+q.ID+"/leads?"+newer[1]).Body.String(), lead.FindString(d.get("/quizzes/"+q.ID+"/leads").Body.String()))
		}
	}
	require.Equal(t, (kept+24)/25, pages)
	require.Len(t, met, kept)
	require.NotContains(t, d.get("/quizzes/"+q.ID+"/leads?lead=nobody").Body.String(), `id="person"`)
}

// Every room can be opened on drafts of which nearly everything has been taken away.
func TestRoomsOfBareDrafts(t *testing.T) {
	d := newDesk(t, false)
	for name, text := range map[string]string{
		"nothing":        `"questions":[],"outcomes":[],"otherwise":""`,
		"no outcome":     `"scales":[{"id":"s"}],"keywords":[{"id":"k"},{"id":"l"}],"questions":[{"id":"q","kind":"single","choices":[{"id":"a","votes":{"k":1}}]}],"outcomes":[],"otherwise":"gone","verdicts":[{"leader":{"outcomes":{"k":"gone"}}},{"bands":{"on":"scale.none","cuts":[]}},{"table":{"facts":[],"rows":[]}}]`,
		"no answers":     `"questions":[{"id":"q","kind":"single"},{"id":"g","kind":"grid"},{"id":"r","kind":"rating"}],"outcomes":[{"id":"o"}],"otherwise":"o","translations":{"de":{}}`,
		"broken in part": `"computed":[{"id":"c","formula":"1 +"}],"questions":[{"id":"q","kind":"single","visible_if":{"fact":"answer.gone","op":"is","value":"x"},"choices_from":{"table":"none","label":"name"}}],"outcomes":[{"id":"o","ending":{"kind":"redirect","lookup":{"table":"none","key":"answer.gone","column":"c","fallback":""}}}],"otherwise":"o","recommendations":{"lines":[{"product":"none"}]}`,
	} {
		text = `{"format":"omphalos-quiz/1","name":"Bare",` + text + `}`
		_, err := quiz.ReadDraft([]byte(text))
		require.NoError(t, err, name)
		q, err := d.Store.Documents.CreateQuizText("Bare", []byte(text))
		require.NoError(t, err, name)
		for _, room := range []string{"script", "script?view=ledger", "script?view=languages", "script?open=q", "verdicts", "paths", "paths?station=q", "endings", "endings?part=look", "endings?part=all", "endings?part=products", "endings?table=catalogue", "endings/preview", "endings/preview?outcome=o", "launch", "leads", "exchange", "reach", "reach?room=verdicts", "reach?room=paths", "reach?room=endings", "export/texts.xlsx", "export/sheet.csv"} {
			w := d.get("/quizzes/" + q.ID + "/" + room)
			require.Contains(t, []int{http.StatusOK, http.StatusNotFound}, w.Code, "%s: %s\n%.300s", name, room, w.Body.String())
			require.Equal(t, w.Code == http.StatusNotFound, strings.HasPrefix(room, "endings/preview") && w.Code != http.StatusOK, "%s: %s", name, room)
		}
	}
}

// What decides nothing is a warning in the bar, in any room: “no problems found” is said of nothing less.
func TestAnIdleColumnIsAWarningInTheBar(t *testing.T) {
	d := newDesk(t, false)
	doc := quiztest.Branching()
	doc.Checks = nil
	doc.Scales = append(doc.Scales, quiz.Scale{ID: "spare", Name: "Spare"})
	doc.Questions[0].Choices[0].Points["spare"] = rule.Int(1)
	with := d.get("/quizzes/" + d.newQuiz(doc).ID + "/reach").Body.String()
	require.Contains(t, with, "give points on “Spare”, but nothing uses this scale")
	require.NotContains(t, with, "No problems found")
}
