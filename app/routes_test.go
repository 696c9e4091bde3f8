package app

import (
	"bytes"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/limits"
	"omphalos/app/route"
	"omphalos/app/store"
)

var routePart = regexp.MustCompile(`[:*]\w+`)

// routed are the program's routes, each as method and pattern; HEAD stands next to each GET.
func routed(t *testing.T, s *store.Store) []string {
	t.Helper()
	g, err := router(s, Options{})
	require.NoError(t, err)
	var out []string
	for _, r := range g.Routes() {
		out = append(out, r.Method+" "+r.Path)
	}
	slices.Sort(out)
	require.Greater(t, len(out), 40)
	return out
}

// Each address of the program has its permission, its rule for other sites and its bound, and takes no other method.
func TestEveryRouteHasItsRules(t *testing.T) {
	d := newDesk(t, false)
	routes := routed(t, d.Store)
	methods := map[string][]string{}
	for _, address := range routes {
		method, path, _ := strings.Cut(address, " ")
		methods[path] = append(methods[path], method)
	}
	ask := func(method, path string, change func(*http.Request)) *httptest.ResponseRecorder {
		r := httptest.NewRequest(method, path, strings.NewReader("x=y"))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		change(r)
		w := httptest.NewRecorder()
		d.h.ServeHTTP(w, r)
		return w
	}
	nobody := func(*http.Request) {}
	signedIn := func(r *http.Request) { r.AddCookie(d.cookie) }
	elsewhere := func(r *http.Request) { signedIn(r); r.Header.Set("Sec-Fetch-Site", "cross-site") }
	for _, address := range routes {
		method, pattern, _ := strings.Cut(address, " ")
		path := routePart.ReplaceAllString(pattern, "none")
		at, stated := route.Of(method, pattern)
		require.True(t, stated, "%s has no rule in app/route", address)
		isOpen := at.Right == route.Open
		if strings.HasPrefix(pattern, "/api/") { // no cookie opens it, so no other site can: its own tests ask for the rest
			w := ask(method, path, signedIn)
			require.Equal(t, isOpen, w.Code == http.StatusOK, "%s: %d", address, w.Code)
			require.Equal(t, !isOpen, w.Code == http.StatusUnauthorized, "%s: %d", address, w.Code)
			continue
		}
		require.Contains(t, []string{http.MethodGet, http.MethodPost}, method, "%s: HEAD is answered by GET", address)

		w := ask(method, path, nobody)
		led := strings.HasPrefix(w.Header().Get("Location"), "/sign-in")
		refused := w.Code == http.StatusUnauthorized || w.Code == http.StatusSeeOther && led
		if address != "POST /sign-out" && !strings.HasSuffix(address, "/sign-in/code") {
			require.Equal(t, !isOpen, refused, "%s without a sign-in: %d", address, w.Code)
		}
		if !isOpen {
			require.Equal(t, "no-store", w.Header().Get("Cache-Control"), address)
		}
		require.NotEmpty(t, w.Header().Get("Content-Security-Policy"), address)
		require.Equal(t, "nosniff", w.Header().Get("X-Content-Type-Options"), address)

		if method == http.MethodPost {
			w = ask(method, path, elsewhere)
			require.Equal(t, !at.Elsewhere, w.Code == http.StatusForbidden, "%s from another site: %d", address, w.Code)
		}

		most := limits.OfBody(at)
		require.LessOrEqual(t, most, int64(24<<20), address)
		if method == http.MethodPost {
			r := httptest.NewRequest(method, path, strings.NewReader("x"))
			signedIn(r)
			r.ContentLength = most + 1
			w = httptest.NewRecorder()
			d.h.ServeHTTP(w, r)
			require.Equal(t, http.StatusRequestEntityTooLarge, w.Code, address)
			require.Contains(t, w.Body.String(), "You can send up to", address)
		}

		for _, other := range []string{http.MethodGet, http.MethodPost, http.MethodPut, http.MethodDelete, http.MethodPatch} {
			if slices.Contains(methods[pattern], other) {
				continue
			}
			w = ask(other, path, signedIn)
			none := []int{http.StatusMethodNotAllowed, http.StatusNotFound}
			if other == http.MethodGet {
				none = append(none, http.StatusSeeOther) // see goUp
			}
			require.Contains(t, none, w.Code, "%s takes %s", pattern, other)
		}
	}
	for address := range route.Table {
		if address != "GET /metrics" { // where it is asked for
			require.Contains(t, routes, address, "a rule of no address")
		}
	}
}

// The bound holds where a body does not say how long it is, too.
func TestABodyWithoutALengthIsBounded(t *testing.T) {
	d := newDesk(t, false)
	long := url.Values{"email": {"ada@larkmoor.example"}, "password": {strings.Repeat("x", limits.Body)}}
	r := httptest.NewRequest("POST", "/sign-in", strings.NewReader(long.Encode()))
	r.ContentLength = -1
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	w := httptest.NewRecorder()
	d.h.ServeHTTP(w, r)
	require.GreaterOrEqual(t, w.Code, 400)
	require.Less(t, w.Code, 500)
}

// A proxy that forwards addresses and is not trusted is named in the log, once.
func TestAProxyThatIsNotTrustedIsNamed(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	var log bytes.Buffer
	h, err := New(s, Options{Log: slog.New(slog.NewTextHandler(&log, nil))})
	require.NoError(t, err)
	for range 3 {
		send(h, "GET", "/sign-in", nil, func(r *http.Request) { r.Header.Set("X-Forwarded-For", "203.0.113.9") })
	}
	require.Equal(t, 1, strings.Count(log.String(), "--trusted-proxy"))
}
