package reach

import (
	"context"
	"fmt"
	"sync"

	"omphalos/core/quiz"
)

// Counter checks one document again and again as it is edited. An edit of wording alone counts nothing again: the
// passes of the document before it are used, and only what is said in words is said again. An edit of points and votes
// keeps of them what it does not touch: see again.
type Counter struct {
	mu      sync.Mutex
	print   print
	m       *model
	passes  map[string]*counted // nil: beyond the budget
	earlier map[string]*counted // those of the document before, which is the same but for points and votes
	changed []int               // the questions whose points and votes are others there
	sim     *simulation
	left    []float64 // by question: what leaving it out would move; nil when not counted
	bytes   int64     // about how much memory the passes take
	Passes  int       // how many passes have been run from their beginning, for tests
}

// maxKept is how many bytes of passes a Counter keeps for the next check. More is counted again.
const maxKept = 16 << 20

// forget drops passes that are too large to be kept.
func (c *Counter) forget() {
	if c.bytes > maxKept {
		c.passes, c.bytes = map[string]*counted{}, 0
	}
	c.earlier = nil
}

// Check is the same as the function Check. Calls wait for each other.
func (c *Counter) Check(ctx context.Context, d *quiz.Document, o Options) (*Report, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	counting, stop := o.counting(ctx)
	defer stop()
	now, err := printOf(d, o)
	if err != nil {
		return nil, err
	}
	if !c.reweigh(counting, d, now) {
		if err := c.startModel(ctx, counting, d, o); err != nil {
			return nil, err
		}
	}
	c.print = now
	c.m.d = d
	defer c.forget()
	return c.check(ctx, counting, o)
}

// startModel makes the model of another document.
func (c *Counter) startModel(ctx, counting context.Context, d *quiz.Document, o Options) error {
	m, err := newModel(counting, d, o.Assume)
	if err == nil && ctx.Err() != nil {
		err = ctx.Err() // it was given up: what there is of the model is of no use to the next check
	}
	if err != nil {
		return err
	}
	c.print, c.m, c.earlier = print{}, m, nil
	c.passes, c.sim, c.left, c.bytes = map[string]*counted{}, nil, nil, 0
	return nil
}

// reweigh takes over what there is of the document before, and reports whether that can serve this one.
func (c *Counter) reweigh(counting context.Context, d *quiz.Document, now print) bool {
	if c.m == nil {
		return false
	}
	changed, ok := c.print.reweighed(now)
	if !ok || len(changed) == 0 {
		return ok
	}
	m := c.m.reweighed(counting, d, changed)
	if m == nil {
		return false
	}
	c.m, c.earlier, c.changed = m, c.passes, changed
	c.passes, c.sim, c.left, c.bytes = map[string]*counted{}, nil, nil, 0
	return true
}

// alone begins to count a document for one question about it; stop ends that.
func alone(ctx context.Context, d *quiz.Document, o Options) (k *checker, stop context.CancelFunc, err error) {
	counting, stop := o.counting(ctx)
	c := Counter{}
	if err := c.startModel(ctx, counting, d, o); err != nil {
		stop()
		return nil, nil, err
	}
	return c.checker(ctx, counting, o), stop, nil
}

// Check counts a document, which must be valid. It ends with the context's error when cancelled, and else always
// with a report: exact within the budget, and by simulation, said so, beyond.
func Check(ctx context.Context, d *quiz.Document, o Options) (*Report, error) {
	counting, stop := o.counting(ctx)
	defer stop()
	c := Counter{}
	if err := c.startModel(ctx, counting, d, o); err != nil {
		return nil, err
	}
	return c.check(ctx, counting, o)
}

// key names a pass for a purpose, so that it can be found again.
func (p purpose) key(combinations bool) string {
	return fmt.Sprint(p.lines, p.last, p.exact, p.below, p.wide, p.shifted, p.like != nil, combinations)
}
