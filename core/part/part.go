// Package part calculates which share of the respondents a condition is true for at the end, when their outcome is
// known.
package part

import (
	"context"
	"encoding/json"
	"maps"
	"math"
	"slices"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
)

// Asked is a condition at the end of the quiz.
type Asked struct {
	When *rule.Condition           // nil: always true
	At   func(outcome string) bool // whether it is asked at this outcome; elsewhere it counts as not true
}

// Part is a share of all respondents, from 0 to 1.
type Part struct {
	Share     float64         `json:"share"`
	Reachable bool            `json:"reachable"`
	Known     bool            `json:"-"` // false: the condition is too large to be calculated
	Exact     bool            `json:"-"`
	Witness   map[string]any  `json:"witness,omitempty"`
	Interval  *reach.Interval `json:"interval,omitempty"`
}

// Possible reports whether the condition can be true for respondents who end at an outcome.
func (a *Asked) Possible(outcome string) bool {
	r := a.restAt(outcome)
	return r.open() || r.holds
}

// ReadOff returns the share from the report of the document itself. It reports false where the condition asks for more
// than the outcome.
func (a *Asked) ReadOff(whole *reach.Report) (Part, bool) {
	s := Part{Known: true, Exact: whole.Exact}
	for i := range whole.Outcomes {
		o := &whole.Outcomes[i]
		rest := a.restAt(o.ID)
		if rest.open() {
			return Part{}, false
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

// Count calculates the share by a document that ends at one outcome for those for whom the condition is true, and at
// another for the rest. Its error is that of o's budget or of ctx.
func (a *Asked) Count(ctx context.Context, d *quiz.Document, c *reach.Counter, o reach.Options) (Part, error) {
	parted, ok := a.parted(d)
	if !ok {
		return Part{}, nil
	}
	o.Only = true
	r, err := c.Check(ctx, parted, o)
	if err != nil {
		return Part{}, err
	}
	out := Part{Known: true, Exact: r.Exact}
	for i := range r.Outcomes {
		yes := &r.Outcomes[i]
		if !strings.HasSuffix(yes.ID, gets) {
			continue
		}
		out.Share += yes.Share
		if out.Reachable = out.Reachable || yes.Reachable || yes.Settled == reach.Unsettled; out.Witness == nil {
			out.Witness = yes.Witness
		}
	}
	if !r.Exact {
		interval := reach.Wilson(int(math.Round(out.Share*float64(r.Samples))), r.Samples)
		out.Interval = &interval
	}
	return out, nil
}

// rest is what is left of the condition once the outcome is known: settled, or still open.
type rest struct {
	when  *rule.Condition // nil: settled
	holds bool            // when settled
}

func (r rest) open() bool { return r.when != nil }

func settled(holds bool) rest { return rest{holds: holds} }

// restAt returns what is left of what is asked for respondents who end at an outcome.
func (a *Asked) restAt(outcome string) rest {
	switch {
	case !a.At(outcome):
		return settled(false)
	case a.When == nil:
		return settled(true)
	}
	return bindOutcome(a.When, outcome)
}

// bindOutcome puts an outcome into a condition.
func bindOutcome(c *rule.Condition, outcome string) rest {
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
		switch r := bindOutcome(&list[i], outcome); {
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

// parted is the document with every way to an outcome parted in two: those for whom it is true, and the others. It
// reports false where that would take too many lines.
func (a *Asked) parted(d *quiz.Document) (*quiz.Document, bool) {
	p := &parting{asked: a}
	out := *d
	out.Messages, out.Checks, out.Recommendations = nil, nil, nil
	out.Outcomes = []quiz.Outcome{{ID: other}, {ID: gets}}
	if slices.ContainsFunc(d.Verdicts, func(v quiz.Verdict) bool { return v.Closest != nil && !v.Off }) {
		for i := range d.Outcomes { // profiles are told apart by their outcomes, and the first declared wins a tie
			out.Outcomes = append(out.Outcomes, quiz.Outcome{ID: apart(d.Outcomes[i].ID, false)},
				quiz.Outcome{ID: apart(d.Outcomes[i].ID, true)})
		}
	}
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
	switch r := a.restAt(d.Otherwise); {
	case r.open():
		out.Verdicts = append(out.Verdicts, quiz.Verdict{When: r.when, Outcome: gets})
	case r.holds:
		out.Otherwise = gets
	}
	return &out, !p.tooMany
}

type parting struct {
	asked   *Asked
	tooMany bool
}

func name(holds bool) string {
	if holds {
		return gets
	}
	return other
}

// apart is name for one outcome by itself.
func apart(outcome string, holds bool) string { return outcome + "--" + name(holds) }

// branches parts those that end at an outcome; the others lead where they led.
func (p *parting) branches(list []quiz.Branch) []quiz.Branch {
	var out []quiz.Branch
	for _, b := range list {
		outcome, ends := strings.CutPrefix(b.Go, "outcome:")
		if !ends {
			out = append(out, b)
			continue
		}
		r := p.asked.restAt(outcome)
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
		if r := p.asked.restAt(outcome); r.open() {
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
			r := p.asked.restAt(outcome)
			holds := !r.open() && r.holds || r.open() && held[keyOf(r.when)]
			if v.Closest != nil {
				return apart(outcome, holds)
			}
			return name(holds)
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
