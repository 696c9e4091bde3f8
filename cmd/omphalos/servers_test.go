package main

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/app/store/storetest"
	"omphalos/demo"
	"omphalos/demo/visitor"
)

// alternating passes requests on to one server after the other, as a small proxy does: one that cannot be reached is
// left out.
func alternating(t *testing.T, servers ...string) string {
	t.Helper()
	var turn atomic.Uint64
	transport := &http.Transport{MaxIdleConnsPerHost: 64}
	t.Cleanup(transport.CloseIdleConnections)
	next := func(r *http.Request, skip int) *url.URL {
		u, err := url.Parse(servers[(int(turn.Add(1))+skip)%len(servers)])
		require.NoError(t, err)
		return u
	}
	proxy := httptest.NewServer(&httputil.ReverseProxy{
		Rewrite: func(r *httputil.ProxyRequest) {
			r.SetURL(next(r.In, 0))
			r.Out.Host = r.In.Host
		},
		Transport: transport,
		ErrorHandler: func(w http.ResponseWriter, r *http.Request, err error) {
			http.Error(w, "the server is gone", http.StatusBadGateway)
		},
	})
	t.Cleanup(proxy.Close)
	return proxy.URL
}

// Respondents alternate between two servers on one database while one of the two is killed: what was acknowledged is
// there once, and the figures equal a recount.
func TestTwoServersOneDatabase(t *testing.T) {
	storetest.NeedsServer(t)
	database, program := storetest.Database(t, t.TempDir()), build(t)
	s, err := store.Open(t.TempDir(), store.Options{Database: database})
	require.NoError(t, err)
	require.NoError(t, demo.Fill(s, "http://127.0.0.1:1", madeUp(), time.Now()))
	require.NoError(t, s.Close())

	t.Setenv("OMPHALOS_DATABASE", database)
	first, at := run(t, program, "serve", "--addr", "127.0.0.1:0", "--data", t.TempDir())
	_, other := run(t, program, "serve", "--addr", "127.0.0.1:0", "--data", t.TempDir())
	proxy := alternating(t, at, other)

	var mu sync.Mutex
	var acknowledged []string
	var killed atomic.Bool
	var clients sync.WaitGroup
	const before, after = 100, 120
	for c := range 16 {
		clients.Go(func() {
			for n := 0; ; n++ {
				email := fmt.Sprintf("r%d-%d@two.example", c, n)
				base := proxy
				if killed.Load() {
					base = other // as a proxy does once it has noticed
				}
				err := visitor.Finish(&http.Client{Timeout: 5 * time.Second}, base, email)
				mu.Lock()
				if err == nil {
					acknowledged = append(acknowledged, email)
				}
				done := len(acknowledged)
				mu.Unlock()
				if done >= before && killed.CompareAndSwap(false, true) {
					_ = first.Process.Kill()
				}
				if done >= before+after {
					return
				}
			}
		})
	}
	clients.Wait()
	_ = first.Wait()

	out, errs, code := command(t, program, t.TempDir(), "doctor")
	require.Equal(t, "sound\n", out, errs)
	require.Zero(t, code)
	s, err = store.Open(t.TempDir(), store.Options{Database: database})
	require.NoError(t, err)
	defer s.Close()
	stored := storedBy(t, s)
	for _, email := range acknowledged {
		require.Equal(t, 1, stored[email], email)
	}
	for email, n := range stored {
		if strings.HasSuffix(email, "@two.example") {
			require.Equal(t, 1, n, email)
		}
	}
}

// servedAnswers are those of a server to some questions, each as it came.
func servedAnswers(t *testing.T, program string, args ...string) map[string]string {
	t.Helper()
	out, errs, code := command(t, program, t.TempDir(), append([]string{"token", "--account", demo.Owner, "--name", "move"}, args...)...)
	require.Zero(t, code, errs)
	token := strings.Fields(out)[0]
	server, at := run(t, program, append([]string{"serve", "--addr", "127.0.0.1:0"}, args...)...)
	defer func() { _ = server.Process.Kill(); _ = server.Wait() }()
	ask := func(path string) string {
		r, err := http.NewRequest(http.MethodGet, at+"/api/v1"+path, nil)
		require.NoError(t, err)
		r.Header.Set("Authorization", "Bearer "+token)
		answer, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		defer answer.Body.Close()
		body, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		require.Equal(t, http.StatusOK, answer.StatusCode, string(body))
		return string(body)
	}
	got := map[string]string{"/quizzes": ask("/quizzes")}
	for _, id := range regexp.MustCompile(`"id":"([^"]+)"`).FindAllStringSubmatch(got["/quizzes"], -1) {
		for _, what := range []string{"/draft", "/versions", "/responses?limit=200", "/results"} {
			got[id[1]+what] = ask("/quizzes/" + id[1] + what)
		}
	}
	return got
}

// firstApart is where two texts begin to differ; "" for the same.
func firstApart(a, b string) string {
	for i := range min(len(a), len(b)) {
		if a[i] != b[i] {
			return fmt.Sprintf("%q and %q", a[max(0, i-40):min(len(a), i+40)], b[max(0, i-40):min(len(b), i+40)])
		}
	}
	if len(a) != len(b) {
		return "one is longer"
	}
	return ""
}

// Everything moves from a folder to a server and back by the command: what it answers stays the same, byte by byte.
func TestMoveByTheCommand(t *testing.T) {
	storetest.NeedsServer(t)
	database, program := storetest.Database(t, t.TempDir()), build(t)
	first, last := t.TempDir(), filepath.Join(t.TempDir(), "back")
	s, err := store.Open(first)
	require.NoError(t, err)
	require.NoError(t, demo.Fill(s, "http://127.0.0.1:1", madeUp(), time.Now()))
	require.NoError(t, s.Close())
	here := servedAnswers(t, program, "--data", first)
	require.Greater(t, len(here), 4)

	out, errs, code := command(t, program, first, "move", "--from", first, "--to", database)
	require.Zero(t, code, errs)
	require.Contains(t, out, "Moved and compared")
	same := func(there map[string]string) {
		t.Helper()
		require.Len(t, there, len(here))
		for what, answer := range here {
			require.Equal(t, firstApart(answer, there[what]), "", what)
		}
	}
	same(servedAnswers(t, program, "--database", database, "--data", t.TempDir()))
	out, errs, code = command(t, program, first, "move", "--from", database, "--to", last)
	require.Zero(t, code, errs+out)
	same(servedAnswers(t, program, "--data", last))

	for said, args := range map[string][]string{
		"the database isn’t empty":  {"--from", first, "--to", database},
		"name the same database":    {"--from", first, "--to", first},
		"no database found in":      {"--from", t.TempDir(), "--to", database},
		"--from and --to: name the": {"--from", first},
		"use postgres":              {"--from", first, "--to", "postgres://[", "--from", first},
		"couldn’t open":             {"--from", first, "--to", "postgres://nobody@127.0.0.1:1/none"},
	} {
		_, errs, code := command(t, program, first, append([]string{"move"}, args...)...)
		require.Equal(t, 1, code, said)
		require.Contains(t, errs, said)
	}
}
