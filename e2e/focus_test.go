package e2e

import (
	"encoding/json"
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// Every control that makes an edit leaves the focus where the work continues, never on the page's body; so does going
// to a room. Each kind of control of each view is used once and undone.
func TestFocusStaysWithTheWork(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 900)
	b.signIn(w)
	used := 0
	kept := quiz.Operation{Op: "add", Path: "/checks", Value: json.RawMessage(`[{"id":"a","name":"A check","expect":{"outcome":"later"}},{"id":"b","expect":{"path":["area"]}}]`)}
	require.NoError(t, theirs(t, w, id, quiz.Patch{kept}))
	for _, view := range []string{
		"script?open=area&open=staff", "script?view=ledger", "verdicts", "paths", "endings", "endings?outcome=start",
		"endings?part=products", "endings?part=look", "rehearse", "launch", "launch?part=over", "launch?part=who", "launch?part=shared",
	} {
		b.goTo(w.URL + "/quizzes/" + id + "/" + view)
		b.wait(`document.querySelectorAll("[data-segment]").length > 0`)
		require.NotEqual(t, "BODY", b.eval(`document.activeElement.tagName`), view)
		b.eval(controlsOf)
		var names []string
		require.NoError(t, json.Unmarshal([]byte(b.eval(`JSON.stringify(Object.keys(controls()))`)), &names))
		for _, name := range names {
			b.wait(`document.querySelectorAll("[data-segment]").length > 0`)
			b.eval(controlsOf)
			quoted, err := json.Marshal(name)
			require.NoError(t, err)
			if b.eval(`controls()[`+string(quoted)+`] ? "there" : "gone"`) == "gone" {
				continue // another control's edit has taken it with it
			}
			b.eval(`(() => { const el = controls()[` + string(quoted) + `]; el.focus(); use(el); return "x"; })()`)
			b.settled()
			b.wait(`!document.querySelector("#reach.counting")`)
			t.Logf("%s: %s", view, name)
			b.wait(`document.activeElement !== document.body`)
			if b.eval(`document.querySelector("[data-do=undo]").disabled`) != "true" {
				b.eval(`(() => { document.querySelector("[data-do=undo]").click(); return "x"; })()`)
				b.settled()
			}
			used++
		}
	}
	require.Greater(t, used, 40)
	t.Logf("%d controls", used)
}

// controlsOf defines controls, one of each kind that makes an edit by what it is called without names and numbers, and
// use, which does what a hand does with one.
const controlsOf = `(() => {
	window.controls = () => {
		const out = {};
		for (const el of document.querySelectorAll("#room button[data-do]:not([data-advised] button):not([data-do='outcome.add']), #room select[data-do], #room input[type=checkbox][data-do]")) {
			if (el.disabled || !el.checkVisibility()) continue;
			if (el.tagName === "SELECT" && ![...el.options].some((o) => (o.dataset.patch || o.value) && !o.selected && !o.dataset.ask)) continue;
			const words = (el.getAttribute("aria-label") || el.closest("label")?.textContent || el.labels?.[0]?.textContent || el.textContent || el.name).replace(/\s+/g, " ").trim();
			const name = words.replace(/“[^”]*”/g, "…").replace(/\d+/g, "n").replace(/(Delete|Move|Without|Add) .*/, "$1").slice(0, 40) + " " + el.tagName;
			out[name] ||= el;
		}
		return out;
	};
	window.use = (el) => {
		if (el.tagName !== "SELECT") return el.click();
		el.selectedIndex = [...el.options].findIndex((o) => (o.dataset.patch || o.value) && !o.selected && !o.dataset.ask);
		el.dispatchEvent(new Event("change", { bubbles: true }));
	};
	return "x";
})()`

// Tab from an answer that was typed goes to the tools of its line, and stays there when the edit is drawn; the next one
// continues from there.
func TestTabFromATypedAnswerStaysInItsLine(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 900)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/script")
	b.wait(`document.querySelectorAll("[data-segment]").length > 0`)
	label := `[data-do][data-at="/questions/1/choices/1/label"]`
	line := `document.querySelector('` + label + `').closest("tr")`
	b.focus(label)
	b.press(kb.End, " ", "o", "r", " ", "s", "o", kb.Tab)
	b.settled()
	b.wait(`!document.querySelector("#reach.counting")`)
	require.Regexp(t, " or so$", draftOf(t, w, id).Questions[1].Choices[1].Label)
	b.wait(`document.activeElement.matches(".linetool button") && ` + line + `.contains(document.activeElement)`)
	b.press(kb.Tab)
	b.wait(`document.activeElement.matches("[value=twin]") && ` + line + `.contains(document.activeElement)`)
	b.quiet()
}
