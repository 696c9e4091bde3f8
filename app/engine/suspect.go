package engine

import (
	"net/netip"
	"time"

	"github.com/hashicorp/golang-lru/v2"
	"golang.org/x/time/rate"
)

// Bounds of what a respondent does. What passes them is kept aside, not lost.
const (
	leastPerQuestion = 40 * time.Millisecond // on average; nobody reads as fast
	finishesPerHour  = 120                   // from one address: an office, a fair, a school
	finishBurst      = 60
	maxAddresses     = 50_000 // that are remembered; the one that was longest away goes first
)

// Trap is a field that nobody sees; programs fill it in.
const Trap = "homepage"

// guard judges finished walks without puzzles.
type guard struct {
	limits *lru.Cache[netip.Addr, *rate.Limiter]
	now    func() time.Time
	off    bool // for tests under load from one address
}

func newGuard(now func() time.Time) *guard {
	limits, err := lru.New[netip.Addr, *rate.Limiter](maxAddresses)
	if err != nil {
		panic(err) // the size is positive
	}
	return &guard{limits: limits, now: now}
}

// suspect says why a finished walk looks like a program's, or nothing. Whoever asks from this very machine is its
// owner, or a check of theirs: they are caught by the hidden field only.
func (g *guard) suspect(from netip.Addr, trapped bool, took time.Duration, questions int) string {
	switch {
	case trapped:
		return "a hidden field was filled in"
	case from.IsLoopback():
		return ""
	case took < time.Duration(questions)*leastPerQuestion && !g.off:
		return "faster than anybody reads"
	case !g.allow(from):
		return "many from one address"
	}
	return ""
}

func (g *guard) allow(from netip.Addr) bool {
	if g.off || !from.IsValid() {
		return true
	}
	from = household(from)
	fresh := rate.NewLimiter(rate.Every(time.Hour/finishesPerHour), finishBurst)
	if known, ok, _ := g.limits.PeekOrAdd(from, fresh); ok {
		g.limits.Get(from) // it was here just now
		return known.AllowN(g.now(), 1)
	}
	return fresh.AllowN(g.now(), 1)
}
