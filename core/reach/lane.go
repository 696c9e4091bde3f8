package reach

import (
	"context"
	"math/big"
)

// A pass without branches and hidden questions whose states are one score alone runs in a lane: the next state is
// looked up in a table by value, as in a plain convolution, and needs no packing and no hash.
type lane struct {
	scale int
	form  int
	raw   [][]int32 // by layer: packed state of a value, from the layer's least value on
	token [][]int32 // by layer: packed state of a token of the layer before
}

// planLane returns nil when the pass does not run in a lane.
func (p *pass) planLane() *lane {
	if len(p.starts) != 1 {
		return nil
	}
	comp := -1
	for t := range p.layers {
		if t < p.m.n() && (p.rootOf[t] >= 0 || len(p.branchAt[t]) > 0) {
			return nil
		}
		if len(p.layers[t].fields) > 1 {
			return nil
		}
		for _, f := range p.layers[t].fields {
			if f.comp < p.scale0 || f.comp >= p.earn0 || comp >= 0 && f.comp != comp {
				return nil
			}
			comp = f.comp
		}
	}
	if comp < 0 || len(p.layers[0].fields) == 0 {
		return nil
	}
	if room := p.laneRoom(); room > maxLane {
		return nil // a table with a place for each value would be larger than the states are many
	}
	l := &lane{scale: comp - p.scale0, form: comp - p.scale0}
	for t := range p.layers {
		var raw, tokens []int32
		if len(p.layers[t].fields) == 1 {
			f := &p.layers[t].fields[0]
			first := p.tokenAt(f)
			packed := func(v int64) int32 {
				if v = p.settleSum(&p.layers[t], l.form, v); v >= token/2 {
					return int32(v - token + first)
				}
				return int32(v - f.min)
			}
			raw = make([]int32, 0, first)
			for v := range first {
				raw = append(raw, packed(f.min+v))
			}
			for k := range int64(len(p.m.forms[l.form].thresholds)) + 1 {
				tokens = append(tokens, packed(token+k))
			}
		}
		l.raw, l.token = append(l.raw, raw), append(l.token, tokens)
	}
	return l
}

// laneRoom is how many values the layers of a lane have places for, all together.
func (p *pass) laneRoom() int64 {
	room := int64(0)
	for t := range p.layers {
		for _, f := range p.layers[t].fields {
			if room += f.span; f.span > maxLane {
				return f.span
			}
		}
	}
	return room
}

// dense is what a lane has counted: by layer and packed state its probability, and whether anybody gets there.
type dense struct {
	p    [][]float64
	seen [][]bool
}

// span is how many packed states a layer has room for, its tokens begin at first, and its least value is least.
func (p *pass) span(t int) (size, first, least int64) {
	if len(p.layers[t].fields) == 0 {
		return 1, 1 << 62, 0
	}
	f := &p.layers[t].fields[0]
	return f.span, p.tokenAt(f), f.min
}

// runLane is run for a pass in a lane. The states' origins and transitions are left for expand.
func (p *pass) runLane(ctx context.Context, l *lane, budget int) (*counted, error) {
	n := p.m.n()
	c := &counted{
		p:       p,
		tables:  make([]table, n+1),
		outcome: make([]float64, len(p.m.d.Outcomes)),
		jumped:  make([]origin, len(p.m.d.Outcomes)),
		truth:   make([][2]bool, len(p.roots)),
		combos:  new(big.Int),
		dense:   &dense{},
	}
	for i := range c.jumped {
		c.jumped[i].state = -1
	}
	begin := p.begin(p.starts[0])
	p.settleNumbers(0, begin, nil)
	size, first, least := p.span(0)
	mass, seen := make([]float64, size), make([]bool, size)
	at := p.pack(0, begin)[0]
	mass[at], seen[at] = p.starts[0].p, true
	for t := range n {
		c.dense.p, c.dense.seen = append(c.dense.p, mass), append(c.dense.seen, seen)
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		nextSize, nextFirst, nextLeast := p.span(t + 1)
		next, reached := make([]float64, nextSize), make([]bool, nextSize)
		effects := p.effects[t]
		raw, tokens := l.raw[t+1], l.token[t+1]
		for e := range effects {
			shift := least + effects[e].o.points[l.scale] - nextLeast
			share := effects[e].p
			for v, there := range seen {
				if !there {
					continue
				}
				to := int32(0)
				switch {
				case raw == nil:
				case int64(v) >= first:
					to = tokens[int64(v)-first]
				default:
					to = raw[int64(v)+shift]
				}
				next[to] += mass[v] * share
				reached[to] = true
			}
		}
		if c.work += len(seen) * len(effects); c.work > budget {
			return nil, errBudget
		}
		mass, seen, first, least = next, reached, nextFirst, nextLeast
	}
	c.dense.p, c.dense.seen = append(c.dense.p, mass), append(c.dense.seen, seen)
	c.list(n)
	return c, nil
}

// list gives the states of a layer their numbers, in the order of their packed values.
func (c *counted) list(t int) (number []int32) {
	number = make([]int32, len(c.dense.seen[t]))
	tab := &c.tables[t]
	if tab.keys != nil {
		for i, k := range tab.keys {
			number[k[0]] = int32(i)
		}
		return number
	}
	size := 0
	for _, there := range c.dense.seen[t] {
		if there {
			size++
		}
	}
	tab.keys, tab.p = make([]key, 0, size), make([]float64, 0, size)
	for v, there := range c.dense.seen[t] {
		if there {
			number[v] = int32(len(tab.keys))
			tab.keys = append(tab.keys, key{uint64(v)})
			tab.p = append(tab.p, c.dense.p[t][v])
		}
	}
	return number
}

// expand adds the origins and transitions of a lane, which only witnesses and influence need.
func (c *counted) expand() {
	if c.dense == nil || c.arrows != nil {
		return
	}
	p, l := c.p, c.p.lane
	n := p.m.n()
	c.arrows, c.edges = make([][]arrow, n), nil
	c.list(0)
	c.tables[0].from = []origin{{-1, 0, 0}}
	for t := range n {
		number := c.list(t + 1)
		effects := p.effects[t]
		from, to := &c.tables[t], &c.tables[t+1]
		to.from = make([]origin, len(to.keys))
		for s := range to.from {
			to.from[s].state = -1
		}
		_, first, least := p.span(t)
		_, _, nextLeast := p.span(t + 1)
		arrows := make([]arrow, 0, len(from.keys)*len(effects))
		total := 0.0
		for s := range from.keys {
			v := int64(from.keys[s][0])
			total += from.p[s]
			for e := range effects {
				at := int32(0)
				switch {
				case l.raw[t+1] == nil:
				case v >= first:
					at = l.token[t+1][v-first]
				default:
					at = l.raw[t+1][v+least+effects[e].o.points[l.scale]-nextLeast]
				}
				k := number[at]
				if to.from[k].state < 0 {
					to.from[k] = origin{int32(t), int32(s), int32(e)}
				}
				arrows = append(arrows, arrow{int32(t + 1), k})
			}
		}
		c.arrows[t] = arrows
		c.edges = append(c.edges, map[int]float64{t + 1: total})
	}
}
