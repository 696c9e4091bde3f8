package e2e

import (
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// A quiz from nothing to its launch without a pointer: only what keys can reach.
func TestAQuizByTheKeyboardAlone(t *testing.T) {
	w := start(t, false)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.wait(`document.readyState === "complete"`)
	// tab walks on until what has the focus matches.
	tab := func(expression string) {
		t.Helper()
		for range 80 {
			b.press(kb.Tab)
			if b.eval(`String(!!(document.activeElement && (`+expression+`)(document.activeElement)))`) == "true" {
				return
			}
		}
		t.Fatalf("no key reaches %s\n%s", expression, b.scene())
	}
	says := func(words string) string { return `(e) => e.textContent.trim().startsWith("` + words + `")` }
	tab(says("New quiz"))
	b.press(enter)
	b.wait(`document.activeElement.id === "newname"`)
	b.press("Keys", enter)
	b.wait(`location.pathname.endsWith("/script") && document.readyState === "complete"`)
	b.has("Add a question to see who reaches each outcome")
	b.wait(`document.activeElement.id === "newquestion"`) // an empty sheet waits for the words of its first question
	b.press("Which?", enter)
	b.wait(`document.activeElement.dataset.at === "/questions/0/choices/0/label"`)
	b.press("First", enter)
	b.wait(`document.activeElement.dataset.at === "/questions/0/choices/1/label"`)
	b.press("Second", enter)
	b.wait(`document.activeElement.dataset.at === "/questions/0/choices/2/label"`)
	b.press("Third")
	tab(`(e) => e.classList.contains("add") && e.textContent.includes("answer")`)
	b.settled()
	// The third answer is moved up.
	b.eval(`document.querySelector('[data-do][data-at="/questions/0/choices/2/label"]').focus()`)
	b.eval(`document.activeElement.dispatchEvent(new KeyboardEvent("keydown", { key: "ArrowUp", altKey: true, bubbles: true, cancelable: true }))`)
	b.wait(`document.querySelector('[data-do][data-at="/questions/0/choices/1/label"]').value === "Third"`)
	b.settled()
	// From the first cell of the ledger, arrows walk and digits write; Escape undoes, Delete clears.
	b.eval(`document.querySelector(".cell[tabindex='0']").focus()`)
	b.press("3", kb.ArrowDown, "4", enter, "9", kb.Escape, kb.ArrowUp, kb.Delete)
	b.settled()
	require.Equal(t, "3||", b.eval(`[...document.querySelectorAll(".cell")].map((c) => c.textContent).join("|")`))
	b.press("5", enter)
	b.settled()
	require.Equal(t, "3|5|", b.eval(`[...document.querySelectorAll(".cell")].map((c) => c.textContent).join("|")`))
	// The arrows lead from the end of an answer's words into its figures, and back.
	b.focus(`[data-do][data-at="/questions/0/choices/2/label"]`)
	b.press(kb.End, " answer", kb.ArrowRight)
	b.wait(`document.activeElement === document.querySelectorAll(".cell")[2]`)
	b.press("7", enter, kb.ArrowLeft)
	b.wait(`document.activeElement.dataset.at === "/questions/0/choices/2/label"`)
	b.settled()
	require.Equal(t, "3|5|7", b.eval(`[...document.querySelectorAll(".cell")].map((c) => c.textContent).join("|")`))
	require.Equal(t, "Second answer", b.eval(`document.activeElement.value`))
	b.press(kb.Home, kb.ArrowRight)
	require.Equal(t, "TEXTAREA", b.eval(`document.activeElement.tagName`), "within the words it is the caret that moves")
	b.eval(`document.querySelector("#state a").focus()`)
	b.press(enter)
	b.wait(`location.pathname.endsWith("/launch") && document.readyState === "complete"`)
	tab(says("Launch version 1"))
	b.press(enter)
	b.has("Version 1 is live")
	b.quiet()
}
