package e2e

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// draft reads a quiz's draft as it is stored.
func draft(t *testing.T, w *world, id string) *quiz.Document {
	t.Helper()
	q, err := w.Store.Documents.Quiz(id)
	require.NoError(t, err)
	d, err := quiz.ReadDraft(q.Document)
	require.NoError(t, err)
	return d
}

// What stands next to and below a question: a branch next to its answer, conditions, a section, right answers, pictures
// of the sample library and of one's own, formulas with completion, a question of another quiz.
func TestWhatStandsBelowAQuestion(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/script")
	b.has("Exact: all 456,920 combinations of answers")

	// "Then go to …" next to an answer; what can never be said to hold is named while it is made.
	b.hover(`tbody[data-at="/questions/0"] tr.answer`)
	b.click(`tbody[data-at="/questions/0"] tr.answer [data-then]`)
	b.wait(`!!document.querySelector("select[aria-label='After this answer go to']")`)
	require.NotContains(t, b.eval(`[...document.querySelector("select[aria-label='After this answer go to']").options].map((o) => o.text).join("|")`), "1 How large", "branches lead forward only")
	b.choose("select[aria-label='After this answer go to']", "5 When should it be ready?")
	b.has("Then go to 5 When should it be ready?")
	d := draft(t, w, id)
	require.Equal(t, "question:deadline", d.Questions[0].Branches[0].Go)
	require.Equal(t, "answer.area", d.Questions[0].Branches[0].When.Fact)

	// Settings by keyboard; a condition to ask the question; a sentence reads it back.
	b.focus(`[data-do][data-at="/questions/4/text"]`)
	b.run(chromedp.KeyEvent(kb.Enter, chromedp.KeyModifiers(2)))
	b.wait(`!!document.querySelector("#settings-deadline .settings")`)
	b.click("#settings-deadline button", "Ask only if …")
	b.has("Asked only if “What’s your budget?” is Under €3,000")
	b.choose(`#settings-deadline [data-do="act:condition.op"][data-at="/questions/4/visible_if"]`, "is one of")
	b.click("#settings-deadline label", "Over €10,000")
	b.has("Asked only if “What’s your budget?” is one of Under €3,000, Over €10,000")
	b.click("#settings-deadline button", "And …")
	b.wait(`document.querySelectorAll("#settings-deadline .cond.group .cond").length === 2`)
	require.Len(t, draft(t, w, id).Questions[4].VisibleIf.All, 2)
	b.choose(`#settings-deadline [data-do="act:condition.fact"][data-at="/questions/4/visible_if/all/1"]`, "How large is the wall?")
	b.settled()
	require.Len(t, draft(t, w, id).Questions[4].VisibleIf.All, 2, "its own comparison is changed")
	b.choose(`#section-deadline`, "New section starting here")
	b.wait(`document.querySelector('[data-do][data-at="/sections/0/heading"]')?.value === "Section 1"`)
	require.Equal(t, "part1", draft(t, w, id).Questions[6].Section, "it goes on to the end")

	// A typo in a condition says so where it is made: two answers of one single choice.
	b.choose(`#settings-deadline [data-do="act:condition.fact"][data-at="/questions/4/visible_if/all/1"]`, "What’s your budget?")
	b.choose(`#settings-deadline [data-at="/questions/4/visible_if/all/1/value"], #settings-deadline [data-do][data-at="/questions/4/visible_if/all/1/value"]`, "€3,000 to €10,000")
	b.wait(`document.querySelector('[data-says="/questions/4/visible_if"]')?.textContent.includes("can never")`)
	b.click("#settings-deadline .cond.group > .flex button[aria-label='Remove the condition']")
	b.wait(`!document.body.innerText.includes("Asked only if")`)

	// Correct answers with a reason, a fill-in.
	b.click(`[data-do][data-at="/questions/4/choices/0/correct"]`)
	b.wait(`document.querySelector('tr[data-at="/questions/4/choices/0"]').textContent.includes("Correct")`)
	b.fill(`[data-do][data-at="/questions/4/choices/0/why"]`, "Roots grow in spring.")
	require.Equal(t, "Roots grow in spring.", draft(t, w, id).Questions[4].Choices[0].Why)

	// A picture of the sample library, by search; one of our own, with Describe the picture asked for.
	b.click("#settings-deadline .two .picture button", "Add picture")
	b.wait(`document.querySelectorAll("#picturepanel .pickpic").length > 10`)
	b.put("#picture-search", "watering")
	b.wait(`document.querySelectorAll("#picturepanel .pickpic").length < 5`)
	b.click("#picturepanel .pickpic")
	b.wait(`!!document.querySelector("#settings-deadline .picture img")`)
	d = draft(t, w, id)
	require.Contains(t, d.Questions[4].Image, "/samples/")
	require.NotEmpty(t, d.Questions[4].Alt)
	var own bytes.Buffer
	require.NoError(t, png.Encode(&own, image.NewRGBA(image.Rect(0, 0, 40, 30))))
	file := filepath.Join(t.TempDir(), "own.png")
	require.NoError(t, os.WriteFile(file, own.Bytes(), 0o600))
	b.click("#settings-deadline .two .picture button", "Change")
	b.wait(`!!document.querySelector("[data-upload]")`)
	b.run(chromedp.SetUploadFiles("[data-upload]", []string{file}, chromedp.ByQuery))
	b.wait(`document.querySelector("#settings-deadline .picture img")?.src.includes("/media/")`)
	require.Contains(t, draft(t, w, id).Questions[4].Image, "/media/")

	// A formula: names are completed, the value stands next to it, a typo is named.
	b.click("button", "Add computed value")
	b.wait(`document.activeElement.dataset.at === "/computed/0/formula"`)
	b.eval(`document.activeElement.select()`)
	b.press("round(ur")
	b.wait(`!!document.querySelector(".completions")`)
	b.press(tabKey, " * 2)", enter)
	b.settled()
	require.Contains(t, draft(t, w, id).Computed[0].Formula, "round(scale.urgency * 2)")
	b.wait(`document.querySelector("#sample-0").textContent.startsWith("= ")`)
	b.fill(`[data-do][data-at="/computed/0/formula"]`, "scale.fit +")
	b.wait(`document.querySelector('[data-says="/computed/0"]').textContent.length > 5`)

	// A question of another quiz comes with its weights.
	b.click("button", "Copy from another quiz")
	b.click("#others summary", "windowsill")
	b.click("#others button", "Honestly, how often will you water?")
	b.wait(`document.activeElement.dataset.at === "/questions/7/text"`)
	d = draft(t, w, id)
	require.Equal(t, "Honestly, how often will you water?", d.Questions[7].Text)
	require.NotEmpty(t, d.Keywords)
	require.Equal(t, "3", d.Questions[7].Choices[0].Votes["fern"].String())
	b.quiet()
}

// A Verdict line is turned off, a cut point moved by keys and by dragging, lines reordered by keys; advice is used.
func TestVerdictsByHand(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 900)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/verdicts")
	b.wait(`document.querySelectorAll(".cutpoint").length === 3`)
	require.Equal(t, "14.8%", b.text("#band-2-2"))
	b.eval(`document.querySelectorAll(".cutpoint")[2].focus()`)
	b.press(kb.ArrowLeft)
	b.wait(`document.querySelector("#band-2-2").textContent === "18.5%"`)
	b.wait(`document.activeElement.classList.contains("cutpoint")`)
	require.Equal(t, "17", draft(t, w, id).Verdicts[1].Bands.Cuts[2].From.String())
	b.click(`[data-do="undo"]`)
	b.wait(`document.querySelector("#band-2-2").textContent === "14.8%"`)

	// Dragged beyond its neighbour it stops one step above it.
	var at []float64
	b.run(b.evaluate(`(() => { const r = document.querySelectorAll(".cutpoint .catch")[2].getBoundingClientRect(); return [r.x + r.width / 2, r.y + 60]; })()`, &at))
	b.run(chromedp.MouseEvent("mousePressed", at[0], at[1], chromedp.ButtonLeft), chromedp.MouseEvent("mouseMoved", at[0]-60, at[1], chromedp.ButtonLeft), chromedp.MouseEvent("mouseMoved", at[0]-400, at[1], chromedp.ButtonLeft), chromedp.MouseEvent("mouseReleased", at[0]-400, at[1], chromedp.ButtonLeft))
	b.wait(`document.querySelectorAll(".cutpoint")[2]?.getAttribute("aria-valuenow") === "14"`)
	b.settled()
	require.Equal(t, "14", draft(t, w, id).Verdicts[1].Bands.Cuts[2].From.String())

	b.has("Use 17")
	b.click("button", "Use 17")
	b.wait(`document.querySelector("#band-2-2").textContent === "18.5%"`)

	// Switched off, the line decides nothing and stays; switched on again it does.
	b.click("[aria-label='Line 1 is on']")
	b.wait(`document.querySelector("#share-1").textContent === "off"`)
	require.True(t, draft(t, w, id).Verdicts[0].Off)
	b.click("[aria-label='Line 1 is on']")
	b.wait(`document.querySelector("#share-1").textContent === "23.1%"`)
	b.eval(`document.querySelectorAll(".line summary")[0].focus()`)
	b.eval(`document.activeElement.dispatchEvent(new KeyboardEvent("keydown", { key: "ArrowDown", altKey: true, bubbles: true, cancelable: true }))`)
	b.wait(`document.querySelector("#say-1").textContent.startsWith("Fit")`)

	// The shares that the team assumes, typed in place, count in every room.
	b.choose("#assume", "Spread as you expect")
	b.click("#reach button", "Edit shares")
	b.wait(`!!document.querySelector('[data-share="answers area large"]')`)
	b.eval(`(() => { const i = document.querySelector('[data-share="answers area large"]'); i.value = "100"; i.dispatchEvent(new Event("change", { bubbles: true })); })()`)
	b.wait(`!document.querySelector("#reach .bar").textContent.includes("14.8%") && document.querySelector("#share-1").textContent !== ""`)
	b.goTo(w.URL + "/quizzes/" + id + "/paths?outcome=visit")
	b.wait(`document.querySelector("#said")?.textContent.includes("of respondents end here")`)
	require.True(t, strings.Contains(b.text("#reach"), "Spread as you expect"))

	// An arc is selected and its rule edited next to the map; Escape selects nothing.
	b.goTo(w.URL + "/quizzes/" + id + "/paths")
	b.wait(`!!document.querySelector(".map a[href^='?arc']")`)
	b.eval(`[...document.querySelectorAll(".map a[href^='?arc=decides']")][0].dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true }))`)
	b.has("Example answers that lead here")
	b.choose(`#pathside [data-do="pick"][data-at$="/go"]`, "7 Where is the office?")
	b.wait(`location.search.includes("question:country")`)
	require.Equal(t, "question:country", draft(t, w, id).Questions[2].Branches[0].Go)
	b.press(kb.Escape)
	b.wait(`location.search === ""`)
	b.quiet()
}

// What stands in a list is changed where it stands: the ends of a range, a cell of a Decision table, the label of an
// end.
func TestValuesInListsAreReplaced(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	enrich(t, w, id)
	b := open(t, 1280, 900)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/verdicts?at=/verdicts/0")
	b.wait(`document.querySelectorAll(".cutpoint").length >= 3`)
	b.eval(`document.querySelectorAll(".line > details").forEach((d) => (d.open = true))`)
	b.fill(`[data-do][data-at="/verdicts/0/when/all/1/any/0/value/0"]`, "18")
	b.fill(`[data-do][data-at="/verdicts/0/when/all/1/any/0/value/1"]`, "24")
	b.fill(`[data-do][data-at="/verdicts/3/table/rows/1/cells/2"]`, "4, 5")
	b.eval(`(() => { const c = document.querySelector('[data-key="/verdicts/3/table/rows/0/cells/0"]'); c.open = true; [...c.querySelectorAll("input")][1].click(); })()`)
	b.settled()
	d := draft(t, w, id)
	between := d.Verdicts[0].When.All[1].Any[0].Value.List
	require.Len(t, between, 2)
	require.Equal(t, []string{"18", "24"}, []string{between[0].String(), between[1].String()})
	rows := d.Verdicts[3].Table.Rows
	require.Len(t, rows[1].Cells, 3)
	require.Len(t, rows[1].Cells[2], 2)
	require.Len(t, rows[0].Cells, 3)
	require.Len(t, rows[0].Cells[0], 2)
	require.Empty(t, d.Validate())
	b.quiet()
}

// doubleClick clicks twice in a row with the mouse on what a selector finds.
func (b *tab) doubleClick(selector string) {
	b.Helper()
	var at []float64
	b.run(b.evaluate(`(() => { const el = document.querySelector(`+quote(selector)+`); el.scrollIntoView({ block: "center" }); const r = el.getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2]; })()`, &at))
	b.run(chromedp.MouseClickXY(at[0], at[1]), chromedp.MouseClickXY(at[0], at[1], chromedp.ClickCount(2)))
}

// The tools of an answer stand in the line under the mouse and in the line with the focus: used by either, one after
// another.
func TestTheToolsOfAnAnswer(t *testing.T) {
	w := start(t, true)
	b := open(t, 1280, 900)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + quizID(t, w) + "/script")
	labels := func(want string) {
		b.Helper()
		b.wait(`[...document.querySelectorAll('tbody[data-at="/questions/0"] tr.answer textarea')].map((e) => e.value).join("|") === ` + quote(want))
	}
	line := func(n int) string { return fmt.Sprintf(`tbody[data-at="/questions/0"] tr.answer:nth-child(%d)`, n+2) }
	tools := `String(document.querySelectorAll("tr.answer [value=drop]").length)`
	labels("Under 5 m²|5 to 20 m²|More than 20 m²")
	require.Equal(t, "0", b.eval(tools))

	b.hover(line(0))
	b.click(line(0) + ` [data-do="line.tool"][value="twin"]`)
	labels("Under 5 m²|Under 5 m²|5 to 20 m²|More than 20 m²")
	b.settled()
	b.hover(line(1))
	b.click(line(1) + ` [data-do="line.tool"][value="twin"]`)
	labels("Under 5 m²|Under 5 m²|Under 5 m²|5 to 20 m²|More than 20 m²")
	b.settled()
	ids := map[string]bool{}
	for _, c := range draft(t, w, quizID(t, w)).Questions[0].Choices {
		ids[c.ID] = true
	}
	require.Len(t, ids, 5, "every twin has an id of its own")

	// A double click on the end of a line ends that line alone, and on the end of a question that question.
	b.hover(line(1))
	b.doubleClick(line(1) + ` [data-do="line.tool"][value="drop"]`)
	labels("Under 5 m²|Under 5 m²|5 to 20 m²|More than 20 m²")
	b.settled()
	b.doubleClick(`[aria-label="Delete question 7"]`)
	b.wait(`document.querySelectorAll("tbody.question").length === 6`)
	b.settled()
	b.run(chromedp.Sleep(300 * time.Millisecond)) // a second one would have gone by now
	require.Len(t, draft(t, w, quizID(t, w)).Questions, 6)
	b.click(`[data-do="undo"]`)
	b.wait(`document.querySelectorAll("tbody.question").length === 7`)
	b.click(`[data-do="undo"]`)
	labels("Under 5 m²|Under 5 m²|Under 5 m²|5 to 20 m²|More than 20 m²")

	// By keyboard: past the branch and the twin to the end of it, which leaves the focus on the line that follows.
	b.focus(line(4) + ` textarea`)
	b.hover(line(2))
	require.Equal(t, "2", b.eval(tools), "one set at the focus and one under the mouse")
	b.press(tabKey, tabKey, tabKey)
	require.Equal(t, "drop", b.eval(`document.activeElement.value`))
	b.press(enter)
	labels("Under 5 m²|Under 5 m²|Under 5 m²|5 to 20 m²")
	b.wait(`document.activeElement.dataset.at === "/questions/0/choices/3/label"`)
	b.run(chromedp.KeyEvent(kb.ArrowUp, chromedp.KeyModifiers(1)))
	labels("Under 5 m²|Under 5 m²|5 to 20 m²|Under 5 m²")
	b.wait(`document.activeElement.dataset.at === "/questions/0/choices/2/label"`)
	b.run(chromedp.KeyEvent(kb.ArrowDown, chromedp.KeyModifiers(1)), chromedp.KeyEvent(kb.ArrowDown, chromedp.KeyModifiers(1)))
	labels("Under 5 m²|Under 5 m²|Under 5 m²|5 to 20 m²")
	b.settled()

	// In the ledger alone the settings of a question are a key away too.
	b.goTo(w.URL + "/quizzes/" + quizID(t, w) + "/script?view=ledger")
	b.cell("/questions/1/choices/2", 0)
	b.run(chromedp.KeyEvent(kb.Enter, chromedp.KeyModifiers(2)))
	b.wait(`location.search.includes("open=light") && !!document.querySelector("#settings-light .settings")`)

	// What leads elsewhere keeps saying so, and offers no second branch.
	b.wait(`document.readyState === "complete" && !document.querySelector("[x-cloak]")`) // its scripts are there
	b.hover(`tbody[data-at="/questions/2"] tr.answer:nth-child(4)`)
	b.has("Then go to 5 When should it be ready?")
	require.Equal(t, "true", b.eval(`document.querySelector('tbody[data-at="/questions/2"] tr.answer:nth-child(4) .linetool [data-then]').hidden`))
	b.quiet()
}
