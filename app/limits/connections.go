package limits

import (
	"maps"
	"net"
	"net/http"
	"slices"
	"sync"
	"sync/atomic"
	"time"
)

// How many connections are open at once, each of which takes some 30 kB: more wait until one of them ends. Of those,
// Listening are windows of the workbench that listen to each other's edits; more ask from time to time instead.
const (
	Connections = 8192
	Listening   = 4096
)

// Pressed closes connections that stand open between requests while most of those that there may be are in use, those
// that have stood longest first: anyone who is in the middle of a quiz makes a new one, and no one waits for someone
// who is reading.
func Pressed(s *http.Server, most int) {
	s.ConnState = newWaiting(most).see
}

// waiting are the connections between requests.
type waiting struct {
	most  int
	mu    sync.Mutex
	open  int
	since map[net.Conn]time.Time
	shut  map[net.Conn]bool // closed here, which the server has not seen yet
}

func newWaiting(most int) *waiting {
	return &waiting{most: most, since: map[net.Conn]time.Time{}, shut: map[net.Conn]bool{}}
}

func (w *waiting) see(c net.Conn, state http.ConnState) {
	w.mu.Lock()
	defer w.mu.Unlock()
	delete(w.since, c)
	switch state {
	case http.StateNew:
		if w.open++; w.open > w.most-w.most/4 {
			w.makeRoom()
		}
	case http.StateIdle:
		w.since[c] = time.Now()
	case http.StateClosed, http.StateHijacked:
		if !w.shut[c] {
			w.open--
		}
		delete(w.shut, c)
	}
}

// makeRoom closes half of those that wait: those that have waited longest, of whom no one is likely to be asking now.
func (w *waiting) makeRoom() {
	list := slices.SortedFunc(maps.Keys(w.since), func(a, b net.Conn) int { return w.since[a].Compare(w.since[b]) })
	for _, c := range list[:(len(list)+1)/2] {
		delete(w.since, c)
		w.open-- // at once: else each new connection would close half of the rest until the server has seen it
		w.shut[c] = true
		_ = c.Close()
	}
}

// Seats are for those who stay for long.
type Seats struct {
	Most  int64
	taken atomic.Int64
}

// Take takes one, and reports whether there was one; leave gives it back.
func (s *Seats) Take() (leave func(), ok bool) {
	if s.taken.Add(1) > s.Most {
		s.taken.Add(-1)
		return nil, false
	}
	return func() { s.taken.Add(-1) }, true
}
