package limits

import (
	"net"
	"net/http"
	"sync/atomic"
)

// How many connections are open at once, each of which takes some 30 kB: more wait until one of them ends. Of those,
// Listening are windows of the workbench that listen to each other's edits; more ask from time to time instead.
const (
	Connections = 8192
	Listening   = 4096
)

// Pressed lets no connections stand open between requests while most of those that there may be are in use: whoever is
// in the middle of a quiz makes a new one, and nobody waits for somebody who is reading.
func Pressed(s *http.Server, most int64) {
	var open atomic.Int64
	var pressed atomic.Bool
	s.ConnState = func(_ net.Conn, state http.ConnState) {
		switch state {
		case http.StateNew:
			if open.Add(1) > most-most/4 && pressed.CompareAndSwap(false, true) {
				s.SetKeepAlivesEnabled(false) // those that wait are closed
			}
		case http.StateClosed, http.StateHijacked:
			if open.Add(-1) < most/2 && pressed.CompareAndSwap(true, false) {
				s.SetKeepAlivesEnabled(true)
			}
		}
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
