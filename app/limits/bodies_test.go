package limits

import (
	"io"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// A body has ten seconds, and one more for each kilobyte that has come, up to three minutes.
func TestABodyHasItsPace(t *testing.T) {
	begun := time.Now()
	var until time.Time
	p := &pacedBody{ReadCloser: io.NopCloser(strings.NewReader(strings.Repeat("x", 1<<20))), begun: begun, until: func(t time.Time) error {
		until = t
		return nil
	}}
	read := func(n int) time.Duration {
		_, err := io.ReadFull(p, make([]byte, n))
		require.NoError(t, err)
		return until.Sub(begun)
	}
	require.Equal(t, 10*time.Second, read(1024))
	require.Equal(t, 11*time.Second, read(1))
	require.Equal(t, 11*time.Second, read(1023).Truncate(time.Second))
	read(64 << 10)
	require.Equal(t, 76*time.Second, read(1))
	read(400 << 10)
	require.Equal(t, 3*time.Minute, read(1))
}
