// Package counting counts the respondents of drafts: each quiz remembers what was counted of it, its windows take
// turns, and all quizzes together take no more than the server has.
package counting

import (
	"cmp"
	"context"
	"errors"
	"sync"

	"omphalos/app/limits"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

// Counts keep, for each quiz that is being edited, what has been counted of it, so that an edit of wording counts
// nothing.
type Counts struct {
	heavy *limits.Heavy
	mu    sync.Mutex
	list  map[string]*counter
}

// counter is what has been counted of one quiz.
type counter struct {
	reach.Counter
	turn *limits.Heavy
}

// maxCounters bounds how many quizzes are remembered: each keeps up to 16 MB.
const maxCounters = 16

// New makes counts of nothing yet.
func New() *Counts {
	return &Counts{heavy: limits.NewHeavy(limits.Counts, limits.WaitingCounts), list: map[string]*counter{}}
}

func (c *Counts) of(id string) *counter {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.list[id] == nil && len(c.list) >= maxCounters {
		clear(c.list)
	}
	if c.list[id] == nil {
		c.list[id] = &counter{turn: limits.NewHeavy(1, limits.WaitingCounts)}
	}
	return c.list[id]
}

// Turn runs f, which counts respondents of a quiz, when it is its turn: among the windows of the quiz, then among all
// quizzes. The context that f is given ends with ctx, and after a while in any case.
func (c *Counts) Turn(ctx context.Context, id string, f func(context.Context)) error {
	ctx, cancel := context.WithTimeout(ctx, limits.CountingWait)
	defer cancel()
	var busy error
	err := c.of(id).turn.Do(ctx, func() {
		busy = c.heavy.Do(ctx, func() { f(ctx) })
	})
	return cmp.Or(err, busy)
}

// Options are those of a count that somebody waits for.
func Options() reach.Options {
	return reach.Options{Budget: reach.EditBudget, Patience: limits.CountingTime, Memory: limits.CountingMemory}
}

// Check counts a valid document of a quiz, in a turn.
func (c *Counts) Check(ctx context.Context, id string, d *quiz.Document, o reach.Options) (*reach.Report, error) {
	return c.of(id).Check(ctx, d, o)
}

// Report takes a turn and counts a valid document of a quiz, every answer equally likely.
func (c *Counts) Report(ctx context.Context, id string, d *quiz.Document) (*reach.Report, error) {
	var r *reach.Report
	var failed error
	err := c.Turn(ctx, id, func(ctx context.Context) { r, failed = c.Check(ctx, id, d, Options()) })
	return r, cmp.Or(err, failed)
}

// GivenUp tells whether a count ended because it took too long, or because too many others were waiting.
func GivenUp(err error) bool {
	return errors.Is(err, context.DeadlineExceeded) || errors.Is(err, context.Canceled) || errors.Is(err, limits.ErrBusy)
}
