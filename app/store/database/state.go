package database

import (
	"time"
)

// State names what respondents' pages depend on besides responses: it is another one after every launch, deletion,
// restoration and change of a table. What other processes do shows within a beat.
type State struct {
	changes uint64
	beat    int64
}

// beat is how long the changes of another process may go unnoticed.
const beat = 2 * time.Second

// State returns the present state. Anyone who keeps what they read takes the state first: then nothing old is kept
// under a new one.
func (s *DB) State() State {
	return State{s.changes.Load(), s.Now().UnixNano() / int64(beat)}
}

// Changes counts the changes of the state that this process made, or heard of.
func (s *DB) Changes() uint64 { return s.changes.Load() }

// BumpState tells that the state is another one, when err is nil, and returns err.
func (s *DB) BumpState(err error) error {
	if err == nil {
		s.changes.Add(1)
		_ = s.Tell(s.Write, saidMove) // who does not hear it looks after a beat
	}
	return err
}
