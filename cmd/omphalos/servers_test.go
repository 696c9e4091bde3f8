package main

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/app/store/storetest"
	"omphalos/demo"
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
				err := answerAll(&http.Client{Timeout: 5 * time.Second}, base+"/q/living-wall", email)
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
	q, err := s.QuizBySlug("living-wall")
	require.NoError(t, err)
	stored := map[string]int{}
	for r, err := range s.Reader(q.ID, store.All).All() {
		require.NoError(t, err)
		if strings.HasSuffix(r.Email, "@two.example") {
			stored[r.Email]++
		}
	}
	for _, email := range acknowledged {
		require.Equal(t, 1, stored[email], email)
	}
	for email, n := range stored {
		require.Equal(t, 1, n, email)
	}
}
