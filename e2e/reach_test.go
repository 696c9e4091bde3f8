package e2e

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// The reach bar answers each edit, names its assumption, shows someone for each outcome, and its findings lead to their
// place.
func TestTheReachBarIsLive(t *testing.T) {
	w := start(t, true)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + quizID(t, w) + "/script")
	b.has("Exact: all 456,920 combinations of answers")
	bar := func() string { return b.text("#reach .bar") }
	require.Contains(t, bar(), "14.8%")
	require.Equal(t, "3 to 25", b.text(`[data-range="fit"] [data-least]`))

	// A weight changes the shares; undo brings them back.
	b.cell("/questions/0/choices/2", 0)
	b.press("1", "9", enter)
	b.wait(`document.querySelector('[data-range="fit"] [data-least]').innerText === "3 to 37"`)
	b.wait(`!document.querySelector("#reach").classList.contains("counting")`)
	require.NotContains(t, bar(), "14.8%")
	b.click(`[data-do="undo"]`)
	b.wait(`document.querySelector("#reach .bar").innerText.includes("14.8%")`)

	b.has("Version 1 is live")

	// Undo of a rename is seen in the name itself.
	b.fill("#quizname", "Another name")
	b.click(`[data-do="undo"]`)
	b.wait(`document.querySelector("#quizname").value === "Is your office ready for a living wall?"`)

	// Someone who ends there, by keyboard focus.
	b.eval(`document.querySelector("[data-segment]").focus()`)
	b.wait(`!document.querySelector(".witness").hidden`)
	require.Contains(t, b.text(".witness"), "Example answers that lead here:")
	if dir := os.Getenv("SHOT_DIR"); dir != "" {
		b.shot(dir + "/witness.png")
	}

	// A finding leads to its place and lights it.
	b.click("[data-findings]")
	b.has("How many people work there?")
	if dir := os.Getenv("SHOT_DIR"); dir != "" {
		b.shot(dir + "/findings.png")
	}
	b.click(".finding a", "How many people")
	b.wait(`!!document.querySelector("tbody[data-at='/questions/5'] .lit, .lit")`)
	require.True(t, strings.Contains(b.eval(`location.search`), "at="))

	if dir := os.Getenv("SHOT_DIR"); dir != "" {
		b.shot(dir + "/lit.png")
	}

	// Another assumption, kept for the next visit.
	b.choose("#assume", "responses so far")
	b.wait(`document.querySelector("#reach .bar").innerText.includes("%") && !document.querySelector("#reach .bar").innerText.includes("14.8%")`)
	b.goTo(w.URL + "/quizzes/" + quizID(t, w) + "/verdicts")
	b.wait(`document.querySelector("#assume")?.value === "seen"`)
	b.quiet()
}
