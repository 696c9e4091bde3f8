package reach

import "slices"

// A layer is straight where a state is one score and nothing else, and every answer leads on to the next question. What
// its states come to is a plain convolution: no transition needs to be looked up or kept, as it can be told from the
// score and from what the answer gives.

// straight is how the states of a straight layer go on. A position is a packed value of the next layer before it is
// settled there: that of the state with what the effect gives.
type straight struct {
	next   int32
	first  uint64   // the first token of the layer
	gives  []uint64 // by effect: how far its position is from a packed value; it may wrap below 0
	tokens uint64   // from a token
	places []int32  // by position: the state of the next layer, where there is one
}

// position is where an effect that gives so much leads.
func (s *straight) position(k, gives uint64) uint64 {
	if k >= s.first {
		gives = s.tokens
	}
	return k + gives
}

// way is where a state with this key goes.
func (s *straight) way(effect int, k uint64) arrow {
	return arrow{s.next, s.places[s.position(k, s.gives[effect])]}
}

// way is where an effect of question t leads from a state.
func (c *counted) way(t, effect, state int) arrow {
	if on := c.straight[t]; on != nil {
		return on.way(effect, c.tables[t].keys[state])
	}
	return c.ways(t, effect)[state]
}

// ways are where an effect of question t leads, by state.
func (c *counted) ways(t, effect int) []arrow {
	states := c.tables[t].size()
	on := c.straight[t]
	if on == nil {
		return c.arrows[t][effect*states : (effect+1)*states]
	}
	list := make([]arrow, states)
	for s, k := range c.tables[t].keys {
		list[s] = on.way(effect, k)
	}
	return list
}

// straighten finds how layer t goes on, if it is straight and its positions are not many more than its transitions.
func (r *run) straighten(t int) *straight {
	p, here, there := r.p, r.p.layers[t].fields, r.p.layers[t+1].fields
	asks := t+1 == p.m.n() || p.rootOf[t+1] < 0
	if p.wired == nil || r.combinations || r.again != nil || !asks || len(p.branchAt[t]) > 0 ||
		len(here) != 1 || len(there) != 1 || here[0].root || here[0].comp != there[0].comp {
		return nil
	}
	from, to, effects := &here[0], &there[0], p.effects[t]
	if n := r.tables[t].size() * len(effects); n == 0 || to.span > int64(64+n) {
		return nil
	}
	s := &straight{
		next:   int32(t + 1),
		first:  uint64(from.first),
		gives:  make([]uint64, len(effects)),
		tokens: uint64(to.first - from.first),
		places: make([]int32, to.span),
	}
	for e := range effects {
		s.gives[e] = uint64(from.min + effects[e].o.points[from.comp-p.scale0] - to.min)
	}
	return s
}

// convolve follows all states of a straight layer.
func (r *run) convolve(t int) {
	on, tab, to, all := r.straight[t], &r.tables[t], &r.tables[t+1], 0.0
	masses, probs := slices.Grow(r.masses[:0], len(on.places))[:len(on.places)], tab.p
	clear(masses)
	for e, gives := range on.gives {
		share := r.p.effects[t][e].p
		for s, k := range tab.keys {
			masses[on.position(k, gives)] += probs[s] * share
		}
	}
	ready := r.p.wired[t+1][r.p.layers[t].fields[0].comp-r.p.scale0].ready
	for at, mass := range masses {
		state, effect := on.origin(tab, uint64(at))
		if state < 0 {
			continue
		}
		place, known := to.findWord(ready[at])
		if known {
			to.p[place] += mass
		} else {
			r.found(to, mass, origin{int32(t), state, effect})
		}
		on.places[at] = place
		all += mass
	}
	r.edge(t, t+1).add(all)
	r.masses, r.bytes = masses, r.bytes+placeBytes*int64(len(on.places))
}

// origin is a state and an effect that lead to a position; -1 where nobody comes to it.
func (s *straight) origin(tab *table, at uint64) (state, effect int32) {
	token := at >= s.first+s.tokens
	for e, gives := range s.gives {
		if token {
			gives = s.tokens
		}
		if k := at - gives; token || k < s.first {
			if state := tab.placeOf(k); state >= 0 {
				return state, int32(e)
			}
		}
	}
	return -1, 0
}

// ahead spreads what the states of the next layer have over the positions that come to them.
func (s *straight) ahead(list, next []float64) []float64 {
	list = slices.Grow(list[:0], len(s.places))[:len(s.places)]
	for at, place := range s.places {
		list[at] = next[place]
	}
	return list
}
