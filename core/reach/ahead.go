package reach

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"omphalos/core/fact"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Ahead is what someone who has answered some questions can still come to, with the answers to come as Options assume
// them.
type Ahead struct {
	Exact    bool
	Outcomes []Outcome // each with someone who keeps what was answered
	Scales   []Span    // at the end of the walk, by position
	Keywords []Span
	Computed []Span
	Asked    []float64 // by question: the share of walks that ask it
}

// Span is from the least to the most that a number can still be.
type Span struct {
	Least, Most rule.Number
	Known       bool // false: it can only be blank, or no such number was met
	Sampled     bool // the ends are those of a sample: there may be others beyond them
}

// computedSamples is how many ways to continue are tried for the computed values.
const computedSamples = 400

// LookAhead tells what someone who has answered what in.Answers holds can still come to, however they continue.
func LookAhead(ctx context.Context, d *quiz.Document, in walk.Input, o Options) (*Ahead, error) {
	counting, stop := o.counting(ctx)
	defer stop()
	c := Counter{}
	if err := c.startModel(ctx, counting, withVotesAsPoints(d), o); err != nil {
		return nil, err
	}
	c.m.pin(in)
	k := c.checker(ctx, counting, o)
	k.o.Only = true
	if err := k.outcomes(); err != nil {
		return nil, err
	}
	if err := k.scales(); err != nil {
		return nil, err
	}
	a := &Ahead{Outcomes: k.r.Outcomes, Exact: k.r.Exact}
	for i, s := range k.r.Scales {
		span := Span{Least: s.Least, Most: s.Most, Known: len(s.Shares) > 0, Sampled: s.Simulated}
		if i < len(d.Scales) {
			a.Scales = append(a.Scales, span)
		} else {
			a.Keywords = append(a.Keywords, span)
		}
	}
	for _, q := range k.r.Questions {
		a.Asked = append(a.Asked, q.Asked)
	}
	a.Computed = c.m.sampleComputed()
	return a, ctx.Err()
}

// pin leaves the visitor facts and questions that an input answers the one value that they have there.
func (m *model) pin(in walk.Input) {
	m.pinned = map[int]walk.Answer{}
	for i := range m.slots[:m.visitors] {
		m.slots[i].pin(in)
	}
	for q := range m.d.Questions {
		answer, answered := in.Answers[m.d.Questions[q].ID]
		if !answered {
			continue
		}
		m.pinned[q] = answer
		if m.err == nil {
			m.err = m.pinAnswer(m.visitors+q, answer)
		}
	}
}

// withVotesAsPoints is a document in which every keyword is a scale too, so that its extremes are counted like those
// of a scale. No document has scales with such ids.
func withVotesAsPoints(d *quiz.Document) *quiz.Document {
	if len(d.Keywords) == 0 {
		return d
	}
	other := *d
	other.Scales = slices.Clone(d.Scales)
	for i := range d.Keywords {
		other.Scales = append(other.Scales, quiz.Scale{ID: keywordScale(d.Keywords[i].ID), Start: d.Keywords[i].Start})
	}
	other.Questions = slices.Clone(d.Questions)
	for i := range other.Questions {
		q := &other.Questions[i]
		q.Choices, q.Steps = slices.Clone(q.Choices), slices.Clone(q.Steps)
		for j := range q.Choices {
			q.Choices[j].Points = joined(q.Choices[j].Points, q.Choices[j].Votes)
		}
		for j := range q.Steps {
			q.Steps[j].Points = joined(q.Steps[j].Points, q.Steps[j].Votes)
		}
	}
	return &other
}

func keywordScale(id string) string { return "--" + id }

func joined(points, votes map[string]rule.Number) map[string]rule.Number {
	if len(votes) == 0 {
		return points
	}
	out := map[string]rule.Number{}
	maps.Copy(out, points)
	for id, n := range votes {
		out[keywordScale(id)] = n
	}
	return out
}

// sampleComputed finds the ends of the computed values among some ways to continue.
func (m *model) sampleComputed() []Span {
	if len(m.d.Computed) == 0 {
		return nil
	}
	out := make([]Span, len(m.d.Computed))
	s := newSampler(m)
	for range computedSamples {
		in := walk.Input{Answers: map[string]walk.Answer{}, Params: map[string]string{}}
		s.next(&in)
		for i, v := range m.c.Walk(in).Computed {
			if v.Kind == rule.Num {
				out[i].see(v.Num)
			}
		}
	}
	return out
}

func (s *Span) see(n rule.Number) {
	if !s.Known || n.Cmp(s.Least) < 0 {
		s.Least = n
	}
	if !s.Known || n.Cmp(s.Most) > 0 {
		s.Most = n
	}
	s.Known, s.Sampled = true, true
}

// Steer finds answers to the rest with which someone ends at an outcome, keeping what they have answered. Where there
// are none, forbids names the answers given (ids of questions) any one of which, undone, would make it possible.
func Steer(ctx context.Context, d *quiz.Document, in walk.Input, outcome string, o Options) (whole *walk.Input, forbids []string, err error) {
	reach := func(in walk.Input) (*walk.Input, error) {
		list, err := Odds(ctx, d, in, o)
		if err != nil {
			return nil, err
		}
		for _, one := range list {
			if one.ID == outcome && one.Reachable && one.Witness != nil {
				out := InputOf(d, one.Witness)
				keepVisitor(&out, in)
				return &out, nil
			}
		}
		return nil, nil
	}
	if d.Outcome(outcome) == nil {
		return nil, nil, fmt.Errorf("outcome %q doesn’t exist", outcome)
	}
	whole, err = reach(in)
	if whole != nil || err != nil {
		return whole, nil, err
	}
	for i := range d.Questions {
		id := d.Questions[i].ID
		if _, given := in.Answers[id]; !given {
			continue
		}
		without := in
		without.Answers = maps.Clone(in.Answers)
		delete(without.Answers, id)
		found, err := reach(without)
		if err != nil {
			return nil, nil, err
		}
		if found != nil {
			forbids = append(forbids, id)
		}
	}
	return nil, forbids, nil
}

// keepVisitor gives an example the visitor that someone is, where the example does not depend on who it is.
func keepVisitor(out *walk.Input, in walk.Input) {
	visit, own := out.Visit(), in.Visit()
	own.Each(func(k *fact.Known, text string) { _ = k.Set(&visit, text) }) // it is one of its values: it came from there
	out.From(visit)
}
