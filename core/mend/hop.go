package mend

import (
	"omphalos/core/check"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// What comes of a check is the same for all values of a number between two at which some comparison on the walk comes
// out otherwise: its flips. So the values at which all checks hold are found by hopping: from a value at which a check
// does not hold on to that check's next flip, as none before it can mend it.

// maxHops bounds how often is hopped from one number in one direction, and how far it no longer exists step by step
// where a formula is looked at, or a number stands in an address that is expected.
const (
	maxHops  = 4000
	maxSteps = 200
)

// nearest are the values nearest to figure i as it is, at which all checks hold: none, one, or two that are as near.
func (s *search) nearest(i int, c *walk.Compiled) []rule.Number {
	f := &s.figures[i]
	from := f.Value()
	defer f.Set(from)
	var found []rule.Number
	var best *rule.Number // the distance of what was found
	for _, up := range []bool{true, false} {
		f.Set(from)
		at, there := s.hop(i, c, from, up, best)
		if !there {
			continue
		}
		distance := at.Sub(from).Abs()
		if best != nil && distance.Cmp(*best) < 0 {
			found = nil
		}
		best, found = &distance, append(found, at)
	}
	return found
}

// hop looks in one direction, no farther than most.
func (s *search) hop(i int, c *walk.Compiled, from rule.Number, up bool, most *rule.Number) (rule.Number, bool) {
	at := from
	for range s.hops(i) {
		now := s.compileWith(c, i, at)
		fails, ok := s.firstFailing(now)
		if !ok {
			return at, at.Cmp(from) != 0
		}
		next, there := s.next(i, now, fails, at, up)
		if !there || !s.allowed(i, next) || most != nil && next.Sub(from).Abs().Cmp(*most) > 0 {
			return at, false
		}
		at = next
	}
	return at, false
}

func (s *search) hops(i int) int {
	if s.rough(i) {
		return maxSteps
	}
	return maxHops
}

func (s *search) firstFailing(c *walk.Compiled) (check.Ready, bool) {
	for _, r := range s.ready {
		if !s.passes(c, r) {
			return r, true
		}
	}
	return check.Ready{}, false
}

// allowed reports whether a figure may have a value: cut points stay in order.
func (s *search) allowed(i int, value rule.Number) bool {
	f := &s.figures[i]
	return (f.Below == nil || value.Cmp(*f.Below) > 0) && (f.Above == nil || value.Cmp(*f.Above) < 0) &&
		value.Abs().Cmp(rule.Largest) <= 0
}

// next is the nearest value beyond at, in whole steps, at which a comparison of the check comes out otherwise.
func (s *search) next(i int, c *walk.Compiled, r check.Ready, at rule.Number, up bool) (rule.Number, bool) {
	var best *rule.Number
	offer := func(v rule.Number) {
		if beyond := v.Cmp(at) > 0; v.Cmp(at) == 0 || beyond != up {
			return
		}
		if best == nil || up && v.Cmp(*best) < 0 || !up && v.Cmp(*best) > 0 {
			best = &v
		}
	}
	for _, flip := range s.flips(i, c, r, at) {
		steps := rule.Ratio(flip, s.unit)
		low, high := steps.Floor(), steps.Ceil()
		// At a flip and right beyond it: "at least" and "over" part there.
		for _, n := range []rule.Number{low, high, low.Add(rule.Int(1)), high.Sub(rule.Int(1))} {
			offer(n.Mul(s.unit))
		}
	}
	if s.rough(i) {
		step := s.unit
		if !up {
			step = step.Neg()
		}
		offer(at.Add(step))
	}
	if best == nil {
		return at, false
	}
	return *best, true
}
