// Package counting calculates the shares of drafts. Each quiz keeps its last calculation, its windows take turns, and
// all quizzes together use no more than the server has.
package counting

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"sync"

	"omphalos/app/limits"
	"omphalos/app/store/documents"
	"omphalos/core/check"
	"omphalos/core/message"
	"omphalos/core/product"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

// Counts keep, for each quiz that is being edited, what has been counted of it, so that an edit of wording counts
// nothing.
type Counts struct {
	heavy *limits.Heavy
	aside *limits.Heavy
	mu    sync.Mutex
	list  map[string]*counter
}

// counter is what has been counted of one quiz.
type counter struct {
	reach.Counter
	turn *limits.Heavy
	ends struct {
		sync.Mutex
		messages message.Counters
		products product.Counter
	}
}

// maxCounters bounds how many quizzes are remembered: each keeps up to 16 MB.
const maxCounters = 16

// New makes counts of nothing yet.
func New() *Counts {
	return &Counts{
		heavy: limits.NewHeavy(limits.Counts, limits.WaitingCounts), aside: limits.NewHeavy(1, limits.WaitingCounts),
		list: map[string]*counter{},
	}
}

func (c *Counts) counterOf(id string) *counter {
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
	err := c.counterOf(id).turn.Do(ctx, func() {
		busy = c.heavy.Do(ctx, func() { f(ctx) })
	})
	return cmp.Or(err, busy)
}

// Aside runs f, which looks for advice and may take long, when it is its turn among all advice: no count waits for it.
func (c *Counts) Aside(ctx context.Context, f func(context.Context)) error {
	ctx, cancel := context.WithTimeout(ctx, limits.CountingWait)
	defer cancel()
	return c.aside.Do(ctx, func() { f(ctx) })
}

// Options are those of a count that someone waits for.
func Options() reach.Options {
	return reach.Options{Budget: reach.EditBudget, Patience: limits.CountingTime, Memory: limits.CountingMemory}
}

// Draft is what is counted: a valid document, and the tables next to it.
type Draft struct {
	Quiz   string
	Doc    *quiz.Document
	Tables []documents.Table
}

// Proof is what a draft was found to do: the count of all respondents, and its kept rehearsals. Checks that do not
// hold are among the report's findings, as the first of them.
type Proof struct {
	*reach.Report
	Checks   []check.Result  `json:"checks"`
	Messages []message.Share `json:"messages,omitempty"`
}

// Prove counts a draft and runs its checks, in a turn.
func (c *Counts) Prove(ctx context.Context, d Draft, o reach.Options) (*Proof, error) {
	r, err := c.counterOf(d.Quiz).Check(ctx, d.Doc, o)
	if err != nil {
		return nil, err
	}
	runner, err := check.New(d.Doc, documents.Beside(d.Tables, d.Doc.Language))
	if err != nil {
		return nil, err
	}
	p := &Proof{Report: r, Checks: runner.Run()}
	r.Findings = append(check.Findings(d.Doc, p.Checks), r.Findings...)
	if err := c.counterOf(d.Quiz).proveEnds(ctx, d.Doc, p, o); err != nil {
		return nil, err
	}
	return p, nil
}

// proveEnds adds what the messages and the recommended products of a draft do.
func (c *counter) proveEnds(ctx context.Context, d *quiz.Document, p *Proof, o reach.Options) error {
	c.ends.Lock()
	defer c.ends.Unlock()
	var err error
	if p.Messages, err = c.ends.messages.Shares(ctx, d, p.Report, o); err != nil {
		return err
	}
	found, err := c.ends.products.Findings(ctx, d, p.Report, o)
	p.Findings = slices.Concat(p.Findings, message.Findings(d, p.Messages), found)
	return err
}

// ProveEven takes a turn and proves a draft with every answer equally likely; with moved also what leaving out each
// question would move.
func (c *Counts) ProveEven(ctx context.Context, d Draft, moved bool) (*Proof, error) {
	var p *Proof
	var failed error
	err := c.Turn(ctx, d.Quiz, func(ctx context.Context) {
		o := Options()
		o.Moved = moved
		p, failed = c.Prove(ctx, d, o)
	})
	return p, cmp.Or(err, failed)
}

// GivenUp tells whether a count ended because it took too long, or because too many others were waiting.
func GivenUp(err error) bool {
	return errors.Is(err, context.DeadlineExceeded) || errors.Is(err, context.Canceled) || errors.Is(err, limits.ErrBusy)
}
