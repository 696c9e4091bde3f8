package edit

import (
	"context"
	"sync"
)

// watchers are the windows that wait for edits.
type watchers struct {
	mu   sync.Mutex
	list map[string]map[chan int]bool // by quiz
}

// Watch returns a channel that tells the revision after each edit of a quiz, and a function that ends it. Anyone who
// reads slowly is told the last one alone.
func (e *Editor) Watch(quizID string) (revisions <-chan int, end func()) {
	w := &e.watch
	c := make(chan int, 1)
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.list == nil {
		w.list = map[string]map[chan int]bool{}
	}
	if w.list[quizID] == nil {
		w.list[quizID] = map[chan int]bool{}
	}
	w.list[quizID][c] = true
	return c, func() {
		w.mu.Lock()
		defer w.mu.Unlock()
		if delete(w.list[quizID], c); len(w.list[quizID]) == 0 {
			delete(w.list, quizID)
		}
	}
}

// Hear tells windows of the edits that other servers on the same database make, until the context ends.
func (e *Editor) Hear(ctx context.Context) { e.store.Hear(ctx, e.watch.tell) }

func (w *watchers) tell(quizID string, revision int) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for c := range w.list[quizID] {
		select {
		case <-c: // an older one that no one has read
		default:
		}
		c <- revision
	}
}
