package limits

import (
	"net"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Anyone who has kept a connection open between requests for longest loses it when most of those that there may be are
// in use.
func TestWaitingConnectionsMakeRoom(t *testing.T) {
	server := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte("here")) }))
	w := newWaiting(8)
	server.Config.ConnState = w.see
	server.Start()
	defer server.Close()
	var idle []net.Conn
	ask := func(c net.Conn) string {
		_, _ = c.Write([]byte("GET / HTTP/1.1\r\nHost: quiz\r\n\r\n")) // to one that is closed, in vain
		answer := make([]byte, 4096)
		_ = c.SetReadDeadline(time.Now().Add(5 * time.Second))
		n, _ := c.Read(answer)
		return string(answer[:n])
	}
	for range 6 {
		c, err := net.Dial("tcp", server.Listener.Addr().String())
		require.NoError(t, err)
		defer c.Close()
		require.Contains(t, ask(c), "here")
		idle = append(idle, c)
	}
	require.Eventually(t, func() bool { // the server has noted that all of them wait
		w.mu.Lock()
		defer w.mu.Unlock()
		return len(w.since) == len(idle)
	}, 5*time.Second, time.Millisecond)
	last, err := net.Dial("tcp", server.Listener.Addr().String()) // the seventh of eight
	require.NoError(t, err)
	defer last.Close()
	require.Contains(t, ask(last), "here")
	closed := 0
	for _, c := range idle {
		if ask(c) == "" {
			closed++
		}
	}
	require.Equal(t, len(idle)/2, closed)
	for range 40 { // however many come
		c, err := net.Dial("tcp", server.Listener.Addr().String())
		require.NoError(t, err)
		defer c.Close()
		require.Contains(t, ask(c), "here")
	}
}

// Those that are closed make room at once: anyone who has just asked is not closed too because the server is slow to
// see it.
func TestRoomIsMadeOnce(t *testing.T) {
	w := newWaiting(100)
	var all []net.Conn
	open := func() net.Conn {
		c, other := net.Pipe()
		t.Cleanup(func() { _ = other.Close() })
		w.see(c, http.StateNew)
		w.see(c, http.StateIdle)
		all = append(all, c)
		return c
	}
	for range 75 {
		open()
	}
	require.Len(t, w.since, 75)
	for range 30 { // the server has not noted one of them
		open()
	}
	require.Len(t, w.since, 75-38+30, "half of them once")
	for i, c := range all {
		_, waits := w.since[c]
		require.Equal(t, i >= 38, waits, i)
	}
	for _, c := range all {
		w.see(c, http.StateClosed)
	}
	require.Zero(t, w.open, "each is counted once")
	require.Empty(t, w.shut)
}

func TestSeats(t *testing.T) {
	s := Seats{Most: 2}
	leave, ok := s.Take()
	require.True(t, ok)
	_, ok = s.Take()
	require.True(t, ok)
	_, ok = s.Take()
	require.False(t, ok)
	leave()
	_, ok = s.Take()
	require.True(t, ok, "one has left")
}
