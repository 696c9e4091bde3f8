package store

import (
	"fmt"
	"strings"
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
func (s *Store) State() State {
	return State{s.changes.Load(), s.now().UnixNano() / int64(beat)}
}

// bumpState tells that the state is another one, when err is nil, and returns err.
func (s *Store) bumpState(err error) error {
	if err == nil {
		s.changes.Add(1)
		_ = s.tell(s.write, saidMove) // who does not hear it looks after a beat
	}
	return err
}

// TablesState names the state of the tables next to a quiz.
func (s *Store) TablesState(quizID string) (string, error) {
	var list []DataTable
	if err := s.read.Select("name", "number").Where("quiz_id = ?", quizID).Order("name").Find(&list).Error; err != nil {
		return "", err
	}
	var b strings.Builder
	for _, t := range list {
		fmt.Fprintf(&b, "%s %d;", t.Name, t.Number)
	}
	return b.String(), nil
}

// Size is about how many bytes of memory the table takes.
func (t *Table) Size() int {
	const cell = 24 // a string's header, and what the allocator adds
	size := 0
	for _, row := range t.Rows {
		for _, c := range row {
			size += len(c) + cell
		}
	}
	return size
}
