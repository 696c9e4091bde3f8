package app

import (
	"bytes"
	"log/slog"
	"net/http"
	"net/netip"
	"net/url"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/respond"
	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/people"
	"omphalos/demo"
)

// A token that someone planted in a browser is worth nothing after its owner signed in: the sign-in has its own.
func TestASignInTakesNoTokenOver(t *testing.T) {
	g := newGate(t)
	planted := &http.Cookie{Name: g.cookie.Name, Value: strings.Repeat("A", len(g.cookie.Value))}
	w, got := g.post("/sign-in", planted, "email", demo.Owner, "password", password)
	require.Equal(t, http.StatusSeeOther, w.Code)
	require.NotEqual(t, planted.Value, got.Value)
	require.NotEqual(t, g.cookie.Value, got.Value, "each sign-in has another")
	require.Equal(t, http.StatusSeeOther, g.ask("GET", "/account", "", planted).Code, "the planted one leads to the sign-in")
	require.Equal(t, http.StatusOK, g.ask("GET", "/account", "", got).Code)
}

// Nothing tells whether there is an account of an address: not the words, not the status, not the work done (argon2id
// takes memory as it takes time, and memory can be compared), and not the pause after many attempts.
func TestAccountsCannotBeFoundOut(t *testing.T) {
	g := newGate(t)
	work := func(email string) (status int, body string, bytes uint64) {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		w, _ := g.post("/sign-in", nil, "email", email, "password", "a wrong password")
		runtime.ReadMemStats(&after)
		return w.Code, strings.ReplaceAll(w.Body.String(), email, "…"), after.TotalAlloc - before.TotalAlloc
	}
	work("warm@larkmoor.example") // the hash that stands for none is made once
	code, body, known := work(demo.Owner)
	code2, body2, unknown := work("nobody@larkmoor.example")
	require.Equal(t, http.StatusUnprocessableEntity, code)
	require.Equal(t, code, code2)
	require.Equal(t, body, body2)
	require.Greater(t, known, uint64(4<<20), "a password is compared")
	require.InEpsilon(t, known, unknown, 0.2)

	forgotten, _ := g.post("/forgot", nil, "email", demo.Owner)
	unheard, _ := g.post("/forgot", nil, "email", "nobody@larkmoor.example")
	require.Equal(t, forgotten.Code, unheard.Code)
	require.Equal(t, forgotten.Body.String(), strings.ReplaceAll(unheard.Body.String(), "nobody@larkmoor.example", demo.Owner))
}

// Anyone who guesses is told apart by the address that a trusted proxy forwards; a header that anyone can write helps
// no one.
func TestGuessingThroughAProxy(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	_, err = s.People.CreateOwner(demo.Owner, password)
	require.NoError(t, err)
	refused := func(h http.Handler, forwarded func(i int) string) (n int) {
		email := database.NewID() + "@larkmoor.example"
		for i := range 14 {
			form := url.Values{"email": {email}, "password": {"a wrong guess"}}
			w := send(h, "POST", "/sign-in", form, func(r *http.Request) {
				r.RemoteAddr = "10.0.0.1:1"
				r.Header.Set("X-Forwarded-For", forwarded(i))
			})
			if w.Code == http.StatusTooManyRequests {
				n++
			}
		}
		return n
	}
	each := func(i int) string { return netip.AddrFrom4([4]byte{203, 0, byte(i), 9}).String() }
	bare, err := New(s, Options{})
	require.NoError(t, err)
	require.Equal(t, 4, refused(bare, each), "fourteen names in a header are one network")
	trusting := &respond.Locator{Trusted: []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8")}}
	behind, err := New(s, Options{Locator: trusting})
	require.NoError(t, err)
	require.Equal(t, 4, refused(behind, func(int) string { return "203.0.113.9" }))
	require.Zero(t, refused(behind, func(i int) string { return each(i + 50) }), "others behind the same proxy are not kept out")
	require.Equal(t, 4, refused(behind, func(i int) string { return each(i+100) + ", 198.51.100.7" }), "what the visitor wrote before it is not believed")
}

// The log tells routes: no token of a sign-in, an invitation, a reset, a walk or the API, and no password.
func TestTheLogHoldsNoSecret(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	owner, err := s.People.CreateOwner(demo.Owner, password)
	require.NoError(t, err)
	var log bytes.Buffer
	h, err := New(s, Options{OneClick: "click-secret", Log: slog.New(slog.NewTextHandler(&log, nil))})
	require.NoError(t, err)
	cookie := send(h, "GET", "/demo/click-secret", nil, nil).Result().Cookies()[0]
	token, err := s.People.AddToken(owner.ID, "sheet", []string{people.ScopeRead})
	require.NoError(t, err)
	reset, err := s.People.AskReset(owner.ID)
	require.NoError(t, err)
	send(h, "GET", "/account?password="+password, nil, func(r *http.Request) { r.AddCookie(cookie) })
	send(h, "GET", "/api/v1/quizzes", nil, func(r *http.Request) { r.Header.Set("Authorization", "Bearer "+token) })
	send(h, "GET", "/api/v1/quizzes?access_token="+token, nil, nil)
	send(h, "GET", "/reset/"+reset, nil, nil)
	send(h, "GET", "/join/join-secret", nil, nil)
	send(h, "GET", "/q/nothing?email=orla@quill.example", nil, nil)
	send(h, "POST", "/sign-in", url.Values{"email": {demo.Owner}, "password": {"wrong-secret-word"}}, nil)
	require.GreaterOrEqual(t, strings.Count(log.String(), "msg=request"), 8)
	for _, secret := range []string{"click-secret", cookie.Value, token, reset, "join-secret", password, "orla@quill.example", "wrong-secret-word", demo.Owner} {
		require.NotContains(t, log.String(), secret)
	}
}
