package reach

import (
	"context"
	"errors"
	"math/big"
	"strings"
)

var errBudget = errors.New("there are more states than the budget allows")

// key is a packed state.
type key [4]uint64

// table is the states of one layer with their probabilities, and the way that one walk took to each.
type table struct {
	keys  []key
	p     []float64
	n     []*big.Int // how many combinations lead here, if wanted
	from  []origin
	slots []int32 // open addressing: position + 1
}

// origin is where a state was first come from: a state of an earlier layer and the effect of its question; for the first
// states the combination of visitor facts.
type origin struct {
	layer  int32 // -1: before the first question
	state  int32
	effect int32
}

func (t *table) find(k key) (int32, bool) {
	if len(t.slots) == 0 || len(t.keys)*2 >= len(t.slots) {
		t.rehash()
	}
	mask := uint64(len(t.slots) - 1)
	for h := hash(k) & mask; ; h = (h + 1) & mask {
		at := t.slots[h]
		if at == 0 {
			t.keys = append(t.keys, k)
			t.slots[h] = int32(len(t.keys))
			return int32(len(t.keys) - 1), false
		}
		if t.keys[at-1] == k {
			return at - 1, true
		}
	}
}

func hash(k key) uint64 {
	h := k[0] * 0x9E3779B97F4A7C15
	h ^= h >> 29
	if k[1]|k[2]|k[3] != 0 {
		h = (h + k[1]) * 0xBF58476D1CE4E5B9
		h ^= h >> 32
		h = (h + k[2]) * 0x94D049BB133111EB
		h ^= h >> 29
		h = (h + k[3]) * 0x9E3779B97F4A7C15
	}
	return h ^ h>>32
}

func (t *table) rehash() {
	t.slots = make([]int32, max(16, 4*len(t.keys)))
	mask := uint64(len(t.slots) - 1)
	if len(t.slots)&(len(t.slots)-1) != 0 {
		size := 16
		for size < 4*len(t.keys) {
			size *= 2
		}
		t.slots = make([]int32, size)
		mask = uint64(size - 1)
	}
	for i, k := range t.keys {
		h := hash(k) & mask
		for t.slots[h] != 0 {
			h = (h + 1) & mask
		}
		t.slots[h] = int32(i + 1)
	}
}

// arrow is one transition: from a state by an effect, to a state of a later layer or straight to an outcome.
type arrow struct {
	layer int32 // -1: an outcome
	to    int32
}

// counted is what a pass found.
type counted struct {
	p       *pass
	tables  []table
	arrows  [][]arrow         // by layer: states × effects
	outcome []float64         // by branches alone, by outcome
	jumped  []origin          // by outcome: one walk that a branch sent there
	edges   []map[int]float64 // by question: to a layer, or to -1-outcome
	truth   [][2]bool         // by root: seen false, seen true
	dense   *dense            // of a lane
	work    int
	combos  *big.Int
}

// run counts. It ends with errBudget when more than budget transitions are needed, and with the context's error.
func (p *pass) run(ctx context.Context, budget int, combinations bool) (*counted, error) {
	if p.lane != nil && !combinations {
		return p.runLane(ctx, p.lane, budget)
	}
	n := p.m.n()
	c := &counted{p: p, tables: make([]table, n+1), arrows: make([][]arrow, n), outcome: make([]float64, len(p.m.d.Outcomes)),
		jumped: make([]origin, len(p.m.d.Outcomes)), truth: make([][2]bool, len(p.roots)), combos: new(big.Int)}
	for i := range c.jumped {
		c.jumped[i].state = -1
	}
	for range n {
		c.edges = append(c.edges, map[int]float64{})
	}
	vec, next := make([]int64, p.end), make([]int64, p.end)
	scratch := make([]int64, 0, p.nKeys)
	put := func(t int, v []int64, prob float64, count *big.Int, o origin) arrow {
		t = c.pass(v, t)
		p.settleNumbers(t, v, scratch)
		tab := &c.tables[t]
		at, known := tab.find(p.pack(t, v))
		if !known {
			tab.p = append(tab.p, prob)
			tab.from = append(tab.from, o)
			if combinations {
				tab.n = append(tab.n, count)
			}
			return arrow{int32(t), at}
		}
		tab.p[at] += prob
		if combinations {
			tab.n[at] = new(big.Int).Add(tab.n[at], count)
		}
		return arrow{int32(t), at}
	}
	for i, s := range p.starts {
		copy(vec, p.begin(s))
		put(0, vec, s.p, one, origin{-1, 0, int32(i)})
	}
	outcomeAt := map[string]int{}
	for i := range p.m.d.Outcomes {
		outcomeAt[p.m.d.Outcomes[i].ID] = i
	}
	for t := range n {
		q := &p.m.d.Questions[t]
		effects := p.effects[t]
		counts := make([]*big.Int, len(effects))
		if combinations {
			for e := range effects {
				counts[e] = new(big.Int)
				for _, k := range effects[e].options {
					counts[e].Add(counts[e], p.m.slots[p.m.visitors+t].options[k].n)
				}
			}
		}
		tab := &c.tables[t]
		c.arrows[t] = make([]arrow, 0, len(tab.keys)*len(effects))
		for s := range tab.keys {
			if s&1023 == 0 && ctx.Err() != nil {
				return nil, ctx.Err()
			}
			if c.work += len(effects); c.work > budget {
				return nil, errBudget
			}
			p.unpack(t, tab.keys[s], vec)
			mass := tab.p[s]
			for e := range effects {
				copy(next, vec)
				p.apply(t, &effects[e], next)
				o := origin{int32(t), int32(s), int32(e)}
				var count *big.Int
				if combinations {
					count = new(big.Int).Mul(tab.n[s], counts[e])
				}
				prob := mass * effects[e].p
				to := t + 1
				ended := -1
				for b, r := range p.branchAt[t] {
					if !p.holds(int32(next[r]), next) {
						c.truth[r][0] = true
						continue
					}
					c.truth[r][1] = true
					switch kind, id, _ := strings.Cut(q.Branches[b].Go, ":"); kind {
					case "question":
						to = p.m.d.Question(id)
					case "finish":
						to = n
					default:
						ended = outcomeAt[id]
					}
					for _, later := range p.branchAt[t][b+1:] { // a branch behind one that is taken can hold all the same
						if !c.truth[later][1] && p.holds(int32(next[later]), next) {
							c.truth[later][1] = true
						}
					}
					break
				}
				if ended >= 0 {
					c.outcome[ended] += prob
					if c.jumped[ended].state < 0 {
						c.jumped[ended] = o
					}
					c.edges[t][-1-ended] += prob
					if combinations {
						c.combos.Add(c.combos, count)
					}
					c.arrows[t] = append(c.arrows[t], arrow{-1, int32(ended)})
					continue
				}
				for skipped := t + 1; skipped < to; skipped++ {
					p.skip(skipped, next)
				}
				a := put(to, next, prob, count, o)
				c.edges[t][int(a.layer)] += prob
				c.arrows[t] = append(c.arrows[t], a)
			}
		}
		if combinations { // big numbers of layers behind are not needed any more
			tab.n = nil
		}
	}
	if combinations {
		for _, v := range c.tables[n].n {
			c.combos.Add(c.combos, v)
		}
	}
	return c, nil
}
