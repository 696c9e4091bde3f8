package often

import (
	"bytes"
	"context"
	"errors"
	"log/slog"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// A call that goes wrong is told and does not stop the next; the end of the context does.
func TestEvery(t *testing.T) {
	var log bytes.Buffer
	ctx, end := context.WithCancel(context.Background())
	calls := 0
	Every(ctx, time.Millisecond, slog.New(slog.NewTextHandler(&log, nil)), "sweep", func() error {
		if calls++; calls == 3 {
			end()
			return nil
		}
		return errors.New("the disk is full")
	})
	require.GreaterOrEqual(t, calls, 3)
	require.Contains(t, log.String(), `msg=sweep error="the disk is full"`)
	Every(ctx, time.Hour, nil, "none", func() error { panic("the context has ended") })
}
