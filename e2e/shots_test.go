package e2e

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// shots are the pictures of the main views: name, address after the program's own, and size.
var shots = []struct {
	name, path    string
	width, height int64
	dark          bool
}{
	{"home", "/", 1280, 800, false},
	{"script", "/quizzes/ID/script", 1280, 800, false},
	{"script-dark", "/quizzes/ID/script", 1280, 800, true},
	{"verdicts", "/quizzes/ID/verdicts", 1280, 800, false},
	{"endings", "/quizzes/ID/endings?outcome=pack", 1280, 800, false},
	{"messages", "/quizzes/ID/messages", 1280, 800, false},
	{"paths", "/quizzes/ID/paths?arc=decides+question:deadline", 1280, 800, false},
	{"ledger", "/quizzes/KEYWORDS/script?view=ledger", 1280, 800, false},
	{"languages", "/quizzes/KEYWORDS/script?view=languages", 1280, 800, false},
	{"starters", "/starters", 1280, 800, false},
	{"rehearse", "/quizzes/ID/rehearse", 1280, 800, false},
	{"launch", "/quizzes/ID/launch?part=over&over=1", 1280, 800, false},
	{"leads", "/quizzes/ID/leads", 1280, 800, false},
	{"leads-questions", "/quizzes/ID/leads?view=questions", 1280, 800, false},
	{"leads-won", "/quizzes/ID/leads?view=won", 1280, 800, false},
}

// TestShots makes the pictures in docs/screenshots from the demonstration (make shots). SHOT_ONLY names some of them
// and SHOT_DIR another folder.
func TestShots(t *testing.T) {
	if !*takeShots {
		t.Skip("only on request: -shots")
	}
	dir := os.Getenv("SHOT_DIR")
	if dir == "" {
		dir = "../docs/screenshots"
	}
	require.NoError(t, os.MkdirAll(dir, 0o755))
	w := start(t, true)
	q, err := w.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	for _, s := range shots {
		if only := os.Getenv("SHOT_ONLY"); only != "" && !strings.Contains(","+only+",", ","+s.name+",") {
			continue
		}
		b := open(t, s.width, s.height)
		if s.dark {
			b.dark()
		}
		b.signIn(w)
		path := strings.ReplaceAll(s.path, "ID", q.ID)
		if strings.Contains(path, "KEYWORDS") {
			k, err := w.Store.Documents.QuizBySlug("windowsill")
			require.NoError(t, err)
			path = strings.ReplaceAll(path, "KEYWORDS", k.ID)
		}
		b.goTo(w.URL + path)
		if strings.Contains(path, "quizzes") && !strings.Contains(path, "exchange") {
			b.wait(`document.querySelectorAll("[data-segment]").length > 0`)
		}
		if strings.Contains(path, "part=over") { // the quiz has come over the sample page
			b.wait(`!!document.querySelector("[data-kitsample]").contentDocument.querySelector("dialog[open]")`)
		}
		if strings.Contains(path, "rehearse") {
			b.both("Answer seven questions in two minutes. You’ll get a plan for your wall, or an honest “not yet”")
		}
		b.shot(dir + "/" + s.name + ".png")
		b.quiet()
	}
	if os.Getenv("SHOT_ONLY") != "" && os.Getenv("SHOT_ONLY") != "matrix" {
		return
	}
	// A matrix, and someone kept who does not end where they should.
	crossed(t, w, q.ID)
	m := open(t, 1280, 800)
	m.signIn(w)
	m.goTo(w.URL + "/quizzes/" + q.ID + "/verdicts")
	m.wait(`document.querySelector(".mending .repair") && document.querySelector(".cross")`)
	m.click(".repair")
	m.click(`[data-cell="/verdicts/1/matrix/outcomes/1/1"]`)
	m.eval(`document.querySelector('[data-at="/verdicts/1"]').scrollIntoView()`)
	m.shot(dir + "/matrix.png")
	if os.Getenv("SHOT_ONLY") != "" {
		return
	}
	b := open(t, 390, 800)
	b.goTo(w.URL + "/q/living-wall")
	b.click("button", "Start")
	b.click("label", "5 to 20")
	b.has("How much daylight")
	b.eval(`document.querySelectorAll('input[type="radio"]')[1].checked = true`)
	b.shot(dir + "/respond-question.png")

	// A picture question and an ending with products.
	b.goTo(w.URL + "/q/windowsill")
	b.click("button", "Show me")
	b.has("How bright is")
	b.shot(dir + "/respond-pictures.png")
	for _, choice := range []string{"A dim corner", "Please don’t ask", "The bedroom"} {
		b.click("label", choice)
	}
	b.has("What should it do")
	b.click("label", "Nothing, just live")
	b.click("form button")
	b.has("How often are you away")
	b.click("label", "2") // moves on by itself
	b.has("What would you call")
	b.click("form button")
	b.has("Shall we remind you")
	b.click("button", "Skip")
	b.has("Drip cone")
	b.shot(dir + "/respond-products.png")
}
