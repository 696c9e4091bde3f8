package e2e

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"net/http"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"omphalos/app/store/responses"
)

const shown = `!!document.querySelector("dialog[open]")`

// Two quizzes on one page: each grows with its content, tells the page of its first answer and of its end, and leaves
// alone what the other tells.
func TestTwoQuizzesOnOnePage(t *testing.T) {
	w := start(t, true)
	b := open(t, 1100, 900)
	b.goTo(w.Sites + "/ideas")
	b.wait(`[...document.querySelectorAll("iframe")].filter((f) => f.clientHeight > 200).length === 2`)
	first := b.withinThe("/q/living-wall")
	first.answerWall()
	b.wait(`document.getElementById("events").textContent.includes('omphalos:end {"quiz":"living-wall","outcome":"potted","event":"potted_start","lead":"')`)
	require.Equal(t, "1", b.eval(`document.getElementById("events").textContent.split("omphalos:begin").length - 1`), "the first answer is told once")
	b.goTo(w.Sites + "/ideas")
	second := b.withinThe("/q/watering")
	second.click("button", "Test me")
	second.click("label.choice")
	if second.eval(`!!document.querySelector("form[data-advance]")`) != "true" {
		second.click("form button")
	}
	b.wait(`document.getElementById("events").textContent.includes('omphalos:begin {"quiz":"watering"}')`)
	require.NotContains(t, b.text("#events"), "living-wall")
}

// Over a page: after some seconds, with the focus within; Esc, the cross and the ground close it, from within the quiz
// too; the focus goes back; and once closed it does not come again.
func TestAQuizComesOverAPage(t *testing.T) {
	w := start(t, true)
	b := open(t, 1100, 900)
	open := func() {
		b.goTo(w.Sites + "/offers")
		b.run(chromedp.Evaluate(`localStorage.clear()`, nil))
		b.goTo(w.Sites + "/offers")
		b.eval(`document.querySelector("header a").focus(), "x"`)
		b.wait(shown)
		b.wait(`document.querySelector("dialog iframe").clientHeight > 200`)
		require.Equal(t, "true", b.eval(`document.querySelector("dialog").contains(document.activeElement)`))
	}
	closed := func(how string) {
		b.wait(`!document.querySelector("dialog")`)
		b.wait(`document.activeElement === document.querySelector("header a")`)
		require.Equal(t, "1", b.eval(`localStorage.length`), how)
	}
	open()
	for range 4 { // Tab goes round within it
		b.press("\t")
		require.Equal(t, "true", b.eval(`document.activeElement === document.body || document.querySelector("dialog").contains(document.activeElement)`))
	}
	b.press("\x1b")
	closed("Esc")
	open()
	b.click("dialog button")
	closed("the cross")
	open()
	b.run(chromedp.MouseClickXY(20, 500))
	closed("The quiz appears")
	open()
	b.within().click("button", "Start")
	b.within().has("How large")
	b.within().eval(`document.querySelector("input[type=radio]").focus(), "x"`)
	b.run(chromedp.ActionFunc(b.pressEscapeWithin))
	closed("Esc within the quiz")

	b.goTo(w.Sites + "/offers")
	b.run(chromedp.Sleep(3 * time.Second))
	require.Equal(t, "false", b.eval(`!!document.querySelector("dialog")`), "once closed it does not come again")
}

// After reading, along the edge, on a phone, and under a strict policy.
func TestTheOtherWaysOfTheKit(t *testing.T) {
	w := start(t, true)
	b := open(t, 1100, 900)
	b.goTo(w.Sites + "/guide")
	b.run(chromedp.Sleep(1 * time.Second))
	require.Equal(t, "false", b.eval(`!!document.querySelector("dialog")`), "nothing is read yet")
	b.run(chromedp.ActionFunc(scrollDown))
	b.wait(shown)

	b.goTo(w.Sites + "/news")
	b.click(`[role="region"] button`, "How well do you water?")
	b.wait(shown)
	b.press("\x1b")
	b.wait(`!document.querySelector("dialog")`)
	b.click(`[role="region"] [aria-label="Close"]`)
	b.wait(`!document.querySelector('[role="region"]')`)
	b.goTo(w.Sites + "/news")
	b.run(chromedp.Sleep(1 * time.Second))
	require.Equal(t, "false", b.eval(`!!document.querySelector('[role="region"]')`))
	b.quiet()

	strict := open(t, 1100, 900)
	strict.goTo(w.Sites + "/strict")
	strict.wait(shown)
	strict.within().answerWall()
	strict.wait(`location.pathname !== "/strict" || document.querySelector("dialog")`)
	strict.quiet()

	phone := open(t, 390, 800)
	phone.goTo(w.Sites + "/news")
	phone.run(chromedp.Sleep(1 * time.Second))
	require.Equal(t, "false", phone.eval(`!!document.querySelector('[role="region"]')`), "off on phones")
	phone.goTo(w.Sites + "/guide")
	phone.run(chromedp.ActionFunc(scrollDown))
	phone.wait(shown) // its line says: Also on phones
	phone.wait(`document.documentElement.scrollWidth <= innerWidth`)
}

// Where the quiz is closed or there is none, the page is as it would be without it.
func TestAPageWhoseQuizIsClosedIsUntouched(t *testing.T) {
	w := start(t, true)
	b := open(t, 1100, 900)
	b.goTo(w.Sites + "/out-of-reach")
	b.run(chromedp.Sleep(1 * time.Second))
	require.Equal(t, "0", b.eval(`document.querySelectorAll("iframe, dialog").length`))
	b.goTo(w.Sites + "/ideas")
	b.wait(`[...document.querySelectorAll("iframe")].filter((f) => f.clientHeight > 200).length === 2`)
	q, err := w.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	require.NoError(t, w.Store.Responses.SetAccess(q.ID, func(a *responses.Access) { a.Paused = true }))
	b.goTo(w.Sites + "/ideas")
	b.wait(`[...document.querySelectorAll("iframe")].filter((f) => f.clientHeight > 200).length === 1`)
	require.Contains(t, b.eval(`document.querySelector("iframe").src`), "/q/watering")
}

// A line that Launch shows is pasted into a page of the site: the bar there has the colours of the quiz.
func TestALineIsPastedOnASite(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/launch?part=edge")
	b.wait(`document.querySelector("[data-kitsample]").contentDocument?.querySelector('[role="region"]')`)
	colours := `(() => { const s = getComputedStyle(%s); return s.backgroundColor + " " + s.color; })()`
	sample := b.eval(fmt.Sprintf(colours, `document.querySelector("[data-kitsample]").contentDocument.querySelector('[role="region"]')`))
	line := b.text("[data-kitline]")
	b.goTo(w.Sites + "/paste")
	b.put("#line", line)
	b.click("button", "Put it")
	b.wait(`document.querySelector('[role="region"]')`)
	require.Equal(t, sample, b.eval(fmt.Sprintf(colours, `document.querySelector('[role="region"]')`)), "as the sample showed it")
	require.NotContains(t, sample, "rgb(34, 38, 43)", "those of the quiz, not of the program")
	b.click(`[role="region"] button`)
	b.wait(`document.querySelector("dialog[open] iframe").clientHeight > 200`)
}

// The kit weighs less than 4 kB over the wire.
func TestTheKitIsSmall(t *testing.T) {
	w := start(t, false)
	r, err := http.Get(w.URL + "/kit.js")
	require.NoError(t, err)
	defer r.Body.Close()
	text, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	require.Contains(t, string(text), "data-quiz")
	var small bytes.Buffer
	z := gzip.NewWriter(&small)
	_, err = z.Write(text)
	require.NoError(t, err)
	require.NoError(t, z.Close())
	require.Less(t, small.Len(), 4<<10)
}

// pressEscapeWithin presses Esc where the focus is, in whatever frame.
func (b *tab) pressEscapeWithin(ctx context.Context) error {
	for _, kind := range []input.KeyType{input.KeyRawDown, input.KeyUp} {
		if err := input.DispatchKeyEvent(kind).WithKey("Escape").WithCode("Escape").WithWindowsVirtualKeyCode(27).Do(ctx); err != nil {
			return err
		}
	}
	return nil
}

// scrollDown turns the wheel to the end of the page.
func scrollDown(ctx context.Context) error {
	return input.DispatchMouseEvent(input.MouseWheel, 300, 300).WithDeltaX(0).WithDeltaY(50000).Do(ctx)
}
