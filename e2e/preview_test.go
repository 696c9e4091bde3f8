package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// The preview beside an ending is the respondents' page: it follows what is typed, with one frame and no script in it.
func TestThePreviewFollowsTheDraft(t *testing.T) {
	w := start(t, true)
	q, err := w.Store.QuizBySlug("windowsill")
	require.NoError(t, err)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + q.ID + "/endings?outcome=fern")
	b.wait(`document.querySelectorAll("[data-segment]").length > 0`)
	shows := func(words string) {
		b.Helper()
		b.wait(`(() => { const f = [...document.querySelectorAll("iframe[data-preview]")]; return f.length === 1 && f[0].contentDocument?.querySelector("h1")?.textContent === ` + quote(words) + `; })()`)
	}
	shows("Your plant is a Mist-keeper")
	b.fill("#o-heading", "{name|This one} drinks mist")
	shows("This one drinks mist")
	require.Equal(t, "0", b.eval(`String(document.querySelector("iframe[data-preview]").contentDocument.scripts.length)`))
	b.click(`[data-history="undo"]`)
	shows("Your plant is a Mist-keeper")
	b.quiet()
}
