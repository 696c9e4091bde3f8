package respond

import (
	"html"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
)

const tiny = `"questions":[{"id":"q","kind":"single","required":true,"text":"Which?","choices":[{"id":"a","label":"A","points":{"s":2},"correct":true,"why":"Because."},{"id":"b","label":"B"}]}],`

func (v *visit) responses() []responses.Response {
	v.Helper()
	q, err := v.s.Documents.QuizBySlug("pages")
	require.NoError(v, err)
	list, err := v.s.Responses.Reader(q.ID, responses.Genuine).Before(responses.Cursor{}, 1000)
	require.NoError(v, err)
	return list
}

func TestContactAfterTheOutcome(t *testing.T) {
	v := newVisit(t, tiny+`"outcomes":[{"id":"o","heading":"You are {q}","text":"Score {scale.s}","ending":{"kind":"page"}}],"otherwise":"o",
	"contact":{"place":"after_outcome","optional":true,"heading":"Keep in touch?","fields":[{"id":"email","kind":"email","label":"E-mail","required":true},{"id":"tel","kind":"phone","label":"Phone"}],"consent":{"text":"Yes, write.","required":true}}`)
	v.get("/q/pages?email=known%40fenhall.example")
	v.send("q=a")
	require.Contains(t, v.text(), "You are A")
	require.Contains(t, v.text(), "Keep in touch?")
	require.Contains(t, v.body, `value="known@fenhall.example"`, "the link fills in the contact field")
	require.Len(t, v.responses(), 1, "what was answered is stored before")
	require.Empty(t, v.responses()[0].Email)
	form := v.body
	v.send(".skip=yes")
	require.Contains(t, v.text(), "Score 2")
	require.Empty(t, v.responses()[0].Email)
	v.body = form
	v.send(".c.email=orla%40fenhall.example&.c.tel=12&.consent=yes")
	require.Contains(t, v.text(), "Enter a phone number with its country code, such as +353 1 496 0123.")
	v.send(".c.email=orla%40fenhall.example&.c.tel=%2B353+1+496+0123")
	require.Contains(t, v.text(), "Tick the box to continue.")
	v.send(".c.email=orla%40fenhall.example&.c.tel=%2B353+1+496+0123&.consent=yes")
	require.Contains(t, v.text(), "Thank you, we’ve received it.")
	list := v.responses()
	require.Len(t, list, 1)
	require.Equal(t, "orla@fenhall.example", list[0].Email)
	require.JSONEq(t, `{"email":"orla@fenhall.example","tel":"+35314960123"}`, string(list[0].Contact))
	require.Equal(t, "Yes, write.", list[0].Consent)
	require.NotNil(t, list[0].ConsentAt)
	v.body = form
	v.send(".c.email=else%40fenhall.example&.consent=yes")
	require.Equal(t, "orla@fenhall.example", v.responses()[0].Email, "the first stays")
}

func TestReviewAfterEachPageAndRetakes(t *testing.T) {
	v := newVisit(t, tiny+`"settings":{"review":"each_page","retakes":1,"show_score":true},"outcomes":[{"id":"o","heading":"End","ending":{"kind":"page"}}],"otherwise":"o"`)
	v.get("/q/pages")
	v.send("q=b")
	require.Contains(t, v.text(), "✗ Incorrect")
	require.Contains(t, v.text(), "Correct answer: A")
	require.Contains(t, v.text(), "Because.")
	v.send("")
	require.Contains(t, v.text(), "0 / 2")
	again := regexp.MustCompile(`href="(/q/pages\?again=[^"]+)"`).FindStringSubmatch(v.body)
	require.NotNil(t, again)
	v.get(html.UnescapeString(again[1]))
	v.send("q=a")
	require.Contains(t, v.text(), "✓ Correct")
	v.send("")
	require.NotContains(t, v.body, "again=", "once is enough")
	require.Len(t, v.responses(), 2)
}

// A retake came from where the first walk came from: its source, how it was reached, and the parameters that the quiz
// keeps.
func TestARetakeKeepsItsSource(t *testing.T) {
	v := newVisit(t, tiny+`"settings":{"retakes":2},"params":["utm_campaign"],"outcomes":[{"id":"o","heading":"End","ending":{"kind":"page"}}],"otherwise":"o"`)
	v.get("/q/pages?utm_source=newsletter&utm_campaign=spring&qr=1&other=x")
	v.send("q=b")
	again := regexp.MustCompile(`href="(/q/pages\?again=[^"]+)"`).FindStringSubmatch(v.body)
	require.NotNil(t, again)
	v.get(html.UnescapeString(again[1]))
	v.send("q=a")
	list := v.responses()
	require.Len(t, list, 2)
	for _, r := range list {
		require.Equal(t, "newsletter", r.Source)
		require.Equal(t, tallies.WayQR, r.Way)
		require.JSONEq(t, `{"utm_campaign":"spring"}`, string(r.Params))
	}
}

func TestSectionsAsPages(t *testing.T) {
	v := newVisit(t, `"settings":{"pages":"sections"},"sections":[{"id":"p","heading":"First part","text":"Words."}],"questions":[
	{"id":"a","kind":"single","section":"p","required":true,"text":"A?","choices":[{"id":"x","label":"X"},{"id":"y","label":"Y"}]},
	{"id":"b","kind":"short_text","section":"p","required":true,"text":"B?","visible_if":{"fact":"answer.a","op":"is","value":"x"}},
	{"id":"c","kind":"short_text","text":"C, {b|nothing}?"}],"outcomes":[{"id":"o","heading":"End {b|none}","ending":{"kind":"page"}}],"otherwise":"o"`)
	v.get("/q/pages")
	require.Contains(t, v.text(), "First part Words.")
	require.NotContains(t, v.text(), "B?")
	fresh := v.body
	v.send("a=x&b=bee") // a form that does not say what it showed
	require.Contains(t, v.text(), "C, bee?")
	v.body = fresh
	v.send(".shown=a")
	require.Contains(t, v.text(), "Choose an answer")
	v.send(".shown=a&a=x")
	require.Contains(t, v.text(), "B?", "it is asked on the same page")
	require.NotContains(t, v.text(), "Enter an answer", "and nothing is wrong yet")
	v.send(".shown=a+b&a=x&b=")
	require.Contains(t, v.text(), "Enter an answer")
	v.send(".shown=a+b&a=x&b=bee")
	require.Contains(t, v.text(), "C, bee?")
	back := regexp.MustCompile(`class="back" href="([^"]+)"`).FindStringSubmatch(v.body)
	v.get("/q/pages" + html.UnescapeString(back[1]))
	require.Contains(t, v.body, `value="bee"`)
	v.send(".shown=a+b&a=y&b=bee")
	require.Contains(t, v.text(), "C, nothing?", "what is not asked counts for nothing")
	back = regexp.MustCompile(`class="back" href="([^"]+)"`).FindStringSubmatch(v.body)
	v.get("/q/pages" + html.UnescapeString(back[1]))
	require.NotContains(t, v.text(), "B?")
	v.send(".shown=a&a=x")
	require.Contains(t, v.body, `value="bee"`, "and comes back when it is asked again")
	v.send(".shown=a+b&a=x&b=bee")
	v.send("c=")
	require.Contains(t, v.text(), "End bee")
}

// A respondent sees shuffled answers in the same order whenever they come back; pinned ones stay; others see other
// orders.
func TestShufflingKeepsPins(t *testing.T) {
	var choices []string
	for _, id := range strings.Split("abcdefghij", "") {
		pin := ""
		if id == "j" {
			pin = `,"pinned":true`
		}
		choices = append(choices, `{"id":"`+id+`"`+pin+`}`)
	}
	v := newVisit(t, `"questions":[{"id":"q","kind":"single","shuffle":true,"text":"Q","choices":[`+strings.Join(choices, ",")+`]}],"outcomes":[{"id":"o"}],"otherwise":"o"`)
	order := func(body string) string {
		var out string
		for _, m := range regexp.MustCompile(`value="([a-j])"`).FindAllStringSubmatch(body, -1) {
			out += m[1]
		}
		return out
	}
	seen := map[string]bool{}
	for range 12 {
		v.get("/q/pages")
		first := order(v.body)
		require.Len(t, first, 10)
		require.Equal(t, "j", first[9:])
		token := sealed.FindStringSubmatch(v.body)[1]
		v.get("/q/pages?w=" + token)
		require.Equal(t, first, order(v.body))
		seen[first] = true
	}
	require.Greater(t, len(seen), 6)
}

// The owner's tag runs in a frame that is sealed off, and only on an ending that has an event.
func TestTheTagIsSealedOff(t *testing.T) {
	v := newVisit(t, tiny+`"settings":{"tag":"<script>hello()</script>"},"outcomes":[{"id":"o","event":"won","keep":true,"ending":{"kind":"page"}},{"id":"n","keep":false}],"otherwise":"o"`)
	v.get("/q/pages")
	v.send("q=a")
	frame := regexp.MustCompile(`<iframe[^>]* src="([^"]+)"[^>]*sandbox="allow-scripts"`).FindStringSubmatch(v.body)
	require.NotNil(t, frame)
	require.NotContains(t, v.body, "hello()", "never on the page itself")
	w := httptest.NewRecorder()
	v.h.ServeHTTP(w, httptest.NewRequest("GET", html.UnescapeString(frame[1]), nil))
	require.Contains(t, w.Body.String(), "<script>hello()</script>")
	require.Contains(t, w.Body.String(), `"event":"won"`)
	require.Contains(t, w.Header().Get("Content-Security-Policy"), "sandbox allow-scripts;")
	require.NotContains(t, w.Header().Get("Content-Security-Policy"), "allow-same-origin")
}

// Words of a section are filled with earlier answers too, also where each page has one question and is drawn ahead.
func TestSectionsAreFilledIn(t *testing.T) {
	v := newVisit(t, `"settings":{"pages":"sections"},"sections":[{"id":"a","heading":"You"},{"id":"b","heading":"Well, {n|friend}","text":"About *{n}*."}],"questions":[
	{"id":"n","kind":"short_text","text":"Name?","required":true,"section":"a"},{"id":"q","kind":"single","text":"Which?","section":"b","choices":[{"id":"x","label":"X"}]}],"outcomes":[{"id":"o"}],"otherwise":"o"`)
	v.get("/q/pages")
	v.send("n=Frieda")
	require.Contains(t, v.text(), "Well, Frieda")
	require.Contains(t, v.body, "About <em>Frieda</em>.")
}
