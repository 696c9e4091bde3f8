package reach

import "slices"

// A layer is straight where a state is one score and nothing else, and every answer leads on to the next question. What
// its states come to is a plain convolution: no transition needs to be looked up or kept, as it can be told from the
// score and from what the answer gives.

// straight is how the states of a straight layer continue. A position is a packed value of the next layer before it is
// settled there: that of the state with what the effect gives.
type straight struct {
	is     bool // else the layer is not straight
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
	if on := &c.straight[t]; on.is {
		return on.way(effect, c.tables[t].keys[state])
	}
	return c.arrowsOf(t, effect)[state]
}

// arrowsOf are where an effect of question t leads, by state.
func (c *counted) arrowsOf(t, effect int) []arrow {
	on := &c.straight[t]
	if !on.is {
		return c.arrows[t][effect]
	}
	list := make([]arrow, c.tables[t].size())
	for s, k := range c.tables[t].keys {
		list[s] = on.way(effect, k)
	}
	return list
}

// straighten finds how layer t continues, if it is straight and its positions are not many more than its transitions.
// In a count again it is straight if it was.
func (r *run) straighten(t int) bool {
	p, here, there := r.p, r.p.layers[t].fields, r.p.layers[t+1].fields
	asks := t+1 == p.m.n() || p.rootOf[t+1] < 0
	if p.wired == nil || r.combinations || !asks || len(p.branchAt[t]) > 0 ||
		len(here) != 1 || len(there) != 1 || here[0].root || here[0].comp != there[0].comp {
		return false
	}
	from, to, effects := &here[0], &there[0], p.effects[t]
	if n := r.tables[t].size() * len(effects); !r.kept && (n == 0 || to.span > int64(64+n)) {
		return false
	}
	s := &r.straight[t]
	s.is, s.next, s.first, s.tokens = true, int32(t+1), uint64(from.first), uint64(to.first-from.first)
	s.gives, s.places = r.room.keys.take(len(effects)), r.room.slots.take(int(to.span))
	for e := range effects {
		s.gives[e] = uint64(from.min + effects[e].o.points[from.comp-p.scale0] - to.min)
	}
	return true
}

// convolve follows all states of a straight layer. Of the ways that lead to a position it notes one, the last that it
// takes: effects are taken backwards so that this is by the first of them.
func (r *run) convolve(t int) {
	on, tab, to, effects := &r.straight[t], &r.tables[t], &r.tables[t+1], r.p.effects[t]
	keys, probs := tab.keys, tab.p[:len(tab.keys)]
	masses, ways := zeroed(r.masses, len(on.places)), zeroed(r.waysTo, len(on.places))
	for e := len(effects) - 1; e >= 0; e-- {
		share, gives, way := effects[e].p, on.gives[e], int32(1+e*len(keys))
		for s, k := range keys {
			if r.kept && tab.isDeserted(s) {
				continue
			}
			at := on.position(k, gives)
			masses[at] += probs[s] * share
			ways[at] = way + int32(s)
		}
	}
	to.reserve(min(len(on.places), len(keys)+len(keys)/4+8), &r.room)
	ready, all := r.p.wired[t+1][r.p.layers[t].fields[0].comp-r.p.scale0].ready, 0.0
	for at, way := range ways {
		if way == 0 {
			continue
		}
		place, known := to.findWord(ready[at])
		effect, state := (way-1)/int32(len(keys)), (way-1)%int32(len(keys))
		if from := (origin{int32(t), state, effect}); known {
			to.come(place, masses[at], from)
		} else {
			r.noteState(to, masses[at], from)
		}
		on.places[at] = place
		all += masses[at]
	}
	if all > 0 || tab.anybody() {
		r.edge(t, t+1).add(all)
	}
	r.masses, r.waysTo, r.bytes = masses, ways, r.bytes+placeBytes*int64(len(on.places))
}

// zeroed is a list of n zeros, in the room of another where that is enough.
func zeroed[T int32 | float64](room []T, n int) []T {
	room = slices.Grow(room[:0], n)[:n]
	clear(room)
	return room
}

// spread spreads what the states of the next layer have over the positions that come to them.
func (s *straight) spread(list, next []float64) []float64 {
	list = slices.Grow(list[:0], len(s.places))[:len(s.places)]
	if len(next) == 0 {
		clear(list) // no one comes there
		return list
	}
	for at, place := range s.places {
		list[at] = next[place]
	}
	return list
}
