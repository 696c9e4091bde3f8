package limits

import (
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Whoever keeps a connection open between requests loses it when most of those that there may be are in use, and the
// next request makes a new one.
func TestWaitingConnectionsMakeRoom(t *testing.T) {
	server := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte("here")) }))
	Pressed(server.Config, 8)
	server.Start()
	defer server.Close()
	var idle []net.Conn
	ask := func(c net.Conn) string {
		_, err := c.Write([]byte("GET / HTTP/1.1\r\nHost: quiz\r\n\r\n"))
		require.NoError(t, err)
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
	last, err := net.Dial("tcp", server.Listener.Addr().String()) // the seventh of eight
	require.NoError(t, err)
	defer last.Close()
	require.Contains(t, ask(last), "here")
	for _, c := range idle {
		_ = c.SetReadDeadline(time.Now().Add(5 * time.Second))
		_, err := c.Read(make([]byte, 1))
		require.ErrorIs(t, err, io.EOF)
	}
	require.Eventually(t, func() bool { // with most of them gone, connections are kept again
		c, err := net.Dial("tcp", server.Listener.Addr().String())
		require.NoError(t, err)
		defer c.Close()
		answer := ask(c)
		return answer != "" && !strings.Contains(answer, "Connection: close")
	}, 5*time.Second, 10*time.Millisecond)
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
