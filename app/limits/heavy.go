// Package limits bounds what one request, one visitor and one server can use, where no other package is the natural
// place for a bound. Table lists all bounds of the program.
package limits

import (
	"cmp"
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"time"
)

// Heavy work takes much memory or time for a moment: decoding a picture, reading a file that is imported, counting
// respondents. Only so many pieces are done at once, so that those are all the memory that it takes.
type Heavy struct {
	turn    chan struct{}
	waiting atomic.Int32
	most    int32

	mu  sync.Mutex
	own map[uint]*Heavy // the queues of accounts that have something to do here now

	users int // of the queue of an account: how many have it in hand, kept by the queue that it belongs to
}

// How much is done at once, and how many may wait for their turn.
const (
	Files        = 1 // a photograph takes up to 200 MB
	WaitingFiles = 8 // each of them holds what was sent to it
	WaitingOwn   = 3 // of one account, behind the one that it has in the queue of all

	ofAll = 2 // how many times the queue all accounts may have in hand: each piece holds what was sent

	Counts        = 2 // at most CountingMemory each
	WaitingCounts = 500

	longestWait = 30 * time.Second
)

// What the count of a draft may take while someone waits for it: then simulation takes over, which takes three
// seconds more.
const (
	CountingTime   = 3 * time.Second
	CountingMemory = 96 << 20
	CountingWait   = 20 * time.Second // for all that is counted for one page, and the wait for a turn
)

// Memory is from how much on the program collects what no one uses any more without pause, where GOMEMLIMIT does not
// say otherwise.
const Memory = 700 << 20

// ErrBusy says that too many others are waiting.
var ErrBusy = errors.New("the server is busy; try again in a minute")

// NewHeavy makes a queue for heavy work of which some pieces are done at once, and some may wait.
func NewHeavy(atOnce, waiting int) *Heavy {
	return &Heavy{turn: make(chan struct{}, atOnce), most: int32(waiting), own: map[uint]*Heavy{}}
}

// DoFor is Do for one account: it has one piece of work in the queue of all, and its others wait behind that, so that
// no one fills the queue alone.
func (h *Heavy) DoFor(ctx context.Context, account uint, f func()) error {
	own := h.enter(account)
	if own == nil {
		return ErrBusy
	}
	defer h.leave(account, own)
	var busy error
	return cmp.Or(own.Do(ctx, func() { busy = h.Do(ctx, f) }), busy)
}

// enter returns the queue of an account; nil where all accounts have as much in hand as they may.
func (h *Heavy) enter(account uint) *Heavy {
	h.mu.Lock()
	defer h.mu.Unlock()
	all := 0
	for _, one := range h.own {
		all += one.users
	}
	if all >= ofAll*(cap(h.turn)+int(h.most)) {
		return nil
	}
	own := h.own[account]
	if own == nil {
		own = NewHeavy(1, WaitingOwn)
		h.own[account] = own
	}
	own.users++
	return own
}

// leave forgets the queue of an account that has nothing in hand any more.
func (h *Heavy) leave(account uint, own *Heavy) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if own.users--; own.users == 0 {
		delete(h.own, account)
	}
}

// Do runs f in its turn; without running it, the error is ErrBusy, or that of the context.
func (h *Heavy) Do(ctx context.Context, f func()) error {
	defer h.waiting.Add(-1)
	if h.waiting.Add(1) > h.most+int32(cap(h.turn)) {
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
