package reach

import "slices"

// A plain pass is one whose states hold nothing but conditions and scores. A score moves on by itself, whatever the
// others are, so what settling makes of each of its values is looked up, as in a plain convolution; and where an
// answer leads depends on the conditions alone, so it is worked out once for all states that stand alike in them.

// maxWired bounds the values that the layers of a plain pass have places for, all together.
const maxWired = 1 << 20

// settledTable are the settled values of a plain pass, by layer and scale.
type settledTable [][]shelf

// shelf is what settling makes of each value of a score at a layer, packed in its place of the key: of the values from
// the layer's least on, and behind them of the tokens of the layers before.
type shelf struct {
	field *field   // nil: the layer does not hold the score
	ready []uint64 // by packed value
}

// wire fills the shelves of a pass; nil when it is not a plain one, or a state takes more than one word.
func (p *pass) wire() settledTable {
	room := int64(0)
	for t := range p.layers {
		for _, f := range p.layers[t].fields {
			switch {
			case f.word > 0:
				return nil
			case f.root:
			case f.comp >= p.scale0 && f.comp < p.earn0:
				if room += f.span; f.span > maxWired || room > maxWired {
					return nil
				}
			default:
				return nil
			}
		}
	}
	w, shelves, values := make(settledTable, len(p.layers)), make([]shelf, len(p.layers)*p.nScales), make([]uint64, room)
	var ends []int64
	for t := range p.layers {
		w[t], shelves = shelves[:p.nScales], shelves[p.nScales:]
		for i := range p.layers[t].fields {
			if f := &p.layers[t].fields[i]; f.comp >= p.scale0 {
				ends = p.layers[t].settlingEnds(ends[:0], f.comp-p.scale0, f)
				w[t][f.comp-p.scale0] = shelf{f, p.shelve(&p.layers[t], f, ends, values[:f.span])}
				values = values[f.span:]
			}
		}
	}
	return w
}

// shelve writes what settling makes of the values of a field, piece by piece between the ends.
func (p *pass) shelve(l *layer, f *field, ends []int64, ready []uint64) []uint64 {
	form := f.comp - p.scale0
	for i, from := range ends[:len(ends)-1] {
		piece := ready[from:ends[i+1]]
		if len(piece) == 0 {
			continue
		}
		v, apart := p.settleSum(l, form, f.min+from), uint64(0)
		if v == f.min+from { // none of them settles
			apart = 1 << f.shift
		}
		for k, packed := 0, uint64(f.packed(v))<<f.shift; k < len(piece); k, packed = k+1, packed+apart {
			piece[k] = packed
		}
	}
	for k, tokens := 0, ready[f.first:]; k < len(tokens); k++ {
		tokens[k] = uint64(f.packed(p.settleSum(l, form, token+int64(k)))) << f.shift
	}
	return ready
}

// settlingEnds are the packed values of a score from which on settling does something else than below.
func (l *layer) settlingEnds(ends []int64, form int, f *field) []int64 {
	within := func(v int64) int64 { return min(max(0, v-f.min), f.first) }
	ends = append(ends, 0, f.first)
	for _, lim := range l.limits[form] {
		ends = append(ends, within(lim.at-lim.hi), within(lim.at-lim.lo))
	}
	slices.Sort(ends)
	return ends
}

// route is where an answer leads the states that stand alike in all conditions.
type route struct {
	to      int  // the layer, or -1-outcome
	numbers bool // a condition on the way looks at numbers: each state is followed by itself
	roots   uint64
	wires   []wire
	flow    flow // of those who have gone this way
}

// wire is the way of one score along a route: how far from its packed value the shelf of the layer it leads to has what
// becomes of it.
type wire struct {
	shift, mask uint64 // where it stands in the key
	first       uint64 // its first token
	off, tokens uint64 // for values and for tokens; they may wrap below 0
	ready       []uint64
}

// position is where on the shelf a wire takes the score of a packed state.
func (w *wire) position(k uint64) uint64 {
	v, off := k>>(w.shift&63)&w.mask, w.off
	if v >= w.first {
		off = w.tokens
	}
	return v + off
}

// routes finds, by effect, where the answers to question t lead the states with these conditions.
func (r *run) routes(t int, conditions uint64) []route {
	if at, ok := r.known[conditions]; ok {
		return r.lists[at]
	}
	p := r.p
	p.unpack(t, key{conditions}, r.vec)
	list := make([]route, len(p.effects[t]))
	for e := range list {
		copy(r.next, r.vec)
		p.settleConditions(t, &p.effects[t][e], r.next)
		list[e] = r.route(t, &p.effects[t][e])
	}
	r.known[conditions] = len(r.lists)
	r.lists = append(r.lists, list)
	return list
}

// route finds where an effect leads the conditions in next.
func (r *run) route(t int, e *effect) route {
	p := r.p
	for _, root := range p.branchAt[t] {
		if p.looksAtNumbers(root, r.next) {
			return route{numbers: true}
		}
	}
	to, ended := r.branch(t)
	if ended >= 0 {
		return route{to: -1 - ended}
	}
	for skipped := t + 1; skipped < to; skipped++ {
		p.skip(skipped, r.next)
	}
	for at := to; at < p.m.n() && p.rootOf[at] >= 0; at++ { // as far as questions may be hidden
		if p.looksAtNumbers(p.rootOf[at], r.next) {
			return route{numbers: true}
		}
	}
	found := route{to: r.pass(r.next, to)}
	for i := range p.layers[found.to].fields {
		if f := &p.layers[found.to].fields[i]; f.root {
			found.roots |= uint64(p.roots[f.comp].index[r.next[f.comp]]) << f.shift
		}
	}
	found.wires = p.wires(t, found.to, e)
	return found
}

// wires are the ways of all scores from a layer to a later one.
func (p *pass) wires(t, to int, e *effect) []wire {
	out := make([]wire, 0, p.nScales)
	for i, there := range p.wired[to] {
		if here := p.wired[t][i].field; there.field != nil && here != nil {
			off, tokens := here.min+e.o.points[i]-there.field.min, there.field.first-here.first
			out = append(out, wire{
				shift: uint64(here.shift), mask: here.mask, first: uint64(here.first),
				off: uint64(off), tokens: uint64(tokens), ready: there.ready,
			})
		}
	}
	return out
}

// looksAtNumbers tells whether what is left of a condition looks at more than answers.
func (p *pass) looksAtNumbers(root int, vec []int64) bool { return p.m.forest.nodes[vec[root]].numbers }

// flush adds what has gone along the routes of layer t to its edges, and forgets them.
func (r *run) flush(t int) {
	for _, list := range r.lists {
		for i := range list {
			if on := &list[i]; on.flow.ever {
				r.edge(t, on.to).add(on.flow.share)
			}
		}
	}
	clear(r.known)
	r.lists = r.lists[:0]
}

// glide is step along the routes of the states' conditions.
func (r *run) glide(t, begin, end int) {
	keys, conditions := r.tables[t].keys, r.p.layers[t].conditions
	if conditions == 0 {
		r.glideAlike(t, begin, end, r.routes(t, 0))
		return
	}
	for s := begin; s < end; {
		alike := s + 1
		for alike < end && (keys[alike]^keys[s])&conditions == 0 {
			alike++
		}
		r.glideAlike(t, s, alike, r.routes(t, keys[s]&conditions))
		s = alike
	}
}

// glideAlike follows states that stand alike in all conditions.
func (r *run) glideAlike(t, begin, end int, routes []route) {
	p, tab := r.p, &r.tables[t]
	mass := 0.0
	for _, prob := range tab.p[begin:end] {
		mass += prob
	}
	for e := range routes {
		on, share := &routes[e], p.effects[t][e].p
		switch {
		case r.skip != nil && r.skip[e]:
		case on.numbers:
			for s := begin; s < end; s++ {
				p.unpack(t, tab.key(s), r.vec)
				r.follow(t, s, e)
			}
		case on.to < 0:
			for s := begin; s < end; s++ {
				r.end(t, -1-on.to, tab.p[s]*share, nil, origin{int32(t), int32(s), int32(e)})
			}
		default:
			r.moved = on.move(r.moved, tab.keys[begin:end])
			r.land(t, e, begin, on.to, r.moved)
			on.flow.add(mass * share)
		}
	}
}

// land is the transitions of neighbours from the first one on by an effect, to the states of a layer with these keys.
func (r *run) land(t, e, first, layer int, keys []uint64) {
	to, share := &r.tables[layer], r.p.effects[t][e].p
	probs, ways, there := r.tables[t].p[first:][:len(keys)], r.arrowsOf(t, e)[first:][:len(keys)], to.p
	var places []int32 // of those that are there already; not all are listed
	if to.short && !r.kept {
		places = to.slots
	}
	for i, k := range keys {
		prob := probs[i] * share
		if k < uint64(len(places)) && places[k] > 0 {
			there[places[k]-1] += prob
			ways[i] = arrow{int32(layer), places[k] - 1}
			continue
		}
		at, known := to.findWord(k)
		if from := (origin{int32(t), int32(first + i), int32(e)}); known {
			to.come(at, prob, from)
		} else {
			r.noteState(to, prob, from)
			there = to.p
		}
		ways[i] = arrow{int32(layer), at}
	}
}

// move writes into moved where a route takes packed states.
func (on *route) move(moved, keys []uint64) []uint64 {
	moved = slices.Grow(moved[:0], len(keys))[:len(keys)]
	for s := range moved {
		moved[s] = on.roots
	}
	for i := range on.wires {
		w := on.wires[i]
		for s, k := range keys {
			moved[s] |= w.ready[w.position(k)]
		}
	}
	return moved
}
