package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// within is an expression about the page that stands in the frame of Endings.
func previewed(expression string) string {
	return `(() => { const f = [...document.querySelectorAll("iframe[data-preview]")]; const page = f.length === 1 && f[0].contentDocument; return page && (` + expression + `); })()`
}

// The ending is edited where it is seen: what is typed into the page is stored as it was typed, and shown filled in. The
// page is the respondents' own, follows the draft, and runs no script.
func TestAnEndingIsTypedIntoItsPage(t *testing.T) {
	w := start(t, true)
	q, err := w.Store.Documents.QuizBySlug("windowsill")
	require.NoError(t, err)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + q.ID + "/endings?outcome=fern")
	b.wait(`document.querySelectorAll("[data-segment]").length > 0`)
	shows := func(words string) {
		b.Helper()
		b.wait(previewed(`page.querySelector("h1")?.textContent === ` + quote(words)))
	}
	shows("Your plant is a Mist-keeper")
	b.wait(previewed(`page.querySelector("[data-ready]")`))
	b.eval(previewed(`page.querySelector("h1").click(), "x"`))
	b.wait(previewed(`page.activeElement.tagName === "TEXTAREA"`))
	b.eval(previewed(`page.activeElement.select(), "x"`))
	b.press("{name|This one} drinks mist", enter)
	shows("This one drinks mist")
	require.Equal(t, "{name|This one} drinks mist", draft(t, w, q.ID).Outcomes[0].Heading)
	require.Equal(t, "0", b.eval(`String(document.querySelector("iframe[data-preview]").contentDocument.scripts.length)`))

	// A field is filled in by the words of the quiz.
	b.wait(previewed(`page.querySelector("[data-ready]")`))
	b.eval(previewed(`page.querySelector('[data-place="text"]').click(), "x"`))
	b.wait(previewed(`page.activeElement.tagName === "TEXTAREA"`))
	b.eval(previewed(`(page.activeElement.value = "For you: ", page.activeElement.setSelectionRange(9, 9), "x")`))
	b.wait(`document.querySelector(".fillmenu").options.length > 3`)
	b.eval(`(() => { const m = document.querySelector(".fillmenu"); m.focus(); m.selectedIndex = 1; m.dispatchEvent(new Event("change", { bubbles: true })); return "x"; })()`)
	b.wait(previewed(`page.activeElement.value?.startsWith("For you: {")`))
	b.eval(previewed(`page.activeElement.blur(), "x"`))
	b.settled()
	b.wait(previewed(`page.querySelector('[data-place="text"]').textContent.startsWith("For you:") && !page.querySelector("[data-typing]")`))
	require.Contains(t, draft(t, w, q.ID).Outcomes[0].Text, "For you: {")

	b.click("[data-wide=phone]")
	b.wait(`document.querySelector("iframe[data-preview]").clientWidth <= 390`)
	b.click(`[data-do="undo"]`)
	b.settled()
	b.click(`[data-do="undo"]`)
	shows("Your plant is a Mist-keeper")
	b.quiet()
}
