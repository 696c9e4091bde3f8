package reach

import (
	"context"
	"math/big"
	"strings"
)

// A state is everything that the rest of a walk can still depend on, and nothing else: what is left of each
// condition, and each number as far as a threshold can still change sides. Two respondents in the same state end
// alike from here, whatever they have answered, so their probabilities are added and they are followed as one. That
// is why counting all of them is feasible.
//
// Example: with one scale, a cut at 10 and two questions of at most 3 points left, everybody with 3 points or fewer
// is in one state: none of them can reach the cut any more.

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

// origin is where a state was first come from: a state of an earlier layer and the effect of its question; for the
// first states the combination of visitor facts.
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
	bytes   int64 // about how much memory all of this takes
	combos  *big.Int
}

// run counts. It ends with errBudget when more is needed than may be spent, and with the context's error.
func (p *pass) run(ctx context.Context, most spend, combinations bool) (*counted, error) {
	if p.lane != nil && !combinations {
		return p.runLane(ctx, p.lane, most.transitions)
	}
	r := p.newRun(combinations)
	for i, s := range p.starts {
		copy(r.vec, p.begin(s))
		r.arrive(0, r.vec, s.p, one, origin{-1, 0, int32(i)})
	}
	for t := range p.m.n() {
		if err := r.layer(ctx, t, most); err != nil {
			return nil, err
		}
	}
	if combinations {
		for _, n := range r.tables[p.m.n()].n {
			r.combos.Add(r.combos, n)
		}
	}
	return r.counted, nil
}

// run is a count under way. Layer t holds the states in which question t is asked next; the layer behind the last
// question holds those that come to the verdicts. Every state of a layer is final before it is left, since walks only
// lead forward.
type run struct {
	*counted
	combinations bool
	vec, next    []int64        // a state unpacked, and where an effect leads from it
	scratch      []int64        // for settling numbers
	outcomeAt    map[string]int // position by id
	counts       []*big.Int     // by effect of the layer: how many answers have it; nil without combinations
	stateBytes   int64          // of one state with all that is kept or worked out about it
}

// About what memory a state and a transition take: the packed state and its place in the table, its probability and
// its origin; and what is worked out afterwards, the odds of each outcome.
const (
	stateBytes  = 96
	oddsBytes   = 8 // an outcome
	combosBytes = 96
	arrowBytes  = 8
)

func (p *pass) stateBytes(combinations bool) int64 {
	size := int64(stateBytes)
	if combinations {
		size += combosBytes
	}
	if p.lines {
		size += oddsBytes * int64(len(p.m.d.Outcomes))
	}
	return size
}

func (p *pass) newRun(combinations bool) *run {
	n, outcomes := p.m.n(), p.m.d.Outcomes
	c := &counted{
		p:       p,
		tables:  make([]table, n+1),
		arrows:  make([][]arrow, n),
		outcome: make([]float64, len(outcomes)),
		jumped:  make([]origin, len(outcomes)),
		truth:   make([][2]bool, len(p.roots)),
		combos:  new(big.Int),
	}
	r := &run{
		counted: c, combinations: combinations, outcomeAt: map[string]int{}, stateBytes: p.stateBytes(combinations),
		vec: make([]int64, p.end), next: make([]int64, p.end), scratch: make([]int64, 0, p.nKeys),
	}
	for i := range outcomes {
		c.jumped[i].state = -1
		r.outcomeAt[outcomes[i].ID] = i
	}
	for range n {
		c.edges = append(c.edges, map[int]float64{})
	}
	return r
}

// layer follows every state of layer t by every effect of its question.
func (r *run) layer(ctx context.Context, t int, most spend) error {
	p, tab := r.p, &r.tables[t]
	r.countAnswers(t)
	transitions := len(tab.keys) * len(p.effects[t])
	if r.bytes += int64(transitions) * arrowBytes; r.work+transitions > most.transitions || r.bytes > most.bytes {
		return errBudget
	}
	r.work += transitions
	r.arrows[t] = make([]arrow, 0, transitions)
	steps := 0
	for s := range tab.keys {
		if steps += len(p.effects[t]); steps >= looksUpFrom {
			steps = 0
			if ctx.Err() != nil {
				return ctx.Err()
			}
			if r.bytes > most.bytes {
				return errBudget
			}
		}
		p.unpack(t, tab.keys[s], r.vec)
		for e := range p.effects[t] {
			r.follow(t, s, e)
		}
	}
	tab.n = nil // big numbers of layers behind are not needed any more
	return nil
}

// countAnswers counts how many answers have each effect of question t.
func (r *run) countAnswers(t int) {
	if !r.combinations {
		return
	}
	effects := r.p.effects[t]
	r.counts = make([]*big.Int, len(effects))
	for e := range effects {
		r.counts[e] = new(big.Int)
		for _, k := range effects[e].options {
			r.counts[e].Add(r.counts[e], r.p.m.slots[r.p.m.visitors+t].options[k].n)
		}
	}
}

// follow is one transition: from state s of layer t, which stands unpacked in vec, by effect e.
func (r *run) follow(t, s, e int) {
	p, tab := r.p, &r.tables[t]
	copy(r.next, r.vec)
	p.apply(t, &p.effects[t][e], r.next)
	prob := tab.p[s] * p.effects[t][e].p
	var n *big.Int
	if r.combinations {
		n = new(big.Int).Mul(tab.n[s], r.counts[e])
	}
	from := origin{int32(t), int32(s), int32(e)}
	to, ended := r.branch(t)
	if ended >= 0 {
		r.end(t, ended, prob, n, from)
		return
	}
	for skipped := t + 1; skipped < to; skipped++ {
		p.skip(skipped, r.next)
	}
	a := r.arrive(to, r.next, prob, n, from)
	r.edges[t][int(a.layer)] += prob
	r.arrows[t] = append(r.arrows[t], a)
}

// branch takes the first branch of question t that holds in next: to is the layer it leads to, ended the outcome that
// it ends at, −1 for none. It notes which branches have been seen to hold and which not.
func (r *run) branch(t int) (to, ended int) {
	p := r.p
	for b, root := range p.branchAt[t] {
		if !p.holds(int32(r.next[root]), r.next) {
			r.truth[root][0] = true
			continue
		}
		r.truth[root][1] = true
		// A branch behind the one that is taken can hold all the same: it is not impossible, only late.
		for _, later := range p.branchAt[t][b+1:] {
			if !r.truth[later][1] && p.holds(int32(r.next[later]), r.next) {
				r.truth[later][1] = true
			}
		}
		switch kind, id, _ := strings.Cut(p.m.d.Questions[t].Branches[b].Go, ":"); kind {
		case "question":
			return p.m.d.Question(id), -1
		case "finish":
			return p.m.n(), -1
		default:
			return 0, r.outcomeAt[id]
		}
	}
	return t + 1, -1
}

// end notes a walk that a branch of question t sends straight to an outcome.
func (r *run) end(t, outcome int, prob float64, n *big.Int, from origin) {
	r.outcome[outcome] += prob
	if r.jumped[outcome].state < 0 {
		r.jumped[outcome] = from
	}
	r.edges[t][-1-outcome] += prob
	if r.combinations {
		r.combos.Add(r.combos, n)
	}
	r.arrows[t] = append(r.arrows[t], arrow{-1, int32(outcome)})
}

// arrive adds a state to the layer that it comes to: past hidden questions, with its numbers settled, merged with the
// state that is there already if there is one. Merging is allowed because settling keeps all that the rest of the
// walk can depend on.
func (r *run) arrive(t int, v []int64, prob float64, n *big.Int, from origin) arrow {
	t = r.pass(v, t)
	r.p.settleNumbers(t, v, r.scratch)
	tab := &r.tables[t]
	at, known := tab.find(r.p.pack(t, v))
	switch {
	case !known:
		r.bytes += r.stateBytes
		tab.p = append(tab.p, prob)
		tab.from = append(tab.from, from)
		if r.combinations {
			tab.n = append(tab.n, n)
		}
	default:
		tab.p[at] += prob
		if r.combinations {
			tab.n[at] = new(big.Int).Add(tab.n[at], n)
		}
	}
	return arrow{int32(t), at}
}
