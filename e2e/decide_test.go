package e2e

import (
	"encoding/json"
	"strconv"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// crossed makes the second Verdict line of the living wall a matrix, and keeps someone who does not end where they
// should.
func crossed(t *testing.T, w *world, id string) {
	t.Helper()
	edit := func(op, path, value string) quiz.Operation {
		return quiz.Operation{Op: op, Path: path, Value: json.RawMessage(value)}
	}
	require.NoError(t, theirs(t, w, id, quiz.Patch{
		edit("replace", "/verdicts/1", `{"matrix":{"across":{"on":"scale.fit","cuts":[0,8,18]},"down":{"on":"percent.urgency","cuts":[0,30,60]},
			"outcomes":[["later","later","pack"],["later","potted","visit"],["potted","pack","visit"]]}}`),
		edit("add", "/checks", `[{"id":"big","name":"Big wall, next month","answers":{"area":"medium","light":"bright","decides":"two","budget":"b10","deadline":"spring","staff":20,"country":"ie"},"expect":{"outcome":"visit"}}]`),
	}))
}

// crossCell is the cell of the row and column of a matrix; they count from 0 in the document, and from 1 in the
// drawing.
func crossCell(row, column string) string {
	next := func(n string) string { return strconv.Itoa(int(n[0]-'0') + 1) }
	return `.cross[data-down="` + next(row) + `"][data-across="` + next(column) + `"][data-cell]`
}

// draftOf is Latest draft stored.
func draftOf(t *testing.T, w *world, id string) *quiz.Document {
	t.Helper()
	q, err := w.Store.Documents.Quiz(id)
	require.NoError(t, err)
	d, err := quiz.ReadStored(q.Document)
	require.NoError(t, err)
	return d
}

func matrixOf(t *testing.T, w *world, id string) *quiz.Matrix {
	t.Helper()
	return draftOf(t, w, id).Verdicts[1].Matrix
}

// again does something until it has come to what holds: a machine that stands still between two letters has taken them
// for two marks, and a click goes by what is being drawn again.
func (b *tab) again(holds string, do func()) {
	b.Helper()
	for end := time.Now().Add(patience); time.Now().Before(end); {
		do()
		for range 20 {
			if b.eval("(() => { try { return String("+holds+") } catch { return \"\" } })()") == "true" {
				return
			}
			time.Sleep(100 * time.Millisecond)
		}
	}
	b.wait(holds)
}

// The cells of a matrix are painted and left open by keys and by mouse, and its cut points are moved on both edges.
func TestAMatrixIsPaintedAndCut(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	crossed(t, w, id)
	b := open(t, 1280, 1000)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/verdicts")
	cell := func(d, a string) string { return crossCell(d, a) }
	b.wait(`document.querySelector('` + cell("1", "1") + `')`)
	require.Contains(t, b.eval(`document.querySelector('`+cell("1", "1")+`').getAttribute("aria-label")`), "Start with pots")

	b.focus(cell("1", "1"))
	b.press(kb.ArrowRight)
	b.wait(`document.activeElement.dataset.down === "2" && document.activeElement.dataset.across === "3"`)
	label := func(d, a, says string) string {
		return `document.querySelector('` + cell(d, a) + `').getAttribute("aria-label").includes("` + says + `")`
	}
	choose := func(d, a string) {
		b.again(`document.querySelector('`+cell(d, a)+`').getAttribute("aria-pressed") === "true"`, func() { b.click(cell(d, a)) })
	}
	b.eval(`(() => {
		window.emptied = "never";
		const look = () => document.querySelector("[data-matrix] [data-cell]") || (window.emptied = "for a moment");
		new MutationObserver(look).observe(document.getElementById("room"), { childList: true, subtree: true });
		return "x";
	})()`)
	b.again(label("1", "2", "Planning pack"), func() { b.press("p", "p") })
	b.settled()
	require.Equal(t, "never", b.eval(`window.emptied`), "cells can be chosen while an edit is counted")
	require.Equal(t, "pack", matrixOf(t, w, id).Cell(1, 2))
	b.wait(`document.activeElement.dataset.down === "2" && document.activeElement.dataset.across === "3"`) // the focus stays there
	b.press(" ")
	b.wait(label("1", "2", "no outcome"))
	b.settled()
	require.Empty(t, matrixOf(t, w, id).Cell(1, 2))
	b.has("match no cell and continue to the next line")

	choose("0", "0")
	b.wait(`document.querySelector(".cellsays").textContent.includes("of all respondents")`)
	b.click(`[data-paint='"visit"']`)
	b.wait(label("0", "0", "Site visit"))

	across, down := `[data-edge="/verdicts/1/matrix/across/cuts/2"]`, `[data-edge="/verdicts/1/matrix/down/cuts/1"]`
	b.focus(across)
	b.has("Just above the cut point 18 on Fit, the next respondents have 18.")
	b.press(kb.ArrowLeft)
	b.wait(`document.querySelector('` + across + `').getAttribute("aria-valuenow") === "17"`)
	b.settled()
	require.Equal(t, "17", matrixOf(t, w, id).Across.Cuts[2].String())
	b.wait(`document.querySelector('` + down + `') && document.querySelector('` + cell("2", "0") + `')`) // counted, and drawn again
	b.drag(down+" path", cell("2", "0"))
	b.settled()
	b.wait(`Number(document.querySelector('` + down + `').getAttribute("aria-valuenow")) > 30`)
	cuts := matrixOf(t, w, id).Down.Cuts
	require.Positive(t, cuts[1].Cmp(cuts[0]))
	require.Negative(t, cuts[1].Cmp(cuts[2]))

	choose("1", "1")
	b.click(`.cellsays a`)
	b.wait(`location.pathname.endsWith("/paths") && document.querySelector("#said li")`)
	b.has("Fit from 8 to under 17, Urgency")
	b.has("of respondents land in this cell")
	b.quiet()
}

// A matrix is made with the keyboard alone, and levelled to wanted shares with one edit.
func TestAMatrixByKeyboardAndLevelled(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 1000)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/verdicts")
	b.wait(`document.querySelectorAll("[data-segment]").length > 0`)
	b.eval(`[...document.querySelectorAll("button.add")].find((e) => e.textContent.includes("Two scales crossed")).focus()`)
	b.press(kb.Enter)
	b.wait(`document.activeElement.dataset.at === "/verdicts/2/matrix/across/cuts/1"`)
	b.settled()
	b.focus(`[data-at="/verdicts/2"] .linetools button[aria-label^="Move line 3 up"], [data-at="/verdicts/2"] .linetools button[title*="up" i]`)
	b.press(kb.Enter)
	b.wait(`document.querySelector('[data-cell^="/verdicts/1/matrix"]')`)
	b.settled()
	b.focus(`.cross[data-down="1"][data-across="2"][data-cell]`)
	b.again(`document.querySelector('.cross[data-down="1"][data-across="2"][data-cell]').getAttribute("aria-label").includes("Planning pack")`,
		func() { b.press("p", "p") })
	b.settled()
	b.focus(`[data-at="/verdicts/1"] .level summary`)
	b.press(kb.Enter)
	for outcome, share := range map[string]string{"later": "30", "pack": "40", "visit": "30"} {
		b.put(`[data-level="2"] [name="`+outcome+`"]`, share)
	}
	b.focus(`[data-level="2"] [data-findlevel]`)
	b.press(kb.Enter)
	b.wait(`document.querySelector('[data-level="2"] [data-leveled] button')`)
	b.has("of the respondents who reach this line")
	before := matrixJSON(t, draftOf(t, w, id).Verdicts[1].Matrix)
	b.focus(`[data-level="2"] [data-leveled] button`)
	b.press(kb.Enter)
	b.wait(`!document.querySelector('[data-saved]').textContent.includes("saving")`)
	b.settled()
	require.NotEqual(t, before, matrixJSON(t, draftOf(t, w, id).Verdicts[1].Matrix))
	b.quiet()
}

func matrixJSON(t *testing.T, m *quiz.Matrix) string {
	t.Helper()
	text, err := json.Marshal(m)
	require.NoError(t, err)
	return string(text)
}

// A repair of a failing check is shown on the bar, taken as one edit, and undone.
func TestARepairIsShownAndTaken(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	crossed(t, w, id)
	b := open(t, 1280, 1000)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/verdicts")
	b.has("One check fails")
	b.has("get a different outcome: Site visit")
	before := b.text("#reach .bar")
	b.click(".repair")
	b.wait(`document.querySelector("#reach").classList.contains("previewing")`)
	require.NotEqual(t, before, b.text("#reach .bar"), "the bar shows it")
	b.click(".repair")
	b.wait(`!document.querySelector("#reach").classList.contains("previewing")`)
	require.Equal(t, before, b.text("#reach .bar"), "and goes back")
	revision := mustRevision(t, w, id)
	b.click("[data-takerepair]")
	b.settled()
	b.wait(`!document.querySelector(".mending")`)
	require.Equal(t, revision+1, mustRevision(t, w, id), "one edit")
	b.click(`[data-do="undo"]`)
	b.has("One check fails")

	for _, room := range []string{"rehearse", "launch"} {
		b.goTo(w.URL + "/quizzes/" + id + "/" + room)
		b.click("#room [data-takerepair]")
		b.settled()
		b.wait(`!document.querySelector("#room .mending")`)
		b.click(`[data-do="undo"]`)
		b.wait(`document.querySelector("#room .mending")`)
	}
	b.goTo(w.URL + "/quizzes/" + id + "/script")
	b.click("[data-findings]")
	b.click("#reach .repair")
	b.wait(`document.querySelector("#reach").classList.contains("previewing")`)
	b.click("#reach [data-takerepair]")
	b.settled()
	b.wait(`!document.querySelector("#reach .mending") && !document.querySelector("#reach .finding.error")`)
	b.quiet()
}

// A question that moves no one is left out with one edit, from the room that says what each does.
func TestWhatCouldGo(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 1000)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/paths")
	b.has("You can remove this question")
	b.has("100% of respondents still get the same outcome")
	b.has("How early the outcome is decided")
	b.click("#spare button", "Remove question")
	b.wait(`document.querySelectorAll(".map .stop").length === 8`) // six questions, the opening page and the verdicts
	b.settled()
	require.Len(t, draftOf(t, w, id).Questions, 6)
	b.click(`[data-do="undo"]`)
	b.wait(`document.querySelectorAll(".map .stop").length === 9`)
	b.quiet()
}

// A scale gets a norm from the responses, and an ending a chart, which its preview draws.
func TestANormAndAChart(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 1000)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/script")
	b.wait(`document.querySelectorAll("[data-segment]").length > 0`)
	norm := draftOf(t, w, id).Scales[0].Norm
	b.click(`[data-range="fit"] .colmenu > button`)
	b.click("button", "Set norm from responses so far")
	b.has("has a norm from")
	b.settled()
	require.NotEqual(t, norm, draftOf(t, w, id).Scales[0].Norm)

	b.goTo(w.URL + "/quizzes/" + id + "/endings?outcome=later")
	b.wait(`document.querySelectorAll("[data-segment]").length > 0`)
	b.click("button", "chart of scales")
	b.settled()
	b.wait(`document.querySelector("iframe").contentDocument.querySelectorAll("svg.chart .own").length === 2`)
	b.eval(`[...document.querySelectorAll("label")].find((e) => e.textContent.includes("percentile on Fit")).querySelector("input").click()`)
	b.settled()
	b.wait(`document.querySelector("iframe").contentDocument.querySelectorAll("svg.chart .own").length === 3`)
	require.Len(t, draftOf(t, w, id).Outcome("later").Ending.Charts[0].Of, 3)
	b.quiet()
}
