package e2e

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"omphalos/app/store/documents"
	"omphalos/core/quiz"
)

// troubled is a proxy before the program that delays, loses, doubles and replaces what passes it, from a seed.
type troubled struct {
	*httptest.Server
	mu   sync.Mutex
	rand *rand.Rand
	fate func(r *http.Request) string // of the next edit; "" for none
	saw  map[string]int
}

func newTroubled(t *testing.T, w *world) *troubled {
	t.Helper()
	to, err := url.Parse(w.URL)
	require.NoError(t, err)
	p := &troubled{rand: rand.New(rand.NewPCG(20260301, 7)), saw: map[string]int{}}
	pass := httputil.NewSingleHostReverseProxy(to)
	pass.FlushInterval = -1 // events are passed on at once
	pass.ErrorHandler = func(w http.ResponseWriter, _ *http.Request, _ error) { w.WriteHeader(http.StatusBadGateway) }
	p.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		p.mu.Lock()
		fate := ""
		if p.fate != nil && r.Method == http.MethodPost && strings.HasPrefix(r.URL.Path, "/quizzes/") {
			fate = p.fate(r)
		}
		p.saw[fate]++
		p.mu.Unlock()
		switch fate {
		case "html":
			w.Header().Set("Content-Type", "text/html")
			w.WriteHeader(http.StatusBadGateway)
			fmt.Fprint(w, "<h1>502 Bad Gateway</h1>")
		case "forbidden":
			w.WriteHeader(http.StatusForbidden)
			fmt.Fprint(w, "<h1>Forbidden</h1>")
		case "lost": // it arrives, and the answer does not
			pass.ServeHTTP(httptest.NewRecorder(), r)
			panic(http.ErrAbortHandler)
		case "unsent":
			panic(http.ErrAbortHandler)
		case "late":
			time.Sleep(80 * time.Millisecond)
			pass.ServeHTTP(w, r)
		default:
			pass.ServeHTTP(w, r)
		}
	}))
	t.Cleanup(p.Close)
	return p
}

// set chooses what happens to edits from now on.
func (p *troubled) set(fate func(r *http.Request) string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.fate = fate
}

// typeInto types words into the field of a place and leaves it, without waiting for what becomes of them.
func (b *tab) typeInto(path, text string) {
	b.Helper()
	b.eval(fmt.Sprintf(`(() => {
		const el = document.querySelector('[data-do][data-at="%s"]');
		el.focus();
		el.value = %s;
		for (const type of ["input", "change"]) el.dispatchEvent(new Event(type, { bubbles: true }));
		return "typed";
	})()`, path, quote(text)))
}

// A page of a proxy in place of an answer is no loss: the edit waits, says why, and is stored once.
func TestAnAnswerOfSomebodyElseIsNoAnswer(t *testing.T) {
	w := start(t, true)
	p := newTroubled(t, w)
	id := quizID(t, w)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(p.URL + "/quizzes/" + id + "/script")
	b.has("7 questions")
	for fate, says := range map[string]string{"html": "502", "forbidden": "403", "lost": "you’re offline", "unsent": "you’re offline"} {
		b.settled()
		p.set(func(*http.Request) string { return fate })
		text := "Asked through " + fate + "?"
		b.typeInto("/questions/0/text", text)
		b.has(says)
		b.has("your changes are kept")
		p.set(nil)
		b.settled()
		require.Equal(t, text, draft(t, w, id).Questions[0].Text)
	}
	log := edits(t, w, id)
	require.Len(t, log, 4, "each was made once")
}

// Who is signed out meanwhile signs in over the page, and what they did is stored.
func TestSignedOutInBetween(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/script")
	b.has("7 questions")
	b.run(network.ClearBrowserCookies())
	b.typeInto("/questions/0/text", "Asked while signed out?")
	b.has("You are signed out")
	b.set("#signin-password", "wrong password")
	b.click("#signin button")
	b.has("The email address or password is wrong")
	b.set("#signin-password", password)
	b.click("#signin button")
	b.settled()
	require.Equal(t, "Asked while signed out?", draft(t, w, id).Questions[0].Text)
}

// Words that are typed, the page loaded again, and words that are typed again: both are kept.
func TestTypedLoadedTypedAgain(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 800)
	b.signIn(w)
	script := w.URL + "/quizzes/" + id + "/script"
	b.goTo(script)
	b.has("7 questions")
	b.focus(`[data-do][data-at="/questions/0/text"]`)
	b.eval(`(() => { const el = document.activeElement; el.value = "First?"; el.dispatchEvent(new Event("input", { bubbles: true })); location.reload(); return "x"; })()`)
	b.wait(`document.querySelector('[data-do][data-at="/questions/0/text"]')?.value === "First?" || document.querySelector("[data-saved]")?.textContent === "saved"`)
	b.fill(`[data-do][data-at="/questions/1/text"]`, "Second?")
	b.settled()
	for end := time.Now().Add(patience); draft(t, w, id).Questions[0].Text != "First?" && time.Now().Before(end); {
		time.Sleep(50 * time.Millisecond)
	}
	d := draft(t, w, id)
	require.Equal(t, []string{"First?", "Second?"}, []string{d.Questions[0].Text, d.Questions[1].Text})
}

// Two deletions in the time of one end the lines that were meant.
func TestTwoQuickDeletions(t *testing.T) {
	w := start(t, true)
	p := newTroubled(t, w)
	id := quizID(t, w)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(p.URL + "/quizzes/" + id + "/verdicts")
	b.has("How answers decide the outcome")
	p.set(func(*http.Request) string { return "late" })
	before := draft(t, w, id)
	require.GreaterOrEqual(t, len(before.Verdicts[1].Bands.Cuts), 3)
	b.eval(`(() => { const drops = [...document.querySelectorAll('button[data-do="act:drop"][aria-label^="Delete the cut point"]')].slice(0, 2); for (const el of drops) el.click(); return String(drops.length); })()`)
	b.settled()
	after := draft(t, w, id)
	require.Equal(t, before.Verdicts[1].Bands.Cuts[2:], after.Verdicts[1].Bands.Cuts)
}

// Two people type into one field: it shows what is stored, and what the later one typed stands below it until it is
// used.
func TestTwoPeopleInOneField(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	first, second := open(t, 1280, 800), open(t, 1280, 800)
	for _, b := range []*tab{first, second} {
		b.signIn(w)
		b.goTo(w.URL + "/quizzes/" + id + "/script")
		b.has("7 questions")
	}
	field := `[data-do][data-at="/questions/0/text"]`
	first.focus(field)
	first.eval(`document.activeElement.select()`)
	first.press("Mine?")
	second.typeInto("/questions/0/text", "Theirs?")
	second.settled()
	first.has("Theirs?") // told by the server, next to what is being typed
	require.Equal(t, "Mine?", first.eval(`document.querySelector(`+quote(field)+`).value`), "what is being typed stays")
	first.press(tabKey)
	first.has("Yours: “Mine?”")
	require.Equal(t, "Theirs?", first.eval(`document.querySelector(`+quote(field)+`).value`))
	require.Equal(t, "Theirs?", draft(t, w, id).Questions[0].Text)
	first.click(".clash button", "Use mine")
	first.settled()
	require.Equal(t, "Mine?", draft(t, w, id).Questions[0].Text)
	second.wait(`document.querySelector(` + quote(field) + `).value === "Mine?"`)
	require.Equal(t, "0", first.eval(`String(document.querySelectorAll(".clash").length)`))
}

// Someone deletes a question while another window adds an answer to it: the window says so, and shows the text that it
// could not store.
func TestTextForADeletedQuestionIsShown(t *testing.T) {
	w := start(t, true)
	p := newTroubled(t, w)
	id := quizID(t, w)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(p.URL + "/quizzes/" + id + "/script")
	b.has("7 questions")
	b.focus(`[data-do][data-at="/questions/1/choices/3/label"]`)
	p.set(func(*http.Request) string { return "unsent" })
	b.press(enter)
	b.press("Lamps at night")
	require.NoError(t, theirs(t, w, id, quiz.Patch{quiz.Remove("/questions/1")}))
	p.set(nil)
	b.has("no longer exists")
	b.has("You typed “Lamps at night”")
}

// What is pressed before the scripts of a page have come is pressed again once they have.
func TestPressedBeforeTheScriptsCome(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	late := newLateScripts(t, w)
	b := open(t, 1280, 800)
	b.signIn(w)
	before := len(draft(t, w, id).Verdicts)
	b.eval(`(location.href = ` + quote(late.URL+"/quizzes/"+id+"/verdicts") + `, "going")`)
	b.wait(`location.pathname.endsWith("/verdicts") && [...document.querySelectorAll("button[data-do]")].some((el) => el.textContent.trim() === "Rule") && !!window.pressedEarly`)
	b.eval(`([...document.querySelectorAll("button[data-do]")].find((el) => el.textContent.trim() === "Rule").click(), "pressed")`)
	b.wait(`document.querySelectorAll(".line[data-order]").length === ` + fmt.Sprint(before+1))
	b.settled()
	require.Len(t, draft(t, w, id).Verdicts, before+1)

	// A name is typed over and its room left by a link, both before the scripts: the link waits for the text.
	b.eval(`(location.href = ` + quote(late.URL+"/quizzes/"+id+"/endings") + `, "going")`)
	b.wait(`location.pathname.endsWith("/endings") && !!document.querySelector("#o-name") && !!window.pressedEarly`)
	b.eval(`(document.querySelector("#o-name").focus(), document.querySelector("#o-name").select(), "chosen")`)
	b.press("Typed early")
	b.click(".rooms a", "Leads")
	b.wait(`location.pathname.endsWith("/leads")`)
	require.Eventually(t, func() bool { return draft(t, w, id).Outcomes[0].Name == "Typed early" }, patience, 20*time.Millisecond)
}

// A figure is typed into a line whose words are being stored, and the line is drawn in between: the figure is stored,
// and the focus goes where the keys say.
func TestFiguresTypedWhileTheirLineIsDrawn(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	var wait time.Duration
	slow := newSlowEdits(t, w, &wait)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(slow.URL + "/quizzes/" + id + "/script")
	b.settled()
	for i := range 12 {
		wait = time.Duration(i*10) * time.Millisecond
		figure := strconv.Itoa(i%8 + 2)
		b.focus(`[data-do][data-at$="/label"]`)
		b.press(kb.End, "x", kb.ArrowRight)
		b.wait(`document.activeElement === document.querySelector(".cell")`)
		b.press(figure, enter, kb.ArrowUp)
		b.settled()
		require.Equal(t, figure+" true", b.eval(`document.querySelector(".cell").textContent + " " + (document.activeElement === document.querySelector(".cell"))`), "%v", wait)
	}
}

// newLateScripts passes everything on, the modules of pages a second later.
func newLateScripts(t *testing.T, w *world) *httptest.Server {
	return newDelayed(t, w, func(path string) time.Duration {
		if strings.HasSuffix(path, ".js") && !strings.HasSuffix(path, "/early.js") {
			return time.Second
		}
		return 0
	})
}

// newSlowEdits passes everything on, edits after a wait that can be changed.
func newSlowEdits(t *testing.T, w *world, wait *time.Duration) *httptest.Server {
	return newDelayed(t, w, func(path string) time.Duration {
		if strings.HasSuffix(path, "/edits") {
			return *wait
		}
		return 0
	})
}

// newDelayed passes requests on after a delay by their path.
func newDelayed(t *testing.T, w *world, delay func(path string) time.Duration) *httptest.Server {
	t.Helper()
	to, err := url.Parse(w.URL)
	require.NoError(t, err)
	pass := httputil.NewSingleHostReverseProxy(to)
	pass.FlushInterval = -1
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		time.Sleep(delay(r.URL.Path))
		pass.ServeHTTP(w, r)
	}))
	t.Cleanup(s.Close)
	return s
}

// Two windows type at random into one quiz through a proxy that delays, loses and replaces answers. In the end both
// show what is stored, no edit is lost or made twice, and each undo took back only its own.
func TestTwoWindowsInTrouble(t *testing.T) {
	w := start(t, true)
	p := newTroubled(t, w)
	id := quizID(t, w)
	windows := []*tab{open(t, 1280, 800), open(t, 1280, 800)}
	for _, b := range windows {
		b.signIn(w)
		b.goTo(p.URL + "/quizzes/" + id + "/script")
		b.has("7 questions")
	}
	fates := []string{"", "", "", "late", "late", "html", "lost", "unsent"}
	p.set(func(*http.Request) string { return fates[p.rand.IntN(len(fates))] })
	r := rand.New(rand.NewPCG(3, 14))
	typed := map[string][]string{} // by place, in the order of one window
	for n := range 60 {
		b := windows[r.IntN(2)]
		i := r.IntN(4)
		text := fmt.Sprintf("Text %d?", n)
		if r.IntN(8) == 0 {
			b.eval(`(() => { document.querySelector("[data-do=undo]:not([disabled])")?.click(); return "x"; })()`)
			continue
		}
		path := fmt.Sprintf("/questions/%d/text", i)
		b.typeInto(path, text)
		typed[path] = append(typed[path], text)
	}
	p.set(nil)
	for _, b := range windows {
		b.settled()
	}
	now := draft(t, w, id)
	log := edits(t, w, id)
	ids := map[string]bool{}
	for _, rev := range log {
		require.False(t, ids[rev.EditID], "made twice")
		ids[rev.EditID] = true
		if rev.Kind == documents.KindUndo {
			i := slices.IndexFunc(log, func(r documents.Revision) bool { return r.Number == rev.Cancels })
			require.GreaterOrEqual(t, i, 0)
			require.Equal(t, rev.AccountID, log[i].AccountID)
		}
	}
	require.Greater(t, len(log), 20)
	require.Positive(t, p.saw["lost"]+p.saw["html"]+p.saw["unsent"])
	for _, b := range windows {
		for i := range 4 {
			b.wait(fmt.Sprintf(`document.querySelector('[data-do][data-at="/questions/%d/text"]').value === %s`, i, quote(now.Questions[i].Text)))
		}
	}
	text, err := w.Store.Documents.Quiz(id)
	require.NoError(t, err)
	_, err = quiz.ReadDraft(text.Document)
	require.NoError(t, err)
}

// edits are all that have been made of a quiz.
func edits(t *testing.T, w *world, id string) []documents.Revision {
	t.Helper()
	q, err := w.Store.Documents.Quiz(id)
	require.NoError(t, err)
	list, err := w.Store.Documents.EditsSince(q, 0)
	require.NoError(t, err)
	return list
}
