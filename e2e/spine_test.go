package e2e

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"omphalos/app/account"
	"omphalos/app/counting"
	"omphalos/app/edit"
	"omphalos/core/quiz"
)

// A quiz from nothing, with the mouse and the keyboard, to a redirected lead in the table and the export.
func TestFromTheFirstWordToARedirectedLead(t *testing.T) {
	w := start(t, false)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.has("Create your first quiz")
	b.click("[data-new]")
	b.wait(`document.activeElement.id === "newname"`)
	b.press("Winter light check", enter)
	b.has("What do you want to ask first?")
	b.has("Add a question to see who reaches each outcome")
	b.has("1 to fix before launch")

	b.click("button", "Single choice")
	b.wait(`document.activeElement.dataset.at === "/questions/0/text"`)
	b.press("How dark is the room?", enter)
	b.fill(`[data-do][data-at="/questions/0/choices/0/label"]`, "Dim all day")
	b.focus(`[data-do][data-at="/questions/0/choices/1/label"]`)
	b.press("Bright by noon", enter) // Enter adds the next answer
	b.wait(`document.activeElement.dataset.at === "/questions/0/choices/2/label"`)
	b.press("Pitch dark", tabKey)
	b.settled()
	// The ledger by keyboard: type, Enter goes down.
	b.click(".cell")
	b.press("2", enter, "5.5", enter, "-", "1", enter)
	b.settled()
	require.Equal(t, "2|5.5|-1", b.eval(`[...document.querySelectorAll(".cell")].map((c) => c.textContent).join("|")`))

	b.click("button", "Number")
	b.wait(`document.activeElement.dataset.at === "/questions/1/text"`)
	b.press("How many plants?", enter)
	b.settled()
	b.click(`[data-settings="q2"]`)
	b.fill("#to-q2", "20")
	b.fill("#unit-q2", "plants")
	b.focus(`tbody[data-at="/questions/1"] .cell`)
	b.press("1", enter)
	b.settled()
	b.choose("#contact-place", "before the outcome")
	b.click("label", "consent")
	b.settled()

	// Undo takes the last edit back, redo makes it again.
	b.has("Consent text")
	b.click(`[data-do="undo"]`)
	b.wait(`!document.body.innerText.includes("Consent text")`)
	b.click(`[data-do="redo"]`)
	b.has("Consent text")
	require.False(t, draft(t, w, onlyQuiz(t, w)).Contact.Consent.Required, "consent is free unless it is made required")
	b.click(`[data-at="/contact/consent/required"]`)
	b.settled()

	b.click(".rooms a", "Endings")
	b.wait(previewed(`page.querySelector("[data-ready]")`))
	b.eval(previewed(`page.querySelector("h1").focus(), "x"`))
	b.wait(previewed(`page.activeElement.tagName === "TEXTAREA"`))
	b.press("Not yet", enter)
	b.settled()
	b.fill("#o-name", "Wait")
	b.click("button", "outcome")
	b.wait(`document.querySelector("#o-name")?.value === "Outcome 2"`)
	b.fill("#o-name", "Call")
	b.choose("#o-kind", "Redirect")
	b.wait(`!!document.querySelector("#o-url")`)
	b.fill("#o-url", "javascript:alert(1)")
	b.has("The address must start with https:// or http://")
	b.click("button", "Close")
	b.fill("#o-url", w.Sites+"/booking{?q1,scale.score,lead.id}")
	b.settled()

	b.click(".rooms a", "Verdicts")
	b.click("button", "Cut points on a scale")
	b.wait(`document.activeElement.dataset.at === "/verdicts/0/bands/cuts/0/from"`)
	b.fill(`[data-do][data-at="/verdicts/0/bands/cuts/0/from"]`, "6")
	b.choose(`[data-at="/verdicts/0/bands/cuts/0/outcome"]`, "Call")
	b.has("Score: from 6 Call")

	b.click("#state a", "Launch")
	b.has("Launch version 1")
	require.Equal(t, "winter-light-check", b.eval(`document.querySelector("#slug").value`))
	b.click("button", "Launch version 1")
	b.has("Version 1 is live")
	b.quiet()

	phone := open(t, 390, 780)
	phone.goTo(w.URL + "/q/winter-light-check?utm_source=newsletter")
	phone.click("label", "Bright by noon") // continues by itself
	phone.has("How many plants?")
	phone.put("#a-q2", "21")
	phone.click("button", "Continue")
	phone.has("Enter a number from 0 to 20 plants.")
	phone.set("#a-q2", "3")
	phone.click("button", "Continue")
	phone.has("Email")
	phone.put(`input[autocomplete="name"]`, "=cmd|Quill")
	phone.put(`input[type="email"]`, "orla@fenhall.example")
	phone.click("button", "See your result")
	phone.has("Tick the box to continue.")
	phone.wait(`document.querySelector('input[type="checkbox"]')?.checkVisibility()`)
	require.Equal(t, "orla@fenhall.example", phone.eval(`document.querySelector('input[type="email"]').value`))
	phone.click("label", "You may contact me about this result")
	phone.click("button", "See your result")
	phone.has("Book a site visit")
	require.True(t, strings.HasPrefix(phone.eval(`location.href`), w.Sites+"/booking?q1=Bright%20by%20noon&scale.score=8.5&lead.id="), phone.eval(`location.href`))
	phone.quiet()
	// Back after the end and sending again makes no second response.
	phone.eval(`history.back()`)
	phone.has("Email")
	phone.eval(`document.querySelector('input[type="email"]').value = "else@fenhall.example"`)
	phone.eval(`document.querySelector('input[type="checkbox"]').checked = true`)
	phone.eval(`document.querySelector("button").click()`)
	phone.has("Book a site visit")

	b.goTo(w.URL + "/")
	b.click("a.name", "Winter light check")
	b.click(".rooms a", "Leads")
	b.has("orla@fenhall.example")
	b.has("Score 8.5 is above the cut point 6")
	require.Equal(t, "1", b.eval(`String(document.querySelectorAll("tbody.rows tr").length)`))
	require.Contains(t, b.text("tbody.rows"), "newsletter")
	rows := export(t, w, b)
	require.Len(t, rows, 2)
	got := map[string]string{}
	for i, name := range rows[0] {
		got[name] = rows[1][i]
	}
	require.Equal(t, "8.5", got["scale.score"])
	require.Equal(t, "'=cmd|Quill", got["contact.name"])
	require.Equal(t, "Bright by noon", got["answer.q1"])
	require.Equal(t, "You may contact me about this result.", got["consent"])
	b.quiet()
}

// export reads the CSV with the browser's own session.
func export(t *testing.T, w *world, b *tab) [][]string {
	href := b.eval(`[...document.querySelectorAll("a[download]")][0].href`)
	ask, err := http.NewRequest("GET", href+"?as=both", nil) // ids in a second row
	require.NoError(t, err)
	ask.AddCookie(&http.Cookie{Name: account.CookieName(ask), Value: w.session(t)})
	r, err := http.DefaultClient.Do(ask)
	require.NoError(t, err)
	defer r.Body.Close()
	data, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	require.True(t, bytes.HasSuffix(data, []byte("\r\n")))
	rows, err := csv.NewReader(bytes.NewReader(data)).ReadAll()
	require.NoError(t, err)
	return rows[1:]
}

// Two windows on one quiz: the second edit is not lost and overwrites nothing.
func TestAStaleEditIsToldWhatChanged(t *testing.T) {
	w := start(t, true)
	q, err := w.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	one, two := open(t, 1280, 800), open(t, 1280, 800)
	for _, b := range []*tab{one, two} {
		b.signIn(w)
		b.goTo(w.URL + "/quizzes/" + q.ID + "/script")
	}
	one.fill(`[data-do][data-at="/questions/0/text"]`, "How big is the wall?")
	two.focus(`[data-do][data-at="/questions/1/text"]`)
	two.eval(`document.activeElement.select()`)
	two.press("How bright is it?", enter)
	two.has("Changed in another window: changed the text of question 1 “How big is the wall?”")
	require.Equal(t, "How big is the wall?", two.eval(`document.querySelector('[data-do][data-at="/questions/0/text"]').value`))
	two.wait(`document.querySelector('[data-do][data-at="/questions/1/text"]').value === "How bright is it?"`)
	two.settled()
	// The first window sees it by itself, and keeps what is being typed there.
	one.focus(`[data-do][data-at="/questions/2/text"]`)
	one.press(kb.End, " ", "h", "a", "l", "f")
	one.wait(`document.querySelector('[data-do][data-at="/questions/1/text"]').value === "How bright is it?"`)
	require.Equal(t, "Who makes the decision? half", one.eval(`document.activeElement.value`))
	one.press(kb.Escape)

	// The same place: the later edit is refused, told, and made again on request.
	err = theirs(t, w, q.ID, quiz.Patch{quiz.Add("/questions/0/text", "Theirs?")})
	require.NoError(t, err)
	two.fill(`[data-do][data-at="/questions/0/text"]`, "Mine?")
	two.has("Your last change isn’t saved yet")
	two.wait(`document.querySelector('[data-do][data-at="/questions/0/text"]').value === "Theirs?"`)
	two.has("Yours: “Mine?”")
	two.click("button", "Redo")
	two.wait(`document.querySelector('[data-do][data-at="/questions/0/text"]').value === "Mine?"`)
	two.settled()
	two.fill(`[data-do][data-at="/questions/0/text"]`, "How big is the wall?")
	now, err := w.Store.Documents.Quiz(q.ID)
	require.NoError(t, err)
	require.Contains(t, string(now.Document), "How big is the wall?")
	require.Contains(t, string(now.Document), "How bright is it?")
}

// plain is a respondent without scripts, styles or cookies.
type plain struct {
	*testing.T
	client *http.Client
	page   string
	at     *url.URL
}

func newPlain(t *testing.T) *plain {
	return &plain{T: t, client: &http.Client{CheckRedirect: func(r *http.Request, via []*http.Request) error {
		if len(via) > 0 && r.URL.Host != via[0].URL.Host {
			return http.ErrUseLastResponse // off to another site
		}
		return nil
	}}}
}

func (p *plain) take(r *http.Response, err error) {
	p.Helper()
	require.NoError(p, err)
	defer r.Body.Close()
	b, err := io.ReadAll(r.Body)
	require.NoError(p, err)
	p.page, p.at = string(b), r.Request.URL
	if to := r.Header.Get("Location"); to != "" {
		require.Equal(p, http.StatusSeeOther, r.StatusCode)
		p.at, err = url.Parse(to)
		require.NoError(p, err)
	}
}

var hidden = regexp.MustCompile(`name="w" value="([^"]+)"`)
var backLink = regexp.MustCompile(`class="back" href="([^"]+)"`)

func (p *plain) post(base string, fields ...string) {
	p.Helper()
	m := hidden.FindStringSubmatch(p.page)
	require.NotNil(p, m, p.page)
	form := url.Values{"w": {m[1]}}
	for i := 0; i < len(fields); i += 2 {
		form.Add(fields[i], fields[i+1])
	}
	p.take(p.client.PostForm(base, form))
}

func TestAPlainRespondentReachesEveryKindOfEnd(t *testing.T) {
	w := start(t, true)
	base := w.URL + "/q/living-wall"
	p := newPlain(t)
	p.take(p.client.Get(base + "?utm_source=fair&other=1"))
	require.Contains(t, p.page, "Start")
	p.post(base)
	require.Contains(t, p.page, "How large is the wall?")
	p.post(base)
	require.Contains(t, p.page, "Choose an answer")
	p.post(base, "area", "medium")
	p.post(base, "light", "bright")
	p.post(base, "decides", "two")
	require.Contains(t, p.page, "What’s your budget?")
	// Back, another answer that jumps over the budget, and back again: the answer given first is still there.
	m := backLink.FindStringSubmatch(p.page)
	require.NotNil(t, m)
	p.take(p.client.Get(base + strings.ReplaceAll(m[1], "&amp;", "&")))
	require.Regexp(t, `value="two" checked`, p.page)
	p.post(base, "decides", "committee")
	require.Contains(t, p.page, "When should it be ready?")
	p.post(base, "deadline", "year")
	p.post(base, "staff", "abc")
	require.Contains(t, p.page, "Enter a number, such as 1.")
	p.post(base, "staff", "")
	p.post(base, "country", "nl")
	require.Contains(t, p.page, "Email")
	p.post(base, ".c.name", `<script>alert(1)</script>`, ".c.email", "not an address")
	require.Contains(t, p.page, "Enter an email address")
	require.NotContains(t, p.page, "<script>alert")
	contact := p.page
	p.post(base, ".c.name", "Mira Tolk", ".c.email", "mira@glasswerk.example", ".consent", "yes")
	require.Contains(t, p.page, "Begin with pots") // 4 + 4 + 1 + 1 = 10
	require.Contains(t, p.page, "Look at the pots")
	end := p.at.String()
	require.Regexp(t, `/q/living-wall/end/`, end)
	before, err := w.Store.Tallies.QuizCounts(quizID(t, w), time.UTC)
	require.NoError(t, err)
	p.page = contact
	p.post(base, ".c.email", "second@glasswerk.example", ".consent", "yes")
	require.Contains(t, p.page, "Begin with pots")
	after, err := w.Store.Tallies.QuizCounts(quizID(t, w), time.UTC)
	require.NoError(t, err)
	require.Equal(t, before.Finishes, after.Finishes, "one walk makes one response")
	p.take(p.client.Get(end))
	require.Contains(t, p.page, "Begin with pots")

	// A branch straight to an outcome that keeps nothing: no contact step, and nothing but a count is stored.
	p = newPlain(t)
	p.take(p.client.Get(base))
	p.post(base)
	for _, a := range []string{"area large", "light sun", "decides me", "budget b3"} {
		id, choice, _ := strings.Cut(a, " ")
		p.post(base, id, choice)
	}
	require.Contains(t, p.page, "Nothing about you was stored.")
	final, err := w.Store.Tallies.QuizCounts(quizID(t, w), time.UTC)
	require.NoError(t, err)
	require.Equal(t, after.Finishes+1, final.Finishes)
	require.Equal(t, after.Leads, final.Leads)

	// A place that was changed on the way is no place.
	p.take(p.client.Get(base + "?w=" + strings.Repeat("A", 80)))
	require.Contains(t, p.page, "We’ve lost your place")
	p.take(p.client.PostForm(base, url.Values{"area": {"large"}}))
	require.Contains(t, p.page, "We’ve lost your place")
}

// A launch in the middle of a walk changes nothing for who has begun.
func TestARunningVersionNeverChanges(t *testing.T) {
	w := start(t, true)
	base := w.URL + "/q/living-wall"
	p := newPlain(t)
	p.take(p.client.Get(base))
	p.post(base)
	require.Contains(t, p.page, "How large is the wall?")

	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + quizID(t, w) + "/script")
	b.fill(`[data-do][data-at="/questions/1/text"]`, "Is it light there?")
	b.goTo(w.URL + "/quizzes/" + quizID(t, w) + "/launch")
	b.click("button", "Launch version 2")
	b.has("Version 2 is live")

	p.post(base, "area", "medium")
	require.Contains(t, p.page, "How much daylight reaches it?")
	fresh := newPlain(t)
	fresh.take(fresh.client.Get(base))
	fresh.post(base)
	fresh.post(base, "area", "medium")
	require.Contains(t, fresh.page, "Is it light there?")
}

// The pages work within a frame of another site that blocks its cookies: they need none.
func TestFramedOnAnotherSite(t *testing.T) {
	w := start(t, true)
	b := open(t, 900, 800)
	b.goTo(w.Sites + "/")
	b.eval(fmt.Sprintf(`(() => { const f = document.createElement("iframe"); f.src = %q; f.width = 500; f.height = 600; document.body.append(f); })()`, w.URL+"/q/living-wall"))
	b.wait(`document.querySelector("iframe") !== null`)
	before, err := w.Store.Tallies.QuizCounts(quizID(t, w), time.UTC)
	require.NoError(t, err)
	b.within().answerWall()
	for end := now().Add(patience); ; time.Sleep(50 * time.Millisecond) {
		after, err := w.Store.Tallies.QuizCounts(quizID(t, w), time.UTC)
		require.NoError(t, err)
		if after.Finishes == before.Finishes+1 {
			break
		}
		if now().After(end) {
			t.Fatalf("the walk in the frame has not finished\n%s", b.scene())
		}
	}
	r, err := http.Get(w.URL + "/q/living-wall")
	require.NoError(t, err)
	r.Body.Close()
	require.Empty(t, r.Header.Get("X-Frame-Options"))
	require.Len(t, r.Cookies(), 1, "one that tells browsers apart, and nothing else")
	require.Equal(t, "/q/", r.Cookies()[0].Path)
	require.Zero(t, r.Cookies()[0].MaxAge)
	framed, err := http.NewRequest("GET", w.URL+"/q/living-wall", nil)
	require.NoError(t, err)
	framed.Header.Set("Sec-Fetch-Dest", "iframe")
	in, err := http.DefaultClient.Do(framed)
	require.NoError(t, err)
	in.Body.Close()
	require.Contains(t, in.Header.Get("Set-Cookie"), "Secure; SameSite=None; Partitioned", "in a frame it is kept apart for the site around")
	require.Contains(t, r.Header.Get("Content-Security-Policy"), "frame-ancestors *")
	r, err = http.Get(w.URL + "/sign-in")
	require.NoError(t, err)
	r.Body.Close()
	require.Contains(t, r.Header.Get("Content-Security-Policy"), "frame-ancestors 'none'")
	b.quiet()
}

// theirs is an edit that someone else makes.
func theirs(t *testing.T, w *world, id string, patch quiz.Patch) error {
	t.Helper()
	_, err := edit.New(w.Store, counting.New(), time.Now).Apply(t.Context(), edit.Actor{Account: 1}, id, edit.Edit{Base: mustRevision(t, w, id), Patch: patch})
	return err
}
