// Package often runs background work repeatedly, alongside the requests.
package often

import (
	"context"
	"log/slog"
	"time"
)

// Every calls do each time that a period has passed, until the context ends; a call that is under way then is
// finished. What goes wrong is told to the log, which may be nil, under the name of what is done.
func Every(ctx context.Context, period time.Duration, log *slog.Logger, name string, do func() error) {
	tick := time.NewTicker(period)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			if err := do(); err != nil && log != nil {
				log.Error(name, "error", err)
			}
		}
	}
}
