package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// Someone is invited to read, comes in by the link, sees all and no control; made an editor they edit, and each sees
// where the other is.
func TestPeopleWorkTogether(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/team")
	b.put("#email", "mira@larkmoor.example")
	b.click("label", "Viewer: views quizzes, statistics and leads")
	b.click("button", "Create invitation")
	link := b.text("[data-link]")
	require.Contains(t, w.mailTo(t, "mira@larkmoor.example", "invited").Text, link)

	m := open(t, 1280, 800)
	m.goTo(link)
	m.put("#password", "fern wall pot 9")
	m.click("button", "Create account")
	m.has("Is your office ready for a living wall?")
	require.Equal(t, "false", m.eval(`document.body.innerText.includes("New quiz")`))
	for _, path := range []string{"script", "verdicts", "paths", "endings", "messages", "rehearse", "launch", "leads"} {
		m.goTo(w.URL + "/quizzes/" + id + "/" + path)
		m.wait(`document.querySelectorAll("[data-segment]").length > 0`)
		require.Equal(t, "0", m.eval(`String(document.querySelectorAll("[data-do]:not(span)").length)`), path)
	}
	m.goTo(w.URL + "/quizzes/" + id + "/script")
	m.has("How large is the wall?")
	b.goTo(w.URL + "/quizzes/" + id + "/verdicts")
	b.has("mira in Script")
	m.has("ada in Verdicts")
	b.goTo(w.URL + "/team")
	b.click("summary", "Viewer")
	b.click("td label", "Editor: edits and launches quizzes, views and exports leads")
	b.click("td button", "Save")
	b.has("Done.")
	m.goTo(w.URL + "/quizzes/" + id + "/script")
	m.fill(`[data-do][data-at="/questions/0/text"]`, "How large is the wall, about?")
	require.Equal(t, "How large is the wall, about?", draft(t, w, id).Questions[0].Text)
	b.goTo(w.URL + "/journal?verb=edited")
	b.has("mira@larkmoor.example")
	b.quiet()
	m.quiet()
}

// A starter is walked, taken, and can be launched as it is.
func TestAStarterIsTaken(t *testing.T) {
	w := start(t, false)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.click("a", "Start from an example")
	b.click("a.pick", "What kind of gardener are you?")
	b.wait(`document.querySelector("iframe.walked").contentDocument?.body?.innerText.includes("Answer four questions")`)
	b.click("button.main", "Use “")
	b.wait(`document.querySelector('[data-do][data-at="/questions/0/text"]')?.value === "Which plant would you take home?"`)
	b.wait(`document.querySelectorAll("[data-segment]").length === 3`)
	b.click("a", "Launch")
	b.click("button", "Launch version 1")
	b.has("Version 1 is live")
	b.quiet()
}
