package mend

import (
	"context"
	"slices"

	"omphalos/core/check"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// How many values of the first number of a pair are tried in each direction, and how many pairs are kept.
const (
	maxTried = 12
	maxPairs = 200
)

// pairs are changes of two numbers that have to do with the failing checks. The first is taken to values at which
// something comes out otherwise for one of them, the second from there to the nearest at which all hold.
func (s *search) pairs(ctx context.Context) ([]Repair, error) {
	out := []Repair{}
	var list []int
	for i := range s.figures {
		if s.involved(i) {
			list = append(list, i)
		}
	}
	for n, i := range list {
		for _, to := range s.turns(i) {
			from := s.figures[i].Value()
			c := s.compileWith(s.c, i, to)
			first := Change{s.figures[i].At, from, to}
			for _, j := range list[n+1:] {
				if ctx.Err() != nil {
					s.figures[i].Set(from)
					return nil, ctx.Err()
				}
				for _, value := range s.nearest(j, c) {
					out = append(out, Repair{Change: []Change{first, s.change(j, value)}})
				}
			}
			s.figures[i].Set(from)
		}
	}
	return s.smallest(out), nil
}

// smallest keeps of each pair of numbers the smallest change, and of all the smallest ones.
func (s *search) smallest(list []Repair) []Repair {
	s.sort(list)
	list = onePerPlace(list)
	return list[:min(len(list), maxPairs)]
}

// turns are values of a figure at which something comes out otherwise for a check that fails, the nearest first.
func (s *search) turns(i int) []rule.Number {
	from := s.figures[i].Value()
	defer func() { s.figures[i].Set(from) }()
	var out []rule.Number
	for _, up := range []bool{true, false} {
		at := from
		for range maxTried {
			now := s.compileWith(s.c, i, at)
			next, there := s.nextOfFailing(i, now, at, up)
			if !there || !s.allowed(i, next) {
				break
			}
			at = next
			out = append(out, at)
		}
	}
	return out
}

// nextOfFailing is the nearest value at which something comes out otherwise for any check that fails.
func (s *search) nextOfFailing(i int, c *walk.Compiled, at rule.Number, up bool) (rule.Number, bool) {
	best, found := at, false
	for _, r := range s.ready[:s.failing] {
		next, there := s.next(i, c, r, at, up)
		if there && (!found || up && next.Cmp(best) < 0 || !up && next.Cmp(best) > 0) {
			best, found = next, true
		}
	}
	return best, found
}

// involved reports whether a figure has to do with the checks that fail: their answers give it, or they are held
// against it.
func (s *search) involved(i int) bool {
	f := &s.figures[i]
	if f.Question < 0 {
		return true
	}
	return slices.ContainsFunc(s.ready[:s.failing], func(r check.Ready) bool { return s.times(f, r.In).Sign() != 0 })
}
