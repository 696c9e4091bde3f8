package e2e

import (
	"context"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/chromedp/cdproto/network"
	"github.com/stretchr/testify/require"

	"omphalos/app"
	"omphalos/app/account"
	"omphalos/app/store"
	"omphalos/app/store/people"
	"omphalos/app/store/storetest"
)

// second is the address of another server on the database of a world.
func (w *world) second(t *testing.T) string {
	t.Helper()
	s, err := store.Open(w.Dir, store.Options{Database: storetest.Database(t, w.Dir)})
	require.NoError(t, err)
	ctx, stop := context.WithCancel(context.Background())
	handler, err := app.New(s, app.Options{Patient: true, Hearing: ctx})
	require.NoError(t, err)
	server := httptest.NewServer(handler)
	t.Cleanup(func() {
		stop()
		server.Close()
		require.NoError(t, s.Close())
	})
	return server.URL
}

// Windows on two servers see each other's edits and who is where, and each undoes its own.
func TestWindowsOnTwoServers(t *testing.T) {
	storetest.NeedsServer(t)
	w := start(t, true)
	second := w.second(t)
	id := quizID(t, w)
	hash, err := people.HashPassword(password)
	require.NoError(t, err)
	mira := &people.Account{Email: "mira@larkmoor.example", Password: hash, Role: people.Editor}
	require.NoError(t, w.Store.People.MakeAccount(mira, nil))
	session, err := w.Store.People.StartSession(mira)
	require.NoError(t, err)

	b, m := open(t, 1280, 800), open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/script")
	m.run(network.SetCookie(account.CookieName(&http.Request{}), session).WithURL(second).WithHTTPOnly(true))
	m.goTo(second + "/quizzes/" + id + "/script")
	b.has("mira in Script")
	m.has("ada in Script")

	const first = `[data-do][data-at="/questions/0/text"]`
	shows := func(tab *tab, text string) {
		tab.wait(`document.querySelector('` + first + `').value === "` + text + `"`)
	}
	m.fill(first, "How large is the wall, about?")
	shows(b, "How large is the wall, about?")
	b.fill(`[data-do][data-at="/questions/1/text"]`, "How light is it there?")
	m.wait(`document.querySelector('[data-do][data-at="/questions/1/text"]').value === "How light is it there?"`)
	m.click(`[aria-label^="Undo"]`)
	shows(m, "How large is the wall?")
	shows(b, "How large is the wall?")
	require.Equal(t, "How light is it there?", draft(t, w, id).Questions[1].Text, "the other’s edit stays")

	m.goTo(second + "/")
	b.wait(`!document.body.innerText.includes("mira in Script")`)
	b.quiet()
	m.quiet()
}
