package walk

import (
	"slices"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Effect is what one answer adds: points by position of the scale, votes by position of the keyword.
// Weights are already multiplied in.
type Effect struct {
	Points []rule.Number
	Votes  []rule.Number
}

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

func (e Effect) add(o Effect) {
	for i, n := range o.Points {
		e.Points[i] = e.Points[i].Add(n)
	}
	for i, n := range o.Votes {
		e.Votes[i] = e.Votes[i].Add(n)
	}
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
	if len(a.Picks) == 1 && len(a.Rows) == 0 && a.Number == nil {
		if j := q.Choice(a.Picks[0]); j >= 0 {
			return c.choices[i][j]
		}
	}
	e := c.newEffect()
	for _, id := range a.Picks {
		if j := q.Choice(id); j >= 0 {
			e.add(c.choices[i][j])
		}
	}
	for _, id := range a.Rows {
		if j := q.Choice(id); j >= 0 {
			e.add(c.choices[i][j])
		}
	}
	if a.Number != nil {
		e.add(c.valueEffect(q, *a.Number))
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
			e.add(c.weigh(q.Steps[j].Points, q.Steps[j].Votes, q.Factor()))
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
		switch q.Kind {
		case quiz.Single, quiz.Grid:
			best, any := rule.Number{}, !q.Required
			for j := range q.Choices {
				if p := c.choices[i][j].Points[s]; !any || p.Cmp(best) > 0 {
					best, any = p, true
				}
			}
			if q.Kind == quiz.Grid {
				best = best.Mul(rule.Int(int64(len(q.Rows))))
			}
			out[s] = best
		case quiz.Multiple:
			out[s] = c.mostPicks(i, s)
		case quiz.Rating, quiz.NumberQ:
			out[s] = c.mostValue(q, s)
		}
	}
}

// mostPicks is the best sum of least to most picks without an exclusive choice, or of one exclusive choice alone,
// or 0 of a permitted blank.
func (c *Compiled) mostPicks(i, s int) rule.Number {
	q := &c.Doc.Questions[i]
	least, most := q.Picks()
	best, any := rule.Number{}, !q.Required
	offer := func(n rule.Number) {
		if !any || n.Cmp(best) > 0 {
			best, any = n, true
		}
	}
	var open []rule.Number
	for j, choice := range q.Choices {
		p := c.choices[i][j].Points[s]
		if !choice.Exclusive {
			open = append(open, p)
		} else if least == 1 {
			offer(p)
		}
	}
	slices.SortFunc(open, func(a, b rule.Number) int { return b.Cmp(a) })
	sum := rule.Number{}
	for n, p := range open {
		sum = sum.Add(p)
		if n+1 >= least && n+1 <= most {
			offer(sum)
		}
	}
	return best
}

// mostValue tries the ends of the range and of each step: a linear function is greatest at an end.
func (c *Compiled) mostValue(q *quiz.Question, s int) rule.Number {
	best, any := rule.Number{}, !q.Required
	for _, n := range c.corners(q) {
		if p := c.valueEffect(q, n).Points[s]; !any || p.Cmp(best) > 0 {
			best, any = p, true
		}
	}
	return best
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
