package e2e

import (
	"encoding/json"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// Every button that deletes, one of each sort in every room, is pressed twice in a row while the server answers late:
// the notice names what went, nothing else goes, and one undo brings it back whole.
func TestEveryDeletingButtonDeletesOneThing(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	wait := time.Duration(0)
	slow := newSlowEdits(t, w, &wait)
	b := open(t, 1280, 800)
	b.signIn(w)
	document := func() string {
		q, err := w.Store.Documents.Quiz(id)
		require.NoError(t, err)
		return string(q.Document)
	}
	seen := map[string]bool{}
	for _, page := range []string{
		"script?open=area&open=staff&open=decides", "verdicts", "endings?outcome=visit", "endings?outcome=pack", "endings?part=products",
		"endings?part=products&show=conditions", "messages",
	} {
		at := slow.URL + "/quizzes/" + id + "/" + page
		b.goTo(at)
		b.settled()
		b.wait(`document.querySelectorAll("[data-do$='drop']").length > 0`)
		if strings.HasPrefix(page, "script") {
			b.wait(`!!document.querySelector("[data-tools] [data-do='act:drop']")`) // a question's tools come when the window is idle
		}
		var places []string
		require.NoError(t, json.Unmarshal([]byte(b.eval(deletingButtons)), &places))
		for _, place := range places {
			sort := sortOf(place)
			if seen[sort] {
				continue
			}
			seen[sort] = true
			wait = []time.Duration{0, 100, 300}[len(seen)%3] * time.Millisecond
			before := document()
			button := fmt.Sprintf(`[...document.querySelectorAll("#room [data-do$='drop']")].find((el) => (el.dataset.do + " " + (el.dataset.at || el.closest("[data-at]")?.dataset.at)) === %s)`, quote(place))
			b.wait(`!!` + button)
			b.eval(`((el) => (el.click(), el.click(), "pressed"))(` + button + `)`)
			b.settled()
			require.NotEqual(t, before, document(), "%s: %s does nothing", page, place)
			require.Contains(t, b.text(".toast"), "Undo", "%s: no notice for %s", page, place)
			require.LessOrEqual(t, lost(t, before, document()), 1, "%s: %s deletes more than one thing with a name", page, place)
			b.click(`.toast button`, "Undo")
			b.settled()
			require.JSONEq(t, before, document(), "%s: undo after %s", page, place)
			b.goTo(at) // what was open is open again
			b.settled()
		}
	}
	require.GreaterOrEqual(t, len(seen), 10, "%v", seen)
	t.Logf("%d sorts of buttons: %v", len(seen), slices.Sorted(func(yield func(string) bool) {
		for s := range seen {
			if !yield(s) {
				return
			}
		}
	}))
}

// deletingButtons lists the buttons of a room that delete: what they do, and where.
const deletingButtons = `JSON.stringify([...document.querySelectorAll("#room [data-do$='drop']")].filter((el) => el.closest("[data-at]") || el.dataset.at).map((el) => el.dataset.do + " " + (el.dataset.at || el.closest("[data-at]").dataset.at)))`

var named = regexp.MustCompile(`/[@=][^/]*|/\d+`)

// sortOf leaves the names of lines out of what a button does and where.
func sortOf(place string) string { return named.ReplaceAllString(place, "/*") }

// lost counts the questions, outcomes, scales, keywords, Verdict lines and messages that the second document does not
// have.
func lost(t *testing.T, before, after string) int {
	t.Helper()
	count := func(text string) int {
		d, err := quiz.ReadDraft([]byte(text))
		require.NoError(t, err)
		return len(d.Questions) + len(d.Outcomes) + len(d.Scales) + len(d.Keywords) + len(d.Verdicts) + len(d.Messages)
	}
	return count(before) - count(after)
}
