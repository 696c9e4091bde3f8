package reach

import "context"

// A shadow is what someone's numbers would be if a question they were asked had given nothing. They walk the way
// that they do; the shadow goes next to them, gets what they get from the questions to come, and is taken to the
// verdict lines in their stead. Whether the two end alike depends on where they stand and on nothing else, neither
// on which question it was nor on what it gave. So one look at all pairs of a state and a shadow serves all
// questions: forwards to find the pairs that there are, and backwards for the chance that the two end apart.
//
// The shadow has no conditions of its own: answers are what they are. Pairs whose numbers no later comparison can
// tell apart have met, and are not followed.

// shadows are the pairs of a counted pass.
type shadows struct {
	c      *counted
	odds   *probabilities // of the count
	p      *pass
	tables []table     // the shadows of each layer
	own    [][]int32   // by layer and state: the shadow with the very numbers of the state
	pairs  []table     // by layer: the state and its shadow, in one word
	fates  [][]fate    // by layer and pair
	ways   [][]arrow   // by layer: effects × pairs; layer met where they have met
	apart  [][]float64 // by layer and pair: how likely the two end apart
	vec    []int64     // the numbers of a shadow
	room   []int64     // a state
	turns  bool        // a branch or a hidden question looks at numbers
	most   spend
	work   int
	bytes  int64
	steps  []arrow // of the layer that is left: by effect and shadow, where its latest step led
	left   int
}

// fate is what is known of a pair without following it.
type fate int8

const (
	open      fate = iota
	endsAlike      // the two are settled on the same outcome
	endsApart
)

const (
	met       = -1 // the layer of pairs that have met
	notYet    = -1 // a shadow that is not known yet
	pairBytes = 48
)

// newShadows plans the shadows of a pass that was counted wide.
func newShadows(ctx context.Context, c *counted, o *probabilities, most spend) (*shadows, error) {
	p, err := newPass(ctx, c.p.m, purpose{lines: true, wide: true, like: c.p})
	if err != nil {
		return nil, err
	}
	n := len(c.tables)
	s := &shadows{
		c: c, odds: o, p: p, most: most,
		tables: make([]table, n), own: make([][]int32, n), pairs: make([]table, n),
		ways: make([][]arrow, n), fates: make([][]fate, n), apart: make([][]float64, n),
		vec: make([]int64, p.end), room: make([]int64, c.p.end), left: -1,
	}
	for _, r := range c.p.roots {
		s.turns = s.turns || r.where.kind != useFinal && c.p.m.forest.nodes[r.tree].numbers
	}
	var room tableRoom
	for t := range n {
		s.tables[t], s.pairs[t] = newTable(p.layers[t].width, &room), newTable(64, nil)
		s.own[t] = make([]int32, c.tables[t].size())
		for i := range s.own[t] {
			s.own[t][i] = notYet
		}
	}
	return s, nil
}

// numbers are the components that the two passes have in common.
func (p *pass) numbers(vec []int64) []int64 { return vec[p.scale0 : p.voted0+p.nKeys] }

// settle gives the numbers in vec their place among the shadows of a layer.
func (s *shadows) settle(t int) int32 {
	s.p.settleNumbers(t, s.vec, make([]int64, 0, s.p.nKeys))
	at, _ := s.tables[t].find(s.p.pack(t, s.vec))
	return at
}

// load puts the numbers of a state into vec.
func (s *shadows) load(t, state int) {
	s.c.p.unpack(t, s.c.tables[t].key(state), s.room)
	copy(s.p.numbers(s.vec), s.c.p.numbers(s.room))
}

// ownAt is the shadow that has the very numbers of a state.
func (s *shadows) ownAt(t, state int) int32 {
	if s.own[t][state] == notYet {
		s.load(t, state)
		s.own[t][state] = s.settle(t)
	}
	return s.own[t][state]
}

// pair is the pair behind an arrow of the pass, with a shadow there.
func (s *shadows) pair(a arrow, shadow int32) arrow {
	if shadow == s.ownAt(int(a.layer), int(a.to)) {
		return arrow{met, 0}
	}
	at, known := s.pairs[a.layer].findWord(uint64(a.to)<<32 | uint64(shadow))
	if !known {
		s.bytes += pairBytes
		s.fates[a.layer] = append(s.fates[a.layer], s.fate(int(a.layer), int(a.to), shadow))
	}
	return arrow{a.layer, at}
}

// fate looks whether both of a pair are settled on an outcome: the state itself, and the one of its layer that has its
// conditions with the numbers of the shadow, if the count has come to it.
func (s *shadows) fate(t, state int, shadow int32) fate {
	if s.turns { // the shadow does not walk the way of that state
		return open
	}
	outcome := s.odds.settled(t, state)
	if outcome < 0 {
		return open
	}
	s.c.p.unpack(t, s.c.tables[t].key(state), s.room)
	s.p.unpack(t, s.tables[t].key(int(shadow)), s.vec)
	copy(s.c.p.numbers(s.room), s.p.numbers(s.vec))
	s.c.p.settleNumbers(t, s.room, make([]int64, 0, s.p.nKeys))
	if !s.c.p.hasRoomFor(t, s.room) { // the count itself comes to no such numbers
		return open
	}
	other, there := s.c.tables[t].seek(s.c.p.pack(t, s.room))
	if !there {
		return open
	}
	switch s.odds.settled(t, int(other)) {
	case -1:
		return open
	case outcome:
		return endsAlike
	}
	return endsApart
}

// step takes a shadow by an effect of question t to a later layer.
func (s *shadows) step(t int, shadow int32, effect, to int) int32 {
	s.p.unpack(t, s.tables[t].key(int(shadow)), s.vec)
	s.p.apply(t, &s.c.p.effects[t][effect], s.vec)
	return s.settle(to)
}

// stepped is step, remembered.
func (s *shadows) stepped(t int, shadow int32, effect, to int) int32 {
	if s.left != t {
		s.left, s.steps = t, make([]arrow, len(s.c.p.effects[t])*s.tables[t].size())
	}
	latest := &s.steps[effect*s.tables[t].size()+int(shadow)]
	if int(latest.layer) != to { // no step leads to layer 0
		*latest = arrow{int32(to), s.step(t, shadow, effect, to)}
	}
	return latest.to
}

// leave takes everyone who is asked question t on with the shadow that it gives nothing to, and tells each pair that
// comes of it with its share.
func (s *shadows) leave(t int, tell func(pair arrow, share float64)) {
	c := s.c
	skipped := make([]arrow, c.tables[t].size()) // by state: where its shadow goes, as long as it is the same layer
	for e := range c.p.effects[t] {
		effect := &c.p.effects[t][e]
		if !s.p.gain(t, effect) {
			continue
		}
		s.work += c.tables[t].size()
		for i, a := range c.arrowsOf(t, e) {
			if a.layer < 0 {
				continue
			}
			if skipped[i].layer != a.layer { // no question leads to layer 0
				s.load(t, i)
				skipped[i] = arrow{a.layer, s.settle(int(a.layer))}
			}
			if p := s.pair(a, skipped[i].to); p.layer != met {
				tell(p, c.tables[t].p[i]*effect.p)
			}
		}
	}
}

// gain reports whether an effect of question t gives anything that the pass looks at, or counts for what can be
// earned.
func (p *pass) gain(t int, e *effect) bool {
	for f, seen := range p.seen {
		if !seen {
			continue
		}
		percent := p.m.forms[f].kind == formPercent && p.m.slots[p.m.visitors+t].most[p.m.forms[f].at] != 0
		if percent || p.gives(f, e) != 0 {
			return true
		}
	}
	return false
}

// follow finds where the pairs of layer t go.
func (s *shadows) follow(t int) {
	c, effects := s.c, len(s.c.p.effects[t])
	pairs := s.pairs[t].size()
	s.pairs[t+1].expect(2 * pairs)
	s.ways[t] = make([]arrow, pairs*effects)
	s.work += len(s.ways[t])
	s.bytes += int64(len(s.ways[t])) * arrowBytes
	for e := range effects {
		ways, mine := c.arrowsOf(t, e), s.ways[t][e*pairs:(e+1)*pairs]
		for i, k := range s.pairs[t].keys {
			a, to := ways[k>>32], arrow{met, 0}
			if a.layer >= 0 && s.fates[t][i] == open {
				to = s.pair(a, s.stepped(t, int32(uint32(k)), e, int(a.layer)))
			}
			mine[i] = to
		}
	}
}

// tooMuch is the error of having spent more than may be.
func (s *shadows) tooMuch(ctx context.Context) error {
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if s.work > s.most.transitions || s.bytes > s.most.bytes {
		return errBudget
	}
	return nil
}

// chances fills in, for each pair, how likely the two end apart.
func (s *shadows) chances(ctx context.Context, f *final) error {
	n := len(s.c.tables) - 1
	s.apart[n] = make([]float64, s.pairs[n].size())
	for i, k := range s.pairs[n].keys {
		state := int(k >> 32)
		s.c.p.unpack(n, s.c.tables[n].key(state), s.room)
		s.p.unpack(n, s.tables[n].key(int(uint32(k))), s.vec)
		copy(s.c.p.numbers(s.room), s.p.numbers(s.vec))
		if s.c.p.decide(s.room).outcome != f.verdicts[state].outcome {
			s.apart[n][i] = 1
		}
	}
	for t := n - 1; t >= 0; t-- {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		pairs := s.pairs[t].size()
		s.apart[t] = make([]float64, pairs)
		for e := range s.c.p.effects[t] {
			share := s.c.p.effects[t][e].p
			for i, a := range s.ways[t][e*pairs : (e+1)*pairs] {
				if a.layer != met {
					s.apart[t][i] += share * s.apart[a.layer][a.to]
				}
			}
		}
		for i, f := range s.fates[t] {
			if f == endsApart {
				s.apart[t][i] = 1
			}
		}
	}
	return nil
}
