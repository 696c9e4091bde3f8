package reach

import (
	"context"
	"slices"
)

// In a plain pass the numbers of someone whom a question gave nothing differ from their own by what it would have
// given: the shift. It stays the same to the end, as all that comes is given to both. So for each state it is enough
// to know, by shift, how likely the two end apart, and that is a sum over the answers like the odds of an outcome.
// The pass must take no value for settled that a shift could unsettle: it is planned with room for them.

// shifts are the different gifts of answers in a plain pass, those of earlier questions first.
type shifts struct {
	c     *counted
	gifts [][]int64 // by shift: what is given to each scale
	upTo  []int     // by layer: how many of them questions before it give
	of    [][]int   // by question and effect: its shift, or -1 for one that gives nothing
	apart [][]float64
}

// newShifts lists the gifts of a pass that was planned with room for them.
func newShifts(c *counted) *shifts {
	n := c.p.m.n()
	s := &shifts{c: c, upTo: make([]int, n+1), of: make([][]int, n), apart: make([][]float64, n+1)}
	for q, effects := range c.p.effects {
		s.upTo[q] = len(s.gifts)
		for e := range effects {
			s.of[q] = append(s.of[q], s.find(&effects[e]))
		}
	}
	s.upTo[n] = len(s.gifts)
	return s
}

// find is the shift of an effect, or -1 for none.
func (s *shifts) find(e *effect) int {
	p := s.c.p
	gift, any := make([]int64, p.nScales), false
	for i := range gift {
		if p.seen[i] {
			gift[i] = e.o.points[i]
			any = any || gift[i] != 0
		}
	}
	if !any {
		return -1
	}
	for k, known := range s.gifts {
		if slices.Equal(known, gift) {
			return k
		}
	}
	s.gifts = append(s.gifts, gift)
	return len(s.gifts) - 1
}

// fits ends with errBudget where more is needed than may be spent.
func (s *shifts) fits(most spend) error {
	work, bytes := 0, int64(0)
	for t, shifts := range s.upTo {
		states := s.c.tables[t].size()
		bytes += int64(8 * states * shifts)
		if t < len(s.of) {
			work += states * shifts * len(s.of[t])
		} else {
			work += states * shifts
		}
	}
	if work > most.transitions || bytes > most.bytes {
		return errBudget
	}
	return nil
}

// leftOut is, by question, the share of all respondents who would end elsewhere if it had given nothing.
func (s *shifts) leftOut(ctx context.Context, f *final, most spend) ([]float64, error) {
	n := s.c.p.m.n()
	if err := s.fits(most); err != nil {
		return nil, err
	}
	s.ends(f)
	out := make([]float64, n)
	for t := n - 1; t >= 0; t-- {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		s.apart[t] = make([]float64, s.c.tables[t].size()*s.upTo[t])
		for e, shift := range s.of[t] {
			s.answer(t, e)
			if shift >= 0 {
				out[t] += s.leaveOutShare(t, e, shift)
			}
		}
	}
	return out, nil
}

// ends fills in which final states end apart from themselves shifted.
func (s *shifts) ends(f *final) {
	p := s.c.p
	n, vec := p.m.n(), make([]int64, p.end)
	for state, v := range f.verdicts {
		p.unpack(n, s.c.tables[n].key(state), vec)
		scores := vec[p.scale0:p.earn0]
		for _, gift := range s.gifts {
			for i := range scores {
				add(&scores[i], -gift[i])
			}
			apart := 0.0
			if p.decide(vec).outcome != v.outcome {
				apart = 1
			}
			s.apart[n] = append(s.apart[n], apart)
			for i := range scores {
				add(&scores[i], gift[i])
			}
		}
	}
}

// atState are the chances of a state of layer t to end apart, by the first few shifts.
func (s *shifts) atState(t, state, shifts int) []float64 {
	return s.apart[t][state*s.upTo[t]:][:shifts]
}

// answer adds what an effect of question t adds to the chances of the states there.
func (s *shifts) answer(t, e int) {
	share, shifts := s.c.p.effects[t][e].p, s.upTo[t]
	for state, way := range s.c.arrowsOf(t, e) {
		if way.layer < 0 {
			continue
		}
		here := s.atState(t, state, shifts)
		for k, v := range s.atState(int(way.layer), int(way.to), shifts) {
			here[k] += share * v
		}
	}
}

// leaveOutShare is the share of those who gave question t an answer with an effect and end apart from themselves
// without it.
func (s *shifts) leaveOutShare(t, e, shift int) float64 {
	sum := 0.0
	for state, way := range s.c.arrowsOf(t, e) {
		if way.layer >= 0 {
			sum += s.c.tables[t].p[state] * s.atState(int(way.layer), int(way.to), shift+1)[shift]
		}
	}
	return sum * s.c.p.effects[t][e].p
}
