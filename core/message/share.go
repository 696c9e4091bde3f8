package message

import (
	"context"
	"encoding/json"
	"maps"
	"slices"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
)

// Share is what share of all respondents a message is for. Whether they leave an address, or agree, is not counted.
type Share struct {
	ID        string          `json:"id"`
	Share     float64         `json:"share"`
	Reachable bool            `json:"reachable"`
	Known     bool            `json:"-"` // false: the condition asks too much at once to be counted
	Exact     bool            `json:"-"`
	Witness   map[string]any  `json:"witness,omitempty"`
	Interval  *reach.Interval `json:"interval,omitempty"`
}

// Counters remember what was counted of each message of a quiz, so that an edit of wording counts nothing.
type Counters struct {
	of map[string]*reach.Counter // by message id
}

// Shares counts every message that is switched on. whole is the count of the document itself: a message that only asks
// for outcomes is read off it.
func (c *Counters) Shares(
	ctx context.Context, d *quiz.Document, whole *reach.Report, o reach.Options,
) ([]Share, error) {
	used := map[string]*reach.Counter{}
	out := []Share{}
	for i := range d.Messages {
		m := &d.Messages[i]
		if m.Off {
			continue
		}
		s, done := readOff(d, m, whole)
		if !done {
			counter := c.of[m.ID]
			if counter == nil {
				counter = &reach.Counter{}
			}
			used[m.ID] = counter
			var err error
			if s, err = count(ctx, d, m, counter, o); err != nil {
				return nil, err
			}
		}
		out = append(out, s)
	}
	c.of = used
	return out, nil
}

// readOff takes a share from the count of the outcomes, where nothing but these is asked for.
func readOff(d *quiz.Document, m *quiz.Message, whole *reach.Report) (Share, bool) {
	s := Share{ID: m.ID, Known: true, Exact: whole.Exact}
	for i := range whole.Outcomes {
		o := &whole.Outcomes[i]
		rest := restOf(d, m, o.ID)
		if rest.open() {
			return Share{}, false
		}
		if !rest.holds {
			continue
		}
		s.Share += o.Share
		if s.Reachable = s.Reachable || o.Reachable || o.Settled == reach.Unsettled; s.Witness == nil {
			s.Witness = o.Witness
		}
	}
	return s, true
}

// count counts a message by a document that ends at one outcome for those whom it is for, and at another for the rest.
func count(ctx context.Context, d *quiz.Document, m *quiz.Message, c *reach.Counter, o reach.Options) (Share, error) {
	s := Share{ID: m.ID}
	told, ok := parted(d, m)
	if !ok {
		return s, nil
	}
	o.Only = true
	r, err := c.Check(ctx, told, o)
	if err != nil {
		return s, err
	}
	yes := &r.Outcomes[1]
	s.Known, s.Exact, s.Share, s.Witness, s.Interval = true, r.Exact, yes.Share, yes.Witness, yes.Interval
	s.Reachable = yes.Reachable || yes.Settled == reach.Unsettled
	return s, nil
}

// rest is what is left of a message's condition once the outcome is known: settled, or still open.
type rest struct {
	when  *rule.Condition // nil: settled
	holds bool            // when settled
}

func (r rest) open() bool { return r.when != nil }

func settled(holds bool) rest { return rest{holds: holds} }

// restOf is what is left of the condition of a message for those who end at an outcome.
func restOf(d *quiz.Document, m *quiz.Message, outcome string) rest {
	if o := d.Outcome(outcome); o == nil || !o.Keeps() {
		return settled(false)
	}
	if m.When == nil {
		return settled(true)
	}
	return given(m.When, outcome)
}

// given puts an outcome into a condition.
func given(c *rule.Condition, outcome string) rest {
	switch {
	case c.All != nil:
		return join(c.All, outcome, len(c.All))
	case c.Any != nil:
		return join(c.Any, outcome, 1)
	case c.None != nil:
		r := join(c.None, outcome, 1)
		if !r.open() {
			return settled(!r.holds)
		}
		return rest{when: &rule.Condition{None: []rule.Condition{*r.when}}}
	case c.Counts():
		return join(c.Of, outcome, c.AtLeast)
	}
	if c.Fact == quiz.FactOutcome {
		return settled(rule.Compare(rule.TextValue(outcome), c.Op, c.Value))
	}
	return rest{when: c}
}

// join is what is left of a list of which at least need hold.
func join(list []rule.Condition, outcome string, need int) rest {
	var left []rule.Condition
	for i := range list {
		switch r := given(&list[i], outcome); {
		case r.open():
			left = append(left, *r.when)
		case r.holds:
			need--
		}
	}
	switch {
	case need <= 0:
		return settled(true)
	case need > len(left):
		return settled(false)
	}
	return rest{when: &rule.Condition{AtLeast: need, Of: left}}
}

// Outcomes of a parted document.
const (
	other = "other"
	gets  = "gets"
)

// maxOpen bounds how many different rests one line is parted by: each doubles the lines.
const maxOpen = 4

// parted is the document with every way to an outcome parted in two: those whom the message is for, and the others. It
// reports false where that would take too many lines.
func parted(d *quiz.Document, m *quiz.Message) (*quiz.Document, bool) {
	p := &parting{d: d, m: m}
	out := *d
	out.Messages, out.Checks, out.Recommendations = nil, nil, nil
	out.Outcomes = []quiz.Outcome{{ID: other}, {ID: gets}}
	out.Questions = slices.Clone(d.Questions)
	for i := range out.Questions {
		out.Questions[i].Branches = p.branches(d.Questions[i].Branches)
	}
	out.Verdicts = nil
	for i := range d.Verdicts {
		if !d.Verdicts[i].Off {
			out.Verdicts = append(out.Verdicts, p.verdict(&d.Verdicts[i])...)
		}
	}
	out.Otherwise = other
	switch r := restOf(d, m, d.Otherwise); {
	case r.open():
		out.Verdicts = append(out.Verdicts, quiz.Verdict{When: r.when, Outcome: gets})
	case r.holds:
		out.Otherwise = gets
	}
	return &out, !p.tooMany
}

type parting struct {
	d       *quiz.Document
	m       *quiz.Message
	tooMany bool
}

func name(holds bool) string {
	if holds {
		return gets
	}
	return other
}

// branches parts those that end at an outcome; the others lead where they led.
func (p *parting) branches(list []quiz.Branch) []quiz.Branch {
	var out []quiz.Branch
	for _, b := range list {
		outcome, ends := strings.CutPrefix(b.Go, "outcome:")
		if !ends {
			out = append(out, b)
			continue
		}
		r := restOf(p.d, p.m, outcome)
		if r.open() {
			both := rule.Condition{All: []rule.Condition{b.When, *r.when}}
			out = append(out, quiz.Branch{When: both, Go: "outcome:" + gets})
		}
		out = append(out, quiz.Branch{When: b.When, Go: "outcome:" + name(!r.open() && r.holds)})
	}
	return out
}

// verdict parts a line: one line for each way in which what is left open can turn out, tried in turn.
func (p *parting) verdict(v *quiz.Verdict) []quiz.Verdict {
	open := map[string]*rule.Condition{}
	for _, outcome := range v.Leads() {
		if r := restOf(p.d, p.m, outcome); r.open() {
			open[keyOf(r.when)] = r.when
		}
	}
	if len(open) > maxOpen {
		p.tooMany = true
		return nil
	}
	keys := slices.Sorted(maps.Keys(open))
	var out []quiz.Verdict
	for turn := range 1 << len(keys) {
		held := map[string]bool{}
		guard := []rule.Condition{}
		if v.When != nil {
			guard = append(guard, *v.When)
		}
		for i, k := range keys {
			if held[k] = turn>>i&1 == 1; held[k] {
				guard = append(guard, *open[k])
			} else {
				guard = append(guard, rule.Condition{None: []rule.Condition{*open[k]}})
			}
		}
		line := v.Leading(func(outcome string) string {
			r := restOf(p.d, p.m, outcome)
			return name(!r.open() && r.holds || r.open() && held[keyOf(r.when)])
		})
		if line.When = nil; len(guard) > 0 {
			line.When = &rule.Condition{All: guard}
		}
		out = append(out, line)
	}
	return out
}

func keyOf(c *rule.Condition) string {
	b, err := json.Marshal(c)
	if err != nil {
		panic(err) // conditions always have a form
	}
	return string(b)
}
