package walk

import (
	"slices"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

func (c *Compiled) newEffect() Effect { return c.newEffects(1)[0] }

// newEffects makes n effects of nothing, in one piece of memory.
func (c *Compiled) newEffects(n int) []Effect {
	scales, keywords := len(c.Doc.Scales), len(c.Doc.Keywords)
	numbers := make([]rule.Number, n*(scales+keywords))
	out := make([]Effect, n)
	for i := range out {
		out[i].Points, numbers = numbers[:scales:scales], numbers[scales:]
		out[i].Votes, numbers = numbers[:keywords:keywords], numbers[keywords:]
	}
	return out
}

func (c *Compiled) weigh(points, votes map[string]rule.Number, weight rule.Number) Effect {
	e := c.newEffect()
	c.weighInto(e, points, votes, weight)
	return e
}

func (c *Compiled) weighInto(e Effect, points, votes map[string]rule.Number, weight rule.Number) {
	for i := range c.Doc.Scales {
		if n, given := points[c.Doc.Scales[i].ID]; given {
			e.Points[i] = n.Mul(weight)
		}
	}
	for i := range c.Doc.Keywords {
		if n, given := votes[c.Doc.Keywords[i].ID]; given {
			e.Votes[i] = n.Mul(weight)
		}
	}
}

// Reweighed is the same document ready for walking after points or votes of question i have changed in it.
func (c *Compiled) Reweighed(i int) *Compiled {
	out := *c
	q := &c.Doc.Questions[i]
	effects := c.newEffects(len(q.Choices))
	for j := range q.Choices {
		c.weighInto(effects[j], q.Choices[j].Points, q.Choices[j].Votes, q.Factor())
	}
	out.choices = slices.Clone(c.choices)
	out.choices[i] = effects
	out.mosts = slices.Clone(c.mosts)
	out.mosts[i] = make([]rule.Number, len(c.Doc.Scales))
	out.most(i, out.mosts[i])
	return &out
}

// Effect returns what an answer to the question at position i adds. It is not to be changed.
func (c *Compiled) Effect(i int, a Answer) Effect {
	q := &c.Doc.Questions[i]
	if len(a.Picks) == 1 && len(q.Places) == 0 { // nearly all are: nothing is added up
		if j := q.Choice(a.Picks[0]); j >= 0 {
			return c.choices[i][j]
		}
	}
	e := c.newEffect()
	kind.Of(q).Counts(q, a, func(j int, times rule.Number) { e.Add(c.choices[i][j], times) })
	if a.Number != nil {
		e.Add(c.valueEffect(q, *a.Number), rule.Int(1))
	}
	return e
}

// valueEffect returns what a value of a rating or number adds: the linear points, and those of the step it is on.
func (c *Compiled) valueEffect(q *quiz.Question, n rule.Number) Effect {
	e := c.newEffect()
	for id, l := range q.Linear {
		e.Points[c.scale[id]] = l.Factor.Mul(n).Add(l.Offset).Mul(q.Factor())
	}
	for j := len(q.Steps) - 1; j >= 0; j-- {
		if n.Cmp(q.Steps[j].From) >= 0 {
			e.Add(c.weigh(q.Steps[j].Points, q.Steps[j].Votes, q.Factor()), rule.Int(1))
			break
		}
	}
	return e
}

// ChoiceEffect returns what picking choice j of question i adds (in a grid: in each row).
func (c *Compiled) ChoiceEffect(i, j int) Effect { return c.choices[i][j] }

// most finds, by scale, the greatest sum that a valid answer to question i can earn.
func (c *Compiled) most(i int, out []rule.Number) {
	q := &c.Doc.Questions[i]
	for s := range out {
		out[s] = kind.Of(q).Best(q,
			func(choice int) rule.Number { return c.choices[i][choice].Points[s] },
			func() []rule.Number { return c.cornerPoints(q, s) })
	}
}

// cornerPoints are the points of a scale at the ends of the range and of each step.
func (c *Compiled) cornerPoints(q *quiz.Question, scale int) []rule.Number {
	var out []rule.Number
	for _, n := range c.corners(q) {
		out = append(out, c.valueEffect(q, n).Points[scale])
	}
	return out
}

// Bends are the values of the points that a step of question i gives a scale, both by position, at which the most of
// the question may continue otherwise: where a value on the step gives as much as one that is not. Between two of them
// it is a straight line.
func (c *Compiled) Bends(i, step, scale int) []rule.Number {
	q := &c.Doc.Questions[i]
	id, factor := c.Doc.Scales[scale].ID, q.Factor()
	if factor.Sign() == 0 {
		return nil
	}
	own := q.Steps[step].Points[id].Mul(factor)
	var on, off []rule.Number // what values on the step give besides, and what others give
	if !q.Required {
		off = append(off, rule.Number{})
	}
	for _, n := range c.corners(q) {
		gives := c.valueEffect(q, n).Points[scale]
		if n.Cmp(q.Steps[step].From) >= 0 && (step+1 == len(q.Steps) || n.Cmp(q.Steps[step+1].From) < 0) {
			on = append(on, gives.Sub(own))
		} else {
			off = append(off, gives)
		}
	}
	out := []rule.Number{{}}
	for _, a := range on {
		for _, b := range off {
			out = append(out, rule.Ratio(b.Sub(a), factor))
		}
	}
	return out
}

// corners returns the values of a bounded range at which points can be greatest or least: its first and last value,
// and the first value on each step with the value before it.
func (c *Compiled) corners(q *quiz.Question) []rule.Number {
	if q.From == nil || q.To == nil {
		return nil
	}
	from, step := *q.From, q.Increment()
	last := rule.Ratio(q.To.Sub(from), step).Floor()
	out := []rule.Number{from, from.Add(last.Mul(step))}
	for _, s := range q.Steps {
		k := rule.Ratio(s.From.Sub(from), step).Ceil()
		for _, k := range []rule.Number{k.Sub(rule.Int(1)), k} {
			if k.Sign() >= 0 && k.Cmp(last) <= 0 {
				out = append(out, from.Add(k.Mul(step)))
			}
		}
	}
	return out
}

// Most returns, by scale, the greatest sum that a valid answer to question i can earn.
func (c *Compiled) Most(i int) []rule.Number { return c.mosts[i] }
