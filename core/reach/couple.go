package reach

import (
	"context"

	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Apart is how many respondents end elsewhere in a changed document.
type Apart struct {
	Share   float64 // of all respondents
	Samples int     // how many simulated respondents it rests on; 0 is exact
}

// EndApart is the share of all respondents of a document who end elsewhere in another one with the same questions,
// answers and conditions on answers: points, votes, weights and cut points may differ. Both are walked by the same
// respondent at once, who may go different ways.
func EndApart(ctx context.Context, before, after *quiz.Document, o Options) (Apart, error) {
	a, err := walk.New(before)
	if err != nil {
		return Apart{}, err
	}
	b, err := walk.New(after)
	if err != nil {
		return Apart{}, err
	}
	counting, stop := o.counting(ctx)
	defer stop()
	share, err := countApart(counting, a, b, o)
	switch {
	case err == nil:
		return Apart{Share: share}, nil
	case ctx.Err() != nil:
		return Apart{}, ctx.Err()
	case !beyond(err) && counting.Err() == nil:
		return Apart{}, err
	}
	moves, n, err := Moved(ctx, before, after, apartSamples, o)
	moved := 0
	for _, m := range moves {
		moved += m.Count
	}
	return Apart{float64(moved) / float64(max(1, n)), n}, err
}

// apartSamples is how many respondents are drawn where they cannot be counted.
const apartSamples = 4000

// countApart counts both documents at once.
func countApart(ctx context.Context, a, b *walk.Compiled, o Options) (float64, error) {
	if o.Memory == 0 {
		o.Memory = countingMemory
	}
	var c couple
	for i, of := range [2][2]*walk.Compiled{{a, b}, {b, a}} {
		m, err := newTwin(ctx, of[0], o.Assume, of[1])
		if err != nil {
			return 0, err
		}
		p, err := newPass(ctx, m, purpose{lines: true})
		if err != nil {
			return 0, err
		}
		side := &c.sides[i]
		if side.counted, err = p.run(ctx, spend{o.Budget, o.Memory / 3}, false); err != nil {
			return 0, err
		}
		side.final = side.finish()
		if _, side.odds, err = side.influence(ctx, side.final); err != nil {
			return 0, err
		}
	}
	return c.count(ctx, o)
}

// side is one of two documents that are walked at once.
type side struct {
	*counted
	final *final
	odds  *probabilities
}

// couple is the pairs of states of two counted passes, and what share stands at each. A pair waits at the earlier of
// its two layers: anyone who is there moves on, both if they are asked the same question.
type couple struct {
	sides [2]side
	at    []pairs // by the earlier layer
	apart float64 // of those who have ended
}

// pairs are those that wait at a layer.
type pairs struct {
	table
	list [][2]arrow
}

// joint is answers to a question that do the same in both.
type joint struct {
	effects [2]int
	share   float64
}

func (c *couple) count(ctx context.Context, o Options) (float64, error) {
	n := c.sides[0].p.m.n()
	c.at = make([]pairs, n+1)
	for t := range c.at {
		c.at[t].table = newTable(128, nil)
	}
	for i, s := range c.sides[0].p.starts {
		c.add([2]arrow{c.sides[0].begins[i], c.sides[1].begins[i]}, s.p)
	}
	work := 0
	for t := range n {
		answers := c.joints(t)
		here := &c.at[t]
		if work += here.size() * len(answers); work > o.Budget {
			return 0, errBudget
		}
		if ctx.Err() != nil {
			return 0, ctx.Err()
		}
		for i, pair := range here.list {
			for _, a := range answers {
				next := pair
				for k := range next {
					if int(pair[k].layer) == t {
						next[k] = c.sides[k].way(t, a.effects[k], int(pair[k].to))
					}
				}
				c.add(next, here.p[i]*a.share)
			}
		}
		*here = pairs{} // no one comes back to it
	}
	return c.apart, nil
}

// joints are the answers to question t.
func (c *couple) joints(t int) []joint {
	var out []joint
	index := map[[2]int]int{}
	slot := c.sides[0].p.m.visitors + t
	for k, o := range c.sides[0].p.m.slots[slot].options {
		e := [2]int{int(c.sides[0].p.effectOf[t][k]), int(c.sides[1].p.effectOf[t][k])}
		at, known := index[e]
		if !known {
			at = len(out)
			index[e] = at
			out = append(out, joint{effects: e})
		}
		out[at].share += o.p
	}
	return out
}

// add lets a share of respondents come to a pair. Where both are settled on an outcome they are not followed.
func (c *couple) add(pair [2]arrow, share float64) {
	outcomes := [2]int{c.sides[0].outcomeAt(pair[0]), c.sides[1].outcomeAt(pair[1])}
	if outcomes[0] >= 0 && outcomes[1] >= 0 {
		if outcomes[0] != outcomes[1] {
			c.apart += share
		}
		return
	}
	t := pair[0].layer
	if t < 0 || pair[1].layer >= 0 && pair[1].layer < t {
		t = pair[1].layer
	}
	here := &c.at[t]
	at, known := here.find(key{pack2(pair[0]), pack2(pair[1])})
	if !known {
		here.p, here.list = append(here.p, 0), append(here.list, pair)
	}
	here.p[at] += share
}

func pack2(a arrow) uint64 { return uint64(uint32(a.layer))<<32 | uint64(uint32(a.to)) }

// outcomeAt is the outcome that someone is settled on; -1 where it is open.
func (s *side) outcomeAt(a arrow) int {
	switch {
	case a.layer < 0:
		return int(a.to)
	case int(a.layer) == s.p.m.n():
		return s.final.verdicts[a.to].outcome
	}
	return s.odds.settled(int(a.layer), int(a.to))
}
