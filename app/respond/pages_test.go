package respond

import (
	"html"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/app/store/responses"
	"omphalos/core/quiz"
)

// visit walks the pages of a quiz by plain forms.
type visit struct {
	*testing.T
	h    http.Handler
	s    *store.Store
	body string
	at   string
}

func newVisit(t *testing.T, document string) *visit {
	t.Helper()
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	if !strings.Contains(document, `"scales"`) {
		document = `"scales":[{"id":"s"}],` + document
	}
	text := `{"format":"omphalos-quiz/1","name":"Pages",` + document + `}`
	_, err = quiz.Read([]byte(text))
	require.NoError(t, err)
	q, err := s.Documents.CreateQuizText("Pages", []byte(text))
	require.NoError(t, err)
	_, err = s.Launch(q.ID, 1, 0, "pages", 0)
	require.NoError(t, err)
	_, h := handler(t, s, true)
	return &visit{T: t, h: h, s: s}
}

func (v *visit) follow(r *http.Request) {
	v.Helper()
	for {
		w := httptest.NewRecorder()
		v.h.ServeHTTP(w, r)
		to := w.Header().Get("Location")
		v.body, v.at = w.Body.String(), r.URL.String()
		if to == "" {
			return
		}
		require.Equal(v, http.StatusSeeOther, w.Code)
		if v.at = to; !strings.HasPrefix(to, "/") {
			return
		}
		r = httptest.NewRequest("GET", to, nil)
	}
}

func (v *visit) get(path string) { v.Helper(); v.follow(httptest.NewRequest("GET", path, nil)) }

var sealed = regexp.MustCompile(`name="w" value="([^"]+)"`)

func (v *visit) send(fields string) {
	v.Helper()
	m := sealed.FindStringSubmatch(v.body)
	require.NotNil(v, m, v.body)
	form, err := url.ParseQuery(fields)
	require.NoError(v, err)
	form.Set("w", m[1])
	r := httptest.NewRequest("POST", "/q/pages", strings.NewReader(form.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	v.follow(r)
}

// text is the page without its tags.
func (v *visit) text() string {
	return strings.Join(strings.Fields(html.UnescapeString(regexp.MustCompile(`<[^>]*>`).ReplaceAllString(v.body, " "))), " ")
}

func TestEveryKindOfQuestionAsAPlainForm(t *testing.T) {
	v := newVisit(t, `"outcomes":[{"id":"o","heading":"Done, {t|friend}","text":"You picked {m}, gave {r} and {n}, water {g.r}, score {scale.s}."}],"otherwise":"o","questions":[
	{"id":"m","kind":"multiple","text":"Several?","required":true,"most":2,"choices":[{"id":"a","label":"A"},{"id":"b","label":"B *bold*"},{"id":"c","label":"C"}]},
	{"id":"r","kind":"rating","text":"How much?","required":true,"from":0,"to":10,"ends":["Never","Certainly"],"linear":{"s":{"factor":2}}},
	{"id":"n","kind":"number","text":"How many?","from":0.5,"to":9.5,"step":0.5,"unit":"metres"},
	{"id":"g","kind":"grid","text":"Care","required":true,"rows":[{"id":"r","label":"Water"},{"id":"s","label":"Light"}],"choices":[{"id":"x","label":"Often"},{"id":"y","label":"Rarely"}]},
	{"id":"t","kind":"short_text","text":"Your name?"},{"id":"l","kind":"long_text","text":"More?"},{"id":"e","kind":"email","text":"Mail?"},
	{"id":"p","kind":"phone","text":"Phone?"},{"id":"d","kind":"date","text":"When?"},{"id":"c","kind":"consent","text":"Agree?","required":true},{"id":"st","kind":"statement","text":"Nearly there"}]`)
	v.get("/q/pages")
	require.Contains(t, v.body, `type="checkbox" name="m" value="a"`)
	v.send("m=a&m=b&m=c")
	require.Contains(t, v.text(), "Choose no more than 2 (you chose 3).")
	require.Equal(t, 3, strings.Count(v.body, " checked"), "what was ticked stays ticked")
	v.send("m=a&m=b")
	require.Contains(t, v.text(), "How much?")
	require.Contains(t, v.text(), "Never Certainly")
	require.Equal(t, 11, strings.Count(v.body, `type="radio"`))
	v.send("r=11")
	require.Contains(t, v.text(), "Enter a number from 0 to 10.")
	v.send("r=7")
	require.Contains(t, v.text(), "0.5 – 9.5 metres")
	v.send("n=1.3")
	require.Contains(t, v.text(), "in steps of 0.5")
	require.Contains(t, v.body, `value="1.3"`, "what was typed can be mended")
	v.send("n=1.5")
	v.send("g.r=x")
	require.Contains(t, v.text(), "Choose an answer in this row.")
	require.Contains(t, v.body, `name="g.r" value="x" checked`)
	v.send("g.r=x&g.s=y")
	v.send("t=" + url.QueryEscape(`<img src=x onerror=alert(1)> & "you"`))
	require.Contains(t, v.body, "<textarea")
	v.send("l=")
	v.send("e=nobody")
	require.Contains(t, v.text(), "Enter an email address, such as name@example.org")
	v.send("e=")
	require.Contains(t, v.body, `type="tel"`)
	v.send("p=")
	v.send("d=2026-02-30")
	require.Contains(t, v.text(), "YYYY-MM-DD")
	v.send("d=")
	v.send("")
	require.Contains(t, v.text(), "Tick the box to continue.")
	v.send("c=yes")
	require.Contains(t, v.text(), "Nearly there")
	v.send("")
	require.Contains(t, v.text(), `Done, <img src=x onerror=alert(1)> & "you"`)
	require.NotContains(t, v.body, "<img src=x", "what was typed never runs")
	require.Contains(t, v.text(), "You picked A, B *bold*, gave 7 and 1.5, water Often, score 14.")
	require.NotContains(t, v.body, "<em>bold", "what is filled in is text, not Markdown")
}

func TestContactStepAndRedirect(t *testing.T) {
	v := newVisit(t, `"outcomes":[{"id":"o","ending":{"kind":"redirect","url":"https://example.org/go?fixed=1{&q,scale.s,param.src}#top"}}],"otherwise":"o","params":["src"],
	"questions":[{"id":"q","kind":"single","required":true,"text":"Which?","choices":[{"id":"a","label":"A & B","points":{"s":2.5}}]}],
	"contact":{"place":"before_outcome","heading":"Who are you?","text":"So that we can write.","fields":[{"id":"who","kind":"name","label":"Name","required":true},{"id":"firm","kind":"company","label":"Company"},{"id":"mail","kind":"email","label":"E-mail"}],"consent":{"text":"Write to me."}}`)
	v.get("/q/pages?src=fair&hidden=1")
	v.send("q=a")
	require.Contains(t, v.text(), "Who are you?")
	require.Contains(t, v.body, `autocomplete="organization"`)
	require.NotContains(t, v.body, "checked", "consent is never ticked beforehand")
	v.send(".c.who=&.c.mail=x@y.example")
	require.Contains(t, v.text(), "Please fill this in.")
	require.Contains(t, v.body, `value="x@y.example"`)
	v.send(".c.who=" + strings.Repeat("n", 501))
	require.Contains(t, v.text(), "Use no more than 500 characters.")
	v.send(".c.who=Orla&.c.mail=nope")
	require.Contains(t, v.text(), "Enter an email address, such as name@example.org")
	v.send(".c.who=Orla&.c.firm=Fenhall")
	require.Equal(t, "https://example.org/go?fixed=1&q=A%20%26%20B&scale.s=2.5&param.src=fair#top", v.at)
	q, err := v.s.Documents.QuizBySlug("pages")
	require.NoError(t, err)
	list, err := v.s.Responses.Reader(q.ID, responses.Genuine).Before(responses.Cursor{}, 10)
	require.NoError(t, err)
	require.Len(t, list, 1)
	require.Equal(t, "Orla", list[0].Name)
	require.Empty(t, list[0].Email)
	require.Empty(t, list[0].Consent, "not ticked")
	require.JSONEq(t, `{"who":"Orla","firm":"Fenhall"}`, string(list[0].Contact))
	require.JSONEq(t, `{"src":"fair"}`, string(list[0].Params), "only the parameters that the quiz keeps")
}

func TestWhatIsKnownOfAVisitor(t *testing.T) {
	for header, want := range map[string]string{"de-AT,de;q=0.9,en;q=0.5": "de", "nl": "nl", "": "", "*": "", "en;q=0.8": "en", "toolong-x": ""} {
		require.Equal(t, want, firstLanguage(header), header)
	}
	for agent, want := range map[string]string{"": "", "Mozilla/5.0 (X11; Linux x86_64)": "desktop", "Mozilla/5.0 (Linux; Android 15) Mobile": "phone", "Mozilla/5.0 (iPad; CPU OS 18) Mobile": "tablet"} {
		require.Equal(t, want, device(agent), agent)
	}
}

// The language of the pages and the rules that ask for it.
func TestRulesOverTheVisitor(t *testing.T) {
	v := newVisit(t, `"language":"nl","outcomes":[{"id":"o","heading":"Phone"},{"id":"e","heading":"Else"}],"otherwise":"e","questions":[{"id":"q","kind":"statement","text":"Hallo"}],
	"verdicts":[{"when":{"all":[{"fact":"visitor.device","op":"is","value":"phone"},{"fact":"visitor.language","op":"in","value":["nl","de"]},{"fact":"visitor.country","op":"blank"}]},"outcome":"o"}]`)
	r := httptest.NewRequest("GET", "/q/pages", nil)
	r.Header.Set("User-Agent", "Mobi")
	r.Header.Set("Accept-Language", "de-DE")
	v.follow(r)
	require.Contains(t, v.body, `<html lang="nl">`)
	v.send("")
	require.Contains(t, v.text(), "Phone")
	v.get("/q/pages")
	v.send("")
	require.Contains(t, v.text(), "Else")
}
