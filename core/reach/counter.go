package reach

import (
	"context"
	"encoding/json"
	"fmt"
	"sync"

	"omphalos/core/quiz"
)

// Counter checks one document again and again as it is edited. An edit of wording alone counts nothing anew: the
// passes of the document before it are used, and only what is said in words is said again.
type Counter struct {
	mu     sync.Mutex
	key    string
	m      *model
	passes map[string]*counted // nil: beyond the budget
	sim    *simulation
	left   []float64 // by question: what leaving it out would move; nil when not counted
	bytes  int64     // about how much memory the passes take
	Passes int       // how many passes have been run, for tests
}

// maxKept is how many bytes of passes a Counter keeps for the next check. More is counted anew.
const maxKept = 16 << 20

// forget drops passes that are too large to be kept.
func (c *Counter) forget() {
	if c.bytes > maxKept {
		c.passes, c.bytes = map[string]*counted{}, 0
	}
}

// Check is the same as the function Check. Calls wait for each other.
func (c *Counter) Check(ctx context.Context, d *quiz.Document, o Options) (*Report, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	counting, stop := o.counting(ctx)
	defer stop()
	key, err := fingerprint(d, o)
	if err != nil {
		return nil, err
	}
	if c.m == nil || c.key != key {
		if err := c.begin(ctx, counting, d, o); err != nil {
			return nil, err
		}
		c.key = key
	}
	c.m.d = d
	defer c.forget()
	return c.check(ctx, counting, o)
}

// begin makes the model of another document.
func (c *Counter) begin(ctx, counting context.Context, d *quiz.Document, o Options) error {
	m, err := newModel(counting, d, o.Assume)
	if err == nil && ctx.Err() != nil {
		err = ctx.Err() // it was given up: what there is of the model is of no use to the next check
	}
	if err != nil {
		return err
	}
	c.key, c.m, c.passes, c.sim, c.left, c.bytes = "", m, map[string]*counted{}, nil, nil, 0
	return nil
}

// alone begins to count a document for one question about it; stop ends that.
func alone(ctx context.Context, d *quiz.Document, o Options) (k *checker, stop context.CancelFunc, err error) {
	counting, stop := o.counting(ctx)
	c := Counter{}
	if err := c.begin(ctx, counting, d, o); err != nil {
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
	if err := c.begin(ctx, counting, d, o); err != nil {
		return nil, err
	}
	return c.check(ctx, counting, o)
}

// fingerprint is all of a document and an assumption that counting looks at: everything but the wording.
func fingerprint(d *quiz.Document, o Options) (string, error) {
	bare := *d
	bare.Name, bare.Language, bare.Theme = "", "", quiz.Theme{}
	bare.Intro, bare.Contact, bare.Recommendations = nil, nil, nil
	bare.Sections, bare.Params, bare.Translations, bare.Checks, bare.Messages = nil, nil, nil, nil, nil
	bare.Settings = quiz.Settings{}
	bare.Scales, bare.Keywords = append([]quiz.Scale{}, d.Scales...), append([]quiz.Keyword{}, d.Keywords...)
	for i := range bare.Scales {
		bare.Scales[i].Name = ""
	}
	for i := range bare.Keywords {
		bare.Keywords[i].Name = ""
	}
	bare.Outcomes = make([]quiz.Outcome, len(d.Outcomes))
	for i := range d.Outcomes {
		bare.Outcomes[i].ID = d.Outcomes[i].ID
	}
	bare.Questions = append([]quiz.Question{}, d.Questions...)
	for i := range bare.Questions {
		q := &bare.Questions[i]
		q.Text, q.Help, q.Image, q.Alt, q.Credit = "", "", "", "", ""
		q.Unit, q.Ends, q.Section, q.Display, q.Shuffle = "", nil, "", "", false
		q.Choices = append([]quiz.Choice{}, q.Choices...)
		for j := range q.Choices {
			c := &q.Choices[j]
			c.Label, c.Image, c.Alt, c.Why, c.Correct, c.Other, c.Pinned = "", "", "", "", false, false, false
		}
		q.Rows = append([]quiz.Row{}, q.Rows...)
		for j := range q.Rows {
			q.Rows[j].Label = ""
		}
	}
	b, err := json.Marshal([]any{bare, o.Assume, o.Budget, o.Samples, o.Memory, o.Patience})
	return string(b), err
}

// String names a purpose, so that its pass can be found again.
func (p purpose) String() string {
	return fmt.Sprint(p.lines, p.last, p.exact, p.below, p.wide, p.shifted, p.like != nil)
}
