package account

import (
	"net"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/require"

	"omphalos/app/store"
)

func TestTheWayBackStaysHere(t *testing.T) {
	for next, want := range map[string]string{"/quizzes/x/script": "/quizzes/x/script", "": "/", "//evil.example": "/", "https://evil.example": "/", "/\\evil.example": "/", "/\tevil": "/", "quizzes": "/"} {
		require.Equal(t, want, localPath(next), next)
	}
}

// Anyone who knows an address does not lock its owner out: only the network that guesses is.
func TestGuessingIsSlowedByNetwork(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	h := New(s, "", "")
	allowed := func(ip, email string, n int) (ok int) {
		for range n {
			c, _ := gin.CreateTestContext(httptest.NewRecorder())
			c.Request = httptest.NewRequest("POST", "/sign-in", nil)
			c.Request.RemoteAddr = net.JoinHostPort(ip, "1")
			_, may, err := h.allow(c, email)
			require.NoError(t, err)
			if may {
				ok++
			}
		}
		return ok
	}
	require.Equal(t, 10, allowed("192.0.2.1", "ada@larkmoor.example", 30))
	require.Equal(t, 5, allowed("192.0.2.2", "ada@larkmoor.example", 5), "the same account from another network")
	require.Equal(t, 10, allowed("192.0.2.1", "other@larkmoor.example", 12), "another account from the same network")
	require.Equal(t, 18, allowed("192.0.2.1", "a@b", 10)+allowed("192.0.2.1", "b@b", 10), "sixty from one network in all")
	require.Equal(t, 10, allowed("2001:db8::1", "a@larkmoor.example", 12))
	require.Equal(t, 0, allowed("2001:db8::2", "a@larkmoor.example", 3), "one household has a whole network")
}

// A link that is printed at the start works once, anyone who is faster.
func TestALinkWorksOnce(t *testing.T) {
	h := New(nil, "click", "")
	require.False(t, use(&h.oneClick, "clack"))
	require.True(t, use(&h.oneClick, "click"))
	require.False(t, use(&h.oneClick, "click"))
	require.False(t, use(&h.setUp, ""), "where there is no link, none works")
}

func TestCredentials(t *testing.T) {
	require.Empty(t, badCredentials("ada@larkmoor.example", "fern wall pot 9"))
	for password, want := range map[string]string{
		"fern wall":               "at least 10",
		strings.Repeat("fp", 101): "at most 200",
		"my-Larkmoor-ada-x":       "", // three letters of an address say nothing
		"1234567890":              "This password is too common. Choose a different one, for example four unrelated words.",
		"Password123!":            "This password is too common. Choose a different one, for example four unrelated words.",
		"ababababababab":          "This password is too common. Choose a different one, for example four unrelated words.",
		"abcdefghijklmnop":        "This password is too common. Choose a different one, for example four unrelated words.",
		"zyxwvutsrqpo":            "This password is too common. Choose a different one, for example four unrelated words.",
	} {
		if got := badCredentials("ada@larkmoor.example", password); want == "" {
			require.Empty(t, got, password)
		} else {
			require.Contains(t, got, want, password)
		}
	}
	require.Contains(t, badCredentials("ada", "fern wall pot 9"), "Enter an email address, such as name@example.org.")
	require.Contains(t, badCredentials("orlaquill@larkmoor.example", "Orlaquill 2026!"), "Choose a password that doesn’t contain your email address")
}

// Tries at an address that has no account are counted as those at one that has, and forgotten at a sign-in.
func TestTriesAreCountedForEveryAddress(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	_, err = s.People.CreateOwner("ada@larkmoor.example", "fern wall pot 9")
	require.NoError(t, err)
	h := New(s, "", "")
	try := func(email, password string) int {
		c, _ := gin.CreateTestContext(httptest.NewRecorder())
		c.Request = httptest.NewRequest("POST", "/sign-in", nil)
		_, _ = h.check(c, email, password)
		n, _ := h.wrong.Get("ada@larkmoor.example")
		m, _ := h.wrong.Get("nobody@larkmoor.example")
		return 100*n + m
	}
	require.Equal(t, 1, try("nobody@larkmoor.example", "a wrong guess"))
	require.Equal(t, 101, try("Ada@larkmoor.example", "a wrong guess"))
	require.Equal(t, 102, try("nobody@larkmoor.example", "another guess"))
	require.Equal(t, 2, try("ada@larkmoor.example", "fern wall pot 9"))
}

// Attempts that are known to be too many write nothing, for a while.
func TestAFloodOfAttemptsWritesNothing(t *testing.T) {
	now := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	clock := func() time.Time { return now }
	s, err := store.Open(t.TempDir(), store.Options{Now: clock})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	h := New(s, "", "")
	h.Now = clock
	for n := range 200 {
		may, err := h.try("ip 192.0.2.1", 10)
		require.NoError(t, err)
		require.Equal(t, n < 10, may)
	}
	counted, err := s.Attempts.Try("ip 192.0.2.1", time.Minute)
	require.NoError(t, err)
	require.Equal(t, 12, counted, "ten that were let through, the one that was too many, and this look")
	now = now.Add(time.Minute)
	may, err := h.try("ip 192.0.2.1", 10)
	require.NoError(t, err)
	require.True(t, may)
}
