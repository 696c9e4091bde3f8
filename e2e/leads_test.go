package e2e

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
)

// From a bar to the people, to one person, to a check; and from deals to weights in the draft, which are taken back.
func TestFromAFigureToPeopleAndBackToTheDraft(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	at := w.URL + "/quizzes/" + id
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(at + "/leads")
	b.wait(`document.querySelectorAll(".promised").length === 4`)
	b.click(".endline a", "Site visit")
	b.has("ended at Site visit")
	b.wait(`[...document.querySelectorAll("tbody.rows tr")].every((tr) => tr.innerText.includes("Site visit"))`)
	b.click("tbody.rows a")
	b.click("button", "keep as a check")
	b.settled()
	b.goTo(at + "/rehearse")
	b.wait(`document.querySelectorAll("#checks .keptline.holds").length === 6`)

	b.goTo(at + "/leads?view=won")
	b.has("predict a won deal?")
	fit := `document.querySelector(".colhead") && [...document.querySelectorAll("td.cell")].slice(0, 6).map((el) => el.innerText).join()`
	b.click("button", "Take all into the draft")
	b.has("The draft has them all.")
	b.goTo(at + "/script")
	b.wait(`document.querySelectorAll("td.cell").length > 6`)
	taken := b.eval(fit)
	b.click(`[data-history="undo"]`)
	b.settled()
	require.NotEqual(t, taken, b.eval(fit))

	b.goTo(at + "/leads?view=questions")
	b.has("settles")
	b.goTo(at + "/leads?view=scores")
	b.has("alpha")
	b.click("a", "Try the draft on these")
	b.has("would end")
	b.quiet()
}

// A response that comes while the room is looked at appears by itself; who is being read stays.
func TestLeadsFollowsWhatComes(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	list, err := w.Store.Reader(id, store.Genuine).Before(store.Cursor{}, 1)
	require.NoError(t, err)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/leads")
	b.wait(`document.querySelectorAll(".promised").length === 4`)
	read := b.text("#person .didot")
	next := list[0]
	next.ID, next.Name, next.At = next.ID+"2", "Nia Fresh", time.Now()
	fresh, err := w.Store.Submit(&next)
	require.NoError(t, err)
	require.True(t, fresh)
	b.wait(`document.querySelector("tbody.rows").innerText.includes("Nia Fresh")`)
	require.Equal(t, read, b.text("#person .didot"))
	b.wait(`document.querySelectorAll(".promised").length === 4`)
	b.quiet()
}
