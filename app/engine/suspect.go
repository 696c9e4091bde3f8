package engine

import (
	"net/netip"
	"time"

	"omphalos/app/store/attempts"
)

// leastPerQuestion is how fast someone may be on average; no one reads as fast.
const leastPerQuestion = 40 * time.Millisecond

// perAddress is how often walks are finished from one address: an office, a fair, a school. What passes it is kept
// aside, not lost.
var perAddress = attempts.Rate{Every: 30 * time.Second, Burst: 60}

// Trap is a field that no one sees; programs fill it in.
const Trap = "homepage"

// guard judges finished walks without puzzles.
type guard struct {
	take func(key string, r attempts.Rate) (attempts.Taken, error)
	off  bool // for tests under load from one address
}

// suspect says why a finished walk looks like a program's, or nothing. Anyone who asks from this very machine is its
// owner, or a check of theirs: they are caught by the hidden field only.
func (g *guard) suspect(from netip.Addr, trapped bool, took time.Duration, questions int) string {
	switch {
	case trapped:
		return "it filled in a field that people can’t see"
	case from.IsLoopback():
		return ""
	case took < time.Duration(questions)*leastPerQuestion && !g.off:
		return "it was answered faster than anyone could read"
	case !g.allow(from):
		return "many responses came from the same address"
	}
	return ""
}

func (g *guard) allow(from netip.Addr) bool {
	if g.off || !from.IsValid() {
		return true
	}
	taken, err := g.take("finish "+household(from).String(), perAddress)
	return taken.OK || err != nil // a response is not held against anyone for a fault of ours
}
