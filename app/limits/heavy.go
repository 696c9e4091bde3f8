// Package limits holds what bounds one request, one visitor and one server, where no other package is the place of it.
package limits

import (
	"context"
	"errors"
	"sync/atomic"
	"time"
)

// Heavy work takes much memory for a moment: decoding a picture, reading a file that is brought in. One piece is done
// at a time, so that the memory of the largest one is all that it takes.
type Heavy struct {
	turn    chan struct{}
	waiting atomic.Int32
}

const (
	maxWaiting  = 8 // each of them holds what was sent to it
	longestWait = 30 * time.Second
)

// Memory is from how much on the program collects what nobody uses any more without pause, where GOMEMLIMIT does not say
// otherwise.
const Memory = 700 << 20

// ErrBusy says that too many others are waiting.
var ErrBusy = errors.New("the server is busy with other files: try again in a minute")

// NewHeavy makes a queue for heavy work.
func NewHeavy() *Heavy { return &Heavy{turn: make(chan struct{}, 1)} }

// Do runs f in its turn; without running it, the error is ErrBusy, or that of the context.
func (h *Heavy) Do(ctx context.Context, f func()) error {
	defer h.waiting.Add(-1)
	if h.waiting.Add(1) > maxWaiting {
		return ErrBusy
	}
	late := time.NewTimer(longestWait)
	defer late.Stop()
	select {
	case h.turn <- struct{}{}:
	case <-late.C:
		return ErrBusy
	case <-ctx.Done():
		return ctx.Err()
	}
	defer func() { <-h.turn }()
	f()
	return nil
}
