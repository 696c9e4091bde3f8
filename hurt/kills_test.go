package main

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/responses"
	"omphalos/demo/visitor"
)

// The trials can fail: a response that was acknowledged and is not there is lost, one that is there twice is doubled.
func TestLostAndDoubledAreNoticed(t *testing.T) {
	b := &bench{dir: t.TempDir()}
	at, err := b.filled(false)
	require.NoError(t, err)
	s, err := opened(at)
	require.NoError(t, err)
	q, err := s.Documents.QuizBySlug(visitor.Slug)
	require.NoError(t, err)
	c := &crowd{}
	for n, email := range []string{"once@hurt.example", "twice@hurt.example", "twice@hurt.example", "unheard@hurt.example"} {
		now := time.Now()
		_, err := s.Responses.Submit(responses.Submission{Response: &responses.Response{
			ID: fmt.Sprint("hurt", n), QuizID: q.ID, Version: 1, Kept: true, Outcome: "visit", Email: email,
			Day: now.Format(time.DateOnly), StartedAt: now, At: now,
		}})
		require.NoError(t, err)
	}
	require.NoError(t, s.Close())
	c.finished = []string{"once@hurt.example", "twice@hurt.example", "gone@hurt.example"}
	lost, doubled, err := c.lost(at)
	require.NoError(t, err)
	require.Equal(t, [2]int{1, 1}, [2]int{lost, doubled})
}

// An answer that never came, or was an error, counts as one that took for ever.
func TestErrorsTakeForEver(t *testing.T) {
	var n atomic.Int64
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		if n.Add(1)%10 == 0 {
			w.WriteHeader(http.StatusServiceUnavailable)
		}
	}))
	defer server.Close()
	took := latencies(server.URL, 100, 4)
	require.Len(t, took, 100)
	require.Less(t, took.at(0.5), time.Minute)
	require.Equal(t, time.Minute, took.at(0.95))
	require.Zero(t, times(nil).at(0.5))
	require.Equal(t, 3*time.Second, times{3 * time.Second, time.Second, 2 * time.Second}.at(1))
}
