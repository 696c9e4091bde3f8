package app

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
)

func server(t *testing.T) http.Handler {
	t.Helper()
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	h, err := New(s, Options{SetUp: "first"})
	require.NoError(t, err)
	return h
}

func send(h http.Handler, method, path string, form url.Values, change func(*http.Request)) *httptest.ResponseRecorder {
	r := httptest.NewRequest(method, path, strings.NewReader(form.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	if change != nil {
		change(r)
	}
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	return w
}

func TestSigningIn(t *testing.T) {
	h := server(t)
	for _, path := range []string{"/", "/quizzes/x/script", "/quizzes/x/leads.csv"} {
		w := send(h, "GET", path, nil, nil)
		require.Equal(t, http.StatusSeeOther, w.Code, path)
		require.Contains(t, w.Header().Get("Location"), "/sign-in")
	}
	require.Equal(t, http.StatusUnauthorized, send(h, "POST", "/quizzes", nil, nil).Code)
	require.Contains(t, send(h, "GET", "/sign-in", nil, nil).Body.String(), "This server isn’t set up yet. Open the set-up link that Omphalos printed when it started")
	owner := url.Values{"email": {"ada@larkmoor.example"}, "password": {"a long password"}, "next": {"//evil.example"}}
	require.Equal(t, http.StatusUnprocessableEntity, send(h, "POST", "/sign-in", owner, nil).Code, "the first to come owns nothing")
	require.Equal(t, http.StatusNotFound, send(h, "POST", "/set-up/guess", owner, nil).Code)
	require.Contains(t, send(h, "GET", "/set-up/first", nil, nil).Body.String(), "Create the owner account")
	w := send(h, "POST", "/set-up/first", url.Values{"email": {"ada@larkmoor.example"}, "password": {"short"}}, nil)
	require.Equal(t, http.StatusUnprocessableEntity, w.Code)
	require.Contains(t, w.Body.String(), "at least 10 characters")
	require.Equal(t, http.StatusSeeOther, send(h, "POST", "/set-up/first", owner, nil).Code)
	require.Equal(t, http.StatusNotFound, send(h, "POST", "/set-up/first", owner, nil).Code, "the link works once")
	w = send(h, "POST", "/sign-in", owner, nil)
	require.Equal(t, http.StatusSeeOther, w.Code)
	require.Equal(t, "/", w.Header().Get("Location"), "no way back to another site")
	cookie := w.Result().Cookies()[0]
	require.True(t, cookie.HttpOnly)
	require.Equal(t, http.SameSiteLaxMode, cookie.SameSite)
	signedIn := func(r *http.Request) { r.AddCookie(cookie) }
	require.Equal(t, http.StatusOK, send(h, "GET", "/", nil, signedIn).Code)

	// A form posted by another site is refused, although the cookie might come along.
	w = send(h, "POST", "/quizzes", url.Values{"name": {"x"}}, func(r *http.Request) { signedIn(r); r.Header.Set("Sec-Fetch-Site", "cross-site") })
	require.Equal(t, http.StatusForbidden, w.Code)
	require.Equal(t, http.StatusSeeOther, send(h, "POST", "/quizzes", url.Values{"name": {"x"}}, signedIn).Code)

	var limited atomic.Int32
	var guesses sync.WaitGroup
	for range 15 { // at once: how long a guess takes does not matter
		guesses.Go(func() {
			if send(h, "POST", "/sign-in", url.Values{"email": {"ada@larkmoor.example"}, "password": {"a wrong guess"}}, nil).Code == http.StatusTooManyRequests {
				limited.Add(1)
			}
		})
	}
	guesses.Wait()
	require.Positive(t, limited.Load())
	require.Equal(t, http.StatusSeeOther, send(h, "POST", "/sign-out", nil, signedIn).Code)
	require.Equal(t, http.StatusSeeOther, send(h, "GET", "/", nil, signedIn).Code, "signed out for good")
}

func TestHeadersAndPlainErrors(t *testing.T) {
	h := server(t)
	w := send(h, "GET", "/sign-in", nil, nil)
	csp := w.Header().Get("Content-Security-Policy")
	require.Contains(t, csp, "script-src 'self'")
	require.NotContains(t, csp, "unsafe")
	require.Empty(t, w.Header().Get("Strict-Transport-Security"), "over plain HTTP it means nothing")
	secure := httptest.NewRequest("GET", "https://quiz.larkmoor.example/sign-in", nil)
	over := httptest.NewRecorder()
	h.ServeHTTP(over, secure)
	require.Equal(t, "max-age=31536000", over.Header().Get("Strict-Transport-Security"))
	require.NotContains(t, w.Body.String(), "<script>")
	require.NotContains(t, w.Body.String(), " style=")
	for path, code := range map[string]int{"/nowhere": 404, "/q/nothing": 404, "/healthz": 200, "/assets/none.js": 404} {
		require.Equal(t, code, send(h, "GET", path, nil, nil).Code, path)
	}
	require.Equal(t, http.StatusMethodNotAllowed, send(h, "PUT", "/healthz", nil, nil).Code)
}

// Choose a new password ends every sign-in with the old one; so does signing out everywhere.
func TestOnesOwnAccount(t *testing.T) {
	h := server(t)
	owner := url.Values{"email": {"ada@larkmoor.example"}, "password": {"a long password"}}
	send(h, "POST", "/set-up/first", owner, nil)
	signIn := func(password string) (func(*http.Request), int) {
		w := send(h, "POST", "/sign-in", url.Values{"email": owner["email"], "password": {password}}, nil)
		return func(r *http.Request) {
			for _, c := range w.Result().Cookies() {
				r.AddCookie(c)
			}
		}, w.Code
	}
	here, _ := signIn("a long password")
	there, _ := signIn("a long password")
	change := func(now, next, again string) *httptest.ResponseRecorder {
		return send(h, "POST", "/account/password", url.Values{"password": {now}, "next": {next}, "again": {again}}, here)
	}
	require.Contains(t, change("a long password", "another password", "another one").Body.String(), "The two new passwords don’t match")
	require.Contains(t, change("a long password", "short", "short").Body.String(), "at least 10")
	require.Contains(t, change("a wrong password", "another password", "another password").Body.String(), "This password is wrong")
	w := change("a long password", "another password", "another password")
	require.Equal(t, http.StatusSeeOther, w.Code)
	require.Equal(t, http.StatusSeeOther, send(h, "GET", "/", nil, there).Code, "signed out")
	require.Equal(t, http.StatusSeeOther, send(h, "GET", "/", nil, here).Code, "the old cookie too")
	require.Equal(t, http.StatusOK, send(h, "GET", "/account", nil, func(r *http.Request) { r.AddCookie(w.Result().Cookies()[0]) }).Code)
	_, code := signIn("a long password")
	require.Equal(t, http.StatusUnprocessableEntity, code)

	here, code = signIn("another password")
	require.Equal(t, http.StatusSeeOther, code)
	body := send(h, "GET", "/", nil, here).Body.String()
	require.Contains(t, body, "Someone tried 1 wrong password")
	send(h, "POST", "/account/seen", nil, here)
	require.NotContains(t, send(h, "GET", "/", nil, here).Body.String(), "wrong password")
	require.Equal(t, "no-store", send(h, "GET", "/", nil, here).Header().Get("Cache-Control"))

	there, _ = signIn("another password")
	require.NotContains(t, send(h, "GET", "/", nil, there).Body.String(), "wrong password", "they are told once")
	require.Equal(t, http.StatusSeeOther, send(h, "POST", "/account/sign-out-everywhere", nil, here).Code)
	require.Equal(t, http.StatusSeeOther, send(h, "GET", "/", nil, there).Code)
}

// Behind TLS cookies carry the prefix that no other host can set (RFC 6265bis, section 4.1.3.2).
func TestCookiesBehindTLS(t *testing.T) {
	h := server(t)
	secure := func(r *http.Request) { r.Header.Set("X-Forwarded-Proto", "https") }
	owner := url.Values{"email": {"ada@larkmoor.example"}, "password": {"a long password"}}
	w := send(h, "POST", "/set-up/first", owner, secure)
	c := w.Result().Cookies()[0]
	require.Equal(t, "__Host-omphalos_session", c.Name)
	require.True(t, c.Secure)
	require.Equal(t, "/", c.Path)
	require.Empty(t, c.Domain)
	plain := &http.Cookie{Name: "omphalos_session", Value: c.Value}
	require.Equal(t, http.StatusSeeOther, send(h, "GET", "/", nil, func(r *http.Request) { secure(r); r.AddCookie(plain) }).Code)
	require.Equal(t, http.StatusOK, send(h, "GET", "/", nil, func(r *http.Request) { secure(r); r.AddCookie(c) }).Code)
}
