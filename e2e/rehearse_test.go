package e2e

import (
	"encoding/json"
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// stage is the document of one of the two frames: 0 the phone, 1 the desktop.
func stage(n int) string {
	return fmt.Sprintf(`document.querySelectorAll("iframe[data-stage]")[%d].contentDocument`, n)
}

// inStage clicks what has the words in a frame. The frames are scaled: the click is at the scaled place.
func (b *tab) inStage(n int, selector, words string) {
	b.Helper()
	at := fmt.Sprintf(`(() => {
		const frame = document.querySelectorAll("iframe[data-stage]")[%d];
		const el = [...frame.contentDocument.querySelectorAll(%s)].find((e) => e.textContent.includes(%s));
		if (!el || frame.contentDocument.readyState !== "complete") return [];
		el.scrollIntoView({ block: "nearest" });
		const box = el.getBoundingClientRect(), out = frame.getBoundingClientRect(), scale = out.width / frame.offsetWidth;
		return [out.x + (box.x + box.width / 2) * scale, out.y + (box.y + box.height / 2) * scale];
	})()`, n, quote(selector), quote(words))
	b.wait(at + `.length === 2`)
	b.run(chromedp.Sleep(150 * time.Millisecond))
	var to []float64
	b.run(chromedp.Evaluate(at, &to))
	b.run(chromedp.MouseClickXY(to[0], to[1]))
}

// both waits until both frames show the words.
func (b *tab) both(words string) {
	b.Helper()
	for n := range 2 {
		b.wait(fmt.Sprintf(`(%s.body?.innerText || "").includes(%s)`, stage(n), quote(words)))
	}
}

// One respondent in both frames, by the mouse in either and by the keyboard; next to them what counts; then kept as a
// check, and Create a check for each outcome.
func TestRehearsingToEveryOutcome(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	require.NoError(t, theirs(t, w, id, quiz.Patch{quiz.Remove("/checks")}))
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/rehearse")
	b.both("Answer seven questions in two minutes. You’ll get a plan for your wall, or an honest “not yet”")
	b.inStage(0, "button", "Start")
	b.both("How large is the wall?")
	b.inStage(1, "label", "5 to 20")
	b.both("How much daylight")
	b.wait(`document.getElementById("side").innerText.includes("Fit +4")`)
	b.wait(`document.getElementById("side").innerText.includes("6 to 22 possible")`)
	b.eval(stage(1) + `.querySelector("input[type=radio]").focus(), "x"`)
	b.press("2") // a number key chooses, as for respondents
	b.both("Who makes the decision?")
	b.wait(`document.getElementById("side").innerText.includes("Bright, no direct sun")`)

	marks := []string{"visit", "pack", "potted", "later"}
	for _, outcome := range marks {
		b.choose("#goto", b.eval(fmt.Sprintf(`document.querySelector('#goto option[value="outcome=%s"]').textContent`, outcome)))
		b.wait(`[...document.querySelectorAll("#side h2")].some((h) => h.textContent === "Outcome")`)
		name := b.eval(fmt.Sprintf(`document.querySelector('#goto option[value="outcome=%s"]').textContent`, outcome))
		b.wait(fmt.Sprintf(`document.querySelector("#side h2 + p b")?.textContent === %s`, quote(name)))
	}
	b.has("For a real respondent, nothing would be stored.") // the last keeps nothing
	b.click("#side form button", "Save as check")
	b.has("saved. It runs after every edit")
	b.wait(`document.querySelectorAll("#checks .keptline.holds").length === 1`)
	b.click("[data-propose=outcomes]")
	b.wait(`document.querySelectorAll("#checks .keptline.holds").length === 4`)
	b.click("[data-propose=cuts]")
	b.wait(`document.querySelectorAll("#checks .keptline.holds").length > 8`)
	b.click(`[data-go^="check="]`)
	b.wait(`[...document.querySelectorAll("#side h2")].some((h) => h.textContent === "Outcome")`)
	b.quiet()
}

// An edit that breaks a check is named with who made it; the launch is held back until it is fixed, accepted or
// turned off.
func TestABrokenCheckIsNamed(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	require.NoError(t, theirs(t, w, id, quiz.Patch{quiz.Remove("/checks")}))
	b := open(t, 1280, 800)
	b.signIn(w)
	at := w.URL + "/quizzes/" + id
	b.goTo(at + "/rehearse")
	b.both("Answer seven questions in two minutes. You’ll get a plan for your wall, or an honest “not yet”")
	b.click("[data-propose=outcomes]")
	b.wait(`document.querySelectorAll("#checks .keptline.holds").length === 4`)
	cut := quiz.Operation{Op: "add", Path: "/verdicts/1/bands/cuts/2/from", Value: json.RawMessage("25")}
	require.NoError(t, theirs(t, w, id, quiz.Patch{cut}))
	b.wait(`document.querySelectorAll("#checks .keptline.fails").length > 0`)
	b.wait(`/Since .*cut point 3.*by ada@larkmoor.example/i.test(document.getElementById("checks").innerText)`)
	b.wait(`document.getElementById("reach").innerText.includes("error")`)

	b.goTo(at + "/launch")
	b.has("fails")
	b.has("You can’t launch while a check fails. Fix the quiz, or go to Rehearse to accept the new result or turn the check off")
	b.click("button", "Launch version 2")
	b.wait(`document.querySelector("[role=alert].error")?.innerText.includes("fails")`)

	b.goTo(at + "/rehearse")
	b.click("button", "Accept new result")
	b.wait(`!document.querySelector("#checks .keptline.fails")`)
	b.click(`[data-do="undo"]`)
	b.wait(`document.querySelectorAll("#checks .keptline.fails").length > 0`)
	b.click(".keptline.fails [aria-label^='Turn off']")
	b.wait(`document.querySelectorAll("#checks .keptline.off").length === 1`)
	b.goTo(at + "/launch")
	b.has("checks pass")
	b.click("button", "Launch version 2")
	b.has("Version 2 is live")
}

// A change of the draft shows at the next step; a rehearsal of the phone alone works at 390 px.
func TestARehearsalShowsAnEditAtTheNextStep(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 390, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/rehearse")
	b.both("Answer seven questions in two minutes. You’ll get a plan for your wall, or an honest “not yet”")
	b.inStage(0, "button", "Start")
	b.both("How large is the wall?")
	text := quiz.Operation{Op: "add", Path: "/questions/1/text", Value: json.RawMessage(`"How light is it there?"`)}
	require.NoError(t, theirs(t, w, id, quiz.Patch{text}))
	b.inStage(0, "label", "5 to 20")
	b.both("How light is it there?")
	require.Equal(t, "true", b.eval(`document.documentElement.scrollWidth <= innerWidth`))
}

// What a check expects is edited in its line, and its answers by walking it otherwise.
func TestACheckIsEdited(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	require.NoError(t, theirs(t, w, id, quiz.Patch{quiz.Remove("/checks")}))
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/rehearse")
	b.both("Answer seven questions in two minutes. You’ll get a plan for your wall, or an honest “not yet”")
	b.click("[data-propose=outcomes]")
	b.wait(`document.querySelectorAll("#checks .keptline.holds").length === 4`)

	b.click("#checks details summary")
	b.wait(`document.querySelector("#checks details").open`)
	b.click("#checks details button", "exactly these")
	b.wait(`document.querySelector("#checks details").open && document.querySelector("#checks details").innerText.includes("Questions asked How large")`)
	other := b.eval(`[...document.querySelector("#checks details select").options].find((o) => !o.selected).textContent`)
	b.choose("#checks details select", other)
	b.wait(`document.querySelectorAll("#checks .keptline.fails").length === 1`)
	b.click("#checks details button", "Remove") // the outcome is not expected any more: the path still comes
	b.wait(`document.querySelectorAll("#checks .keptline.holds").length === 4`)
	require.Empty(t, b.document(w).Checks[0].Expect.Outcome)

	b.click(`#checks [data-go^="check="]`)
	b.wait(`!!document.querySelector("#side [data-instead]")`)
	name := b.document(w).Checks[0].Name
	b.choose("#goto", "1 How large is the wall?")
	b.both("How large is the wall?")
	b.wait(`!document.querySelector("#side [data-instead]")`)
	b.click(`#checks [data-go^="check="]`)
	b.wait(`!!document.querySelector("#side [data-instead]")`)
	b.set("#keepname", "Walked again")
	b.click("#side [data-instead]")
	b.has("saved. It runs after every edit")
	kept := b.document(w).Checks
	require.Len(t, kept, 4)
	require.Equal(t, "Walked again", kept[0].Name)
	require.NotEqual(t, name, kept[0].Name)
	require.NotEmpty(t, kept[0].Expect.Path, "what was expected is ticked")
	b.quiet()
}
