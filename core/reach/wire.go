package reach

import "slices"

// A plain pass is one whose states hold nothing but conditions and scores. A score moves on by itself, whatever the
// others are, so what settling makes of each of its values is looked up, as in a plain convolution; and where an
// answer leads depends on the conditions alone, so it is worked out once for all states that stand alike in them.

// maxWired bounds the values that the layers of a plain pass have places for, all together.
const maxWired = 1 << 20

// wired are the settled values of a plain pass, by layer and scale.
type wired [][]shelf

// shelf is what settling makes of each value of a score at a layer, packed in its place of the key: of the values from
// the layer's least on, and of the tokens of the layers before.
type shelf struct {
	field  *field // nil: the layer does not hold the score
	raw    []uint64
	tokens []uint64
}

// wire fills the shelves of a pass; nil when it is not a plain one, or a state takes more than one word.
func (p *pass) wire() wired {
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
	w := make(wired, len(p.layers))
	for t := range p.layers {
		w[t] = make([]shelf, p.nScales)
		for i := range p.layers[t].fields {
			if f := &p.layers[t].fields[i]; f.comp >= p.scale0 {
				w[t][f.comp-p.scale0] = p.shelve(&p.layers[t], f)
			}
		}
	}
	return w
}

func (p *pass) shelve(l *layer, f *field) shelf {
	form := f.comp - p.scale0
	thresholds := len(p.m.forms[form].thresholds)
	values := make([]uint64, f.first+int64(thresholds)+1)
	for v := range values[:f.first] {
		values[v] = uint64(f.packed(p.settleSum(l, form, f.min+int64(v)))) << f.shift
	}
	for k := range values[f.first:] {
		values[int(f.first)+k] = uint64(f.packed(p.settleSum(l, form, token+int64(k)))) << f.shift
	}
	return shelf{f, values[:f.first], values[f.first:]}
}

// route is where an answer leads the states that stand alike in all conditions.
type route struct {
	to      int  // the layer, or -1-outcome
	numbers bool // a condition on the way looks at numbers: each state is followed by itself
	roots   uint64
	wires   []wire
	flow    flow // of those who have gone this way
}

// wire is the way of one score along a route.
type wire struct {
	shift  uint // where it stands in the key, and its mask
	mask   uint64
	first  uint64 // its first token
	at     uint64 // position in raw of the packed value 0, with what the answer gives; it may wrap below 0
	raw    []uint64
	tokens []uint64
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
			at := uint64(here.min + e.o.points[i] - there.field.min)
			out = append(out, wire{here.shift, here.mask, uint64(here.first), at, there.raw, there.tokens})
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
	for e := range routes {
		on, share := &routes[e], p.effects[t][e].p
		switch {
		case on.numbers:
			for s := begin; s < end; s++ {
				p.unpack(t, tab.key(s), r.vec)
				r.follow(t, s, e)
			}
			continue
		case on.to < 0:
			for s := begin; s < end; s++ {
				r.end(t, -1-on.to, tab.p[s]*share, nil, origin{int32(t), int32(s), int32(e)})
			}
			continue
		}
		to, ways, flow := &r.tables[on.to], r.ways(t, e), 0.0
		r.moved = on.move(r.moved, tab.keys[begin:end])
		for i, k := range r.moved {
			s := begin + i
			prob := tab.p[s] * share
			flow += prob
			at, known := int32(0), to.short && to.slots[k] > 0
			if known {
				at = to.slots[k] - 1
			} else {
				at, known = r.find(on.to, to, k)
			}
			if known {
				to.p[at] += prob
			} else {
				r.found(to, prob, origin{int32(t), int32(s), int32(e)})
			}
			ways[s] = arrow{int32(on.to), at}
		}
		on.flow.add(flow)
	}
}

// find is the place of a state of one word in a layer, which is added if it is not there.
func (r *run) find(t int, in *table, k uint64) (at int32, known bool) {
	if r.again != nil {
		return r.again.find(t, k)
	}
	return in.findWord(k)
}

// move writes into moved where a route takes packed states.
func (on *route) move(moved, keys []uint64) []uint64 {
	moved = slices.Grow(moved[:0], len(keys))[:len(keys)]
	for s := range moved {
		moved[s] = on.roots
	}
	for i := range on.wires {
		w := &on.wires[i]
		shift, mask, first, at, raw := w.shift&63, w.mask, w.first, w.at, w.raw
		for s, k := range keys {
			if v := k >> shift & mask; v < first {
				moved[s] |= raw[v+at]
			} else {
				moved[s] |= w.tokens[v-first]
			}
		}
	}
	return moved
}
