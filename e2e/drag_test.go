package e2e

import (
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// drag presses on one element, moves over another in steps as a hand does, and lets go.
func (b *tab) drag(from, to string) {
	b.Helper()
	centre := func(selector string) (x, y float64) {
		var at []float64
		b.run(b.evaluate(`(() => { const r = document.querySelector(`+quote(selector)+`).getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2]; })()`, &at))
		return at[0], at[1]
	}
	x0, y0 := centre(from)
	x1, y1 := centre(to)
	mouse := func(kind input.MouseType, x, y float64) chromedp.Action {
		m := input.DispatchMouseEvent(kind, x, y).WithButton(input.Left)
		if kind != input.MouseMoved || x != x0 {
			m = m.WithButtons(1)
		}
		return m.WithClickCount(1)
	}
	b.run(input.DispatchMouseEvent(input.MouseMoved, x0, y0), mouse(input.MousePressed, x0, y0))
	const steps = 12
	for i := 1; i <= steps; i++ {
		f := float64(i) / steps
		b.run(input.DispatchMouseEvent(input.MouseMoved, x0+(x1-x0)*f, y0+(y1-y0)*f).WithButton(input.Left).WithButtons(1), chromedp.Sleep(25*time.Millisecond))
	}
	b.run(chromedp.Sleep(150*time.Millisecond), input.DispatchMouseEvent(input.MouseReleased, x1, y1).WithButton(input.Left).WithClickCount(1))
}

// hover puts the mouse over a line of the script until its tools are there: what is counted meanwhile may move the line.
func (b *tab) hover(selector string) {
	b.Helper()
	at := fmt.Sprintf(`(() => { const el = document.querySelector(%s); el.scrollIntoView({ block: "center" }); const r = el.getBoundingClientRect(); return [r.x + 200, r.y + r.height / 2]; })()`, quote(selector))
	for end := time.Now().Add(patience); ; time.Sleep(50 * time.Millisecond) {
		var to []float64
		var there bool
		b.run(b.evaluate(at, &to))
		b.run(input.DispatchMouseEvent(input.MouseMoved, to[0]-3, to[1]), input.DispatchMouseEvent(input.MouseMoved, to[0], to[1]),
			b.evaluate(`!!document.querySelector(`+quote(selector+" [data-grip]")+`)`, &there))
		if there {
			return
		}
		if time.Now().After(end) {
			b.Fatalf("no tools in %s\n%s", selector, b.scene())
		}
	}
}

// Answers and questions are put in another order with the mouse, and undo puts them back.
func TestReorderingByDragging(t *testing.T) {
	w := start(t, true)
	b := open(t, 1280, 1000)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + quizID(t, w) + "/script")
	labels := `[...document.querySelectorAll('tbody[data-at="/questions/0"] tr.answer textarea')].map((e) => e.value).join("|")`
	require.Equal(t, "Under 5 m²|5 to 20 m²|More than 20 m²", b.eval(labels))
	b.hover(`tbody[data-at="/questions/0"] tr.answer:nth-child(2)`)
	b.drag(`tbody[data-at="/questions/0"] tr.answer:nth-child(2) [data-grip]`, `tbody[data-at="/questions/0"] tr.answer:nth-child(4)`)
	b.wait(labels + ` === "5 to 20 m²|More than 20 m²|Under 5 m²"`)
	b.settled()
	b.wait(`document.querySelector('tbody[data-at="/questions/0"] tr.answer:last-of-type .cell, tbody[data-at="/questions/0"] tr.answer:nth-child(4) .cell').textContent === "1"`) // its weight came along

	first := `document.querySelector('[data-do][data-at="/questions/0/text"]').value`
	b.drag(`tbody[data-at="/questions/1"] [data-drag]`, `tbody[data-at="/questions/0"] [data-drag]`)
	b.wait(first + ` === "How much daylight reaches it?"`)
	b.settled()
	b.click(`[data-do="undo"]`)
	b.wait(first + ` === "How large is the wall?"`)
	b.click(`[data-do="undo"]`)
	b.wait(labels + ` === "Under 5 m²|5 to 20 m²|More than 20 m²"`)

	// Verdict lines too, by their number.
	b.goTo(w.URL + "/quizzes/" + quizID(t, w) + "/verdicts")
	b.wait(`document.querySelectorAll(".cutpoint").length === 3`)
	b.drag(`.line[data-order]:nth-of-type(2) [data-grip]`, `.line[data-order]:nth-of-type(1) [data-grip]`)
	b.wait(`document.querySelector("#say-1").textContent.startsWith("Fit")`)
	b.settled()
	b.wait(`document.querySelector("#share-1").textContent.includes("%")`)
	b.click(`[data-do="undo"]`)
	b.wait(`document.querySelector("#say-2").textContent.startsWith("Fit")`)
	b.quiet()
}
