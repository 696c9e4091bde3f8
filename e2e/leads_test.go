package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"omphalos/app/store/responses"
)

// From a bar to the people, to one person, to a check; and from deals to weights in the draft, which are undone.
func TestFromAFigureToPeopleAndBackToTheDraft(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	at := w.URL + "/quizzes/" + id
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(at + "/leads")
	b.wait(`document.querySelectorAll(".promised").length === 4`)
	b.click(".endline a", "Site visit")
	b.has("outcome Site visit")
	b.wait(`[...document.querySelectorAll("tbody.rows tr")].every((tr) => tr.innerText.includes("Site visit"))`)
	b.click("tbody.rows a")
	b.click("button", "Save as check")
	b.settled()
	b.goTo(at + "/rehearse")
	b.wait(`document.querySelectorAll("#checks .keptline.holds").length === 6`)

	b.goTo(at + "/leads?view=won")
	b.has("predict a won deal?")
	fit := `document.querySelector(".colhead") && [...document.querySelectorAll("td.cell")].slice(0, 6).map((el) => el.innerText).join()`
	b.click("button", "Apply all to the draft")
	b.has("The draft uses all suggested weights.")
	b.goTo(at + "/script")
	b.wait(`document.querySelectorAll("td.cell").length > 6`)
	taken := b.eval(fit)
	b.click(`[data-do="undo"]`)
	b.settled()
	require.NotEqual(t, taken, b.eval(fit))

	b.goTo(at + "/leads?view=questions")
	b.has("explains")
	b.goTo(at + "/leads?view=scores")
	b.has("alpha")
	b.click("a", "Test the draft on these people")
	b.has("would get a different outcome")
	b.quiet()
}

// A response that comes while the room is looked at appears by itself; who is being read stays.
func TestLeadsFollowsWhatComes(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	list, err := w.Store.Responses.Reader(id, responses.Genuine).Before(responses.Cursor{}, 1)
	require.NoError(t, err)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/leads")
	b.wait(`document.querySelectorAll(".promised").length === 4`)
	read := b.text("#person .didot")
	next := list[0]
	next.ID, next.Name, next.At = next.ID+"2", "Nia Fresh", time.Now()
	fresh, err := w.Store.Responses.Submit(responses.Submission{Response: &next})
	require.NoError(t, err)
	require.True(t, fresh)
	b.wait(`document.querySelector("tbody.rows").innerText.includes("Nia Fresh")`)
	require.Equal(t, read, b.text("#person .didot"))
	b.wait(`document.querySelectorAll(".promised").length === 4`)
	b.quiet()
}

// Deals are pasted and stored after a look at what matches; a cut point that is moved says how many would end
// elsewhere, and the draft, once it has it, says the same.
func TestDealsArePastedAndACutPointIsTried(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	at := w.URL + "/quizzes/" + id
	list, err := w.Store.Responses.Reader(id, responses.Genuine).Before(responses.Cursor{}, 2)
	require.NoError(t, err)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(at + "/leads?view=won")
	b.put("#deals", list[0].ID+",won,12400,EUR")
	b.click("button", "Preview matches")
	b.has("1 deal matches")
	b.click("button", "Save 1 deal")
	b.has("won, €12,400")

	b.goTo(at + "/leads?view=scores")
	b.focus(`[data-from="Site visit"] input`)
	b.press(kb.ArrowLeft, kb.ArrowLeft)
	b.has("people would move from Planning pack to Site visit.")
	said := b.eval(`document.querySelector('[data-from="Site visit"] p').textContent.match(/^\d+ of these [\d,]+/)[0]`)
	b.click("button", "Apply to the draft")
	b.settled()
	b.goTo(at + "/leads?view=scores&replay=1")
	b.has(strings.Replace(said, "these ", "", 1) + " would get a different outcome")
	b.wait(`document.querySelectorAll(".stream .moves").length === 1`)
	b.quiet()
}

// Someone's data is deleted from their page: afterwards no export, no search and no file of the database holds the
// address.
func TestARefusedDealIsStillTyped(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/leads?outcome=visit")
	b.set("#deal", "won")
	b.put(`[name="amount"]`, "twelve")
	b.click("button", "Save deal")
	b.wait(`document.querySelector("#person [data-refused]")`)
	b.wait(`document.querySelector('[name="amount"]').value + " " + document.querySelector("#deal").value === "twelve won"`)
	require.Contains(t, b.eval(`location.search`), "outcome=visit", "the filter stays")
	b.put(`[name="amount"]`, "1200")
	b.click("button", "Save deal")
	b.wait(`!document.querySelector("#person [data-refused]") && document.querySelector('[name="amount"]').value === "1200"`)
	b.quiet()
}

func TestADeletedPersonIsNowhere(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	list, err := w.Store.Responses.Reader(id, responses.Genuine).Before(responses.Cursor{}, 1)
	require.NoError(t, err)
	lead := list[0]
	lead.ID, lead.Name, lead.Email, lead.At = "lasting00001", "Nia Quartermain", "nia.quartermain@fenhall.example", time.Now()
	lead.Contact = []byte(`{"name":"Nia Quartermain","email":"nia.quartermain@fenhall.example"}`)
	_, err = w.Store.Responses.Submit(responses.Submission{Response: &lead})
	require.NoError(t, err)
	b := open(t, 1280, 800)
	b.signIn(w)
	room := w.URL + "/quizzes/" + id + "/leads"
	b.goTo(room + "?q=quarter")
	b.has("1 person")
	b.has("nia.quartermain@fenhall.example")
	b.click("button", "Find everything about this person")
	b.has("Everything about one person")
	b.click("summary", "Delete all data …")
	b.click("button", "Delete permanently")
	b.has("Deleted on")
	b.goTo(room + "?q=quarter")
	b.has("0 people")
	for _, form := range []string{"csv", "answers.csv", "jsonl"} {
		out := b.eval(`(() => { const r = new XMLHttpRequest(); r.open("GET", "/quizzes/` + id + `/leads.` + form + `", false); r.send(); return r.responseText; })()`)
		require.Contains(t, out, list[0].ID)
		require.NotContains(t, strings.ToLower(out), "quartermain", form)
	}
	files, err := filepath.Glob(filepath.Join(w.Dir, "*"))
	require.NoError(t, err)
	for _, name := range files {
		data, err := os.ReadFile(name)
		require.NoError(t, err)
		require.NotContains(t, strings.ToLower(string(data)), "quartermain", name)
	}
	b.quiet()
}
