package respond

import (
	"net/netip"
	"sync"
	"time"

	"golang.org/x/time/rate"
)

// Bounds of what a respondent does. What passes them is kept aside, not lost.
const (
	leastPerQuestion = 40 * time.Millisecond // on average; nobody reads as fast
	finishesPerHour  = 120                   // from one address: an office, a fair, a school
	finishBurst      = 60
)

// The trap is a field that nobody sees; programs fill it in.
const trap = "homepage"

// guard judges finished walks without puzzles.
type guard struct {
	mu     sync.Mutex
	limits map[netip.Addr]*rate.Limiter
	off    bool // for tests under load from one address
}

// suspect says why a finished walk looks like a program's, or nothing.
// Who asks from this very machine is its owner, or a check of theirs: only the hidden field tells on them.
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

// maxLimits bounds how many addresses are remembered.
const maxLimits = 50_000

func (g *guard) allow(from netip.Addr) bool {
	if g.off || !from.IsValid() {
		return true
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.limits == nil || len(g.limits) > maxLimits {
		g.limits = map[netip.Addr]*rate.Limiter{}
	}
	if from.Is6() { // one household has a whole /64
		if p, err := from.Prefix(64); err == nil {
			from = p.Addr()
		}
	}
	l := g.limits[from]
	if l == nil {
		l = rate.NewLimiter(rate.Every(time.Hour/finishesPerHour), finishBurst)
		g.limits[from] = l
	}
	return l.Allow()
}
