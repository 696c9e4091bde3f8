package reach

import (
	"context"
	"math/big"
	"slices"
	"strings"
)

// A state is everything that the rest of a walk can still depend on, and nothing else: what is left of each
// condition, and each number as far as a threshold can still change sides. Two respondents in the same state end
// alike from here, whatever they have answered, so their probabilities are added and they are followed as one. That
// is why counting all of them is feasible.
//
// Example: with one scale, a cut at 10 and two questions of at most 3 points left, everyone with 3 points or fewer
// is in one state: none of them can reach the cut any more.

// arrow is one transition: from a state by an effect, to a state of a later layer or straight to an outcome.
type arrow struct {
	layer int32 // -1: an outcome
	to    int32
}

// flow is the share that goes a way, and whether anyone does: what no one is assumed to answer has no share.
type flow struct {
	share float64
	ever  bool
}

func (f *flow) add(share float64) { f.share, f.ever = f.share+share, true }

func (f *flow) join(other flow) { f.share, f.ever = f.share+other.share, f.ever || other.ever }

// ends reports whether a branch of question t has sent anyone straight to an outcome.
func (c *counted) ends(t int) bool {
	return slices.ContainsFunc(c.edges[t][c.p.m.n()-t:], func(f flow) bool { return f.ever })
}

// edge is what goes from a question to a later layer, or to -1-outcome.
func (c *counted) edge(from, to int) *flow {
	if to < 0 {
		to = c.p.m.n() - to
	}
	return &c.edges[from][to-from-1]
}

// counted is what a pass found.
type counted struct {
	p       *pass
	tables  []table
	arrows  [][][]arrow // by layer, effect and state (see ways); of those that are not straight
	outcome []float64   // by branches alone, by outcome
	jumped  []origin    // by outcome: one walk that a branch sent there
	edges   [][]flow    // by question: to each layer behind it, and behind them to each outcome
	truth   [][2]bool   // by root: seen false, seen true
	begins  []arrow     // by combination of visitor facts: the first state
	work    int

	straight []straight // by layer
	bytes    int64      // about how much memory all of this takes
	combos   *big.Int   // if wanted

	deserted     int      // how many states are there that no one comes to any more
	lost         [][]bool // by layer and state: see rerun; nil for none
	combinations bool
}

// states is how many states there are, deserted ones too.
func (c *counted) states() int {
	n := 0
	for t := range c.tables {
		n += c.tables[t].size()
	}
	return n
}

// run counts. It ends with errBudget when more is needed than may be spent, and with the context's error.
func (p *pass) run(ctx context.Context, most spend, combinations bool) (*counted, error) {
	r := p.newRun(combinations)
	for t := range r.tables {
		r.tables[t] = newTable(p.layers[t].width, &r.room)
	}
	for i, s := range p.starts {
		copy(r.vec, p.firstState(s))
		r.arrive(r.vec, s.p, one, origin{-1, 0, int32(i)})
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
	vec, next  []int64        // a state unpacked, and where an effect leads from it
	scratch    []int64        // for settling numbers
	outcomeAt  map[string]int // position by id
	counts     []*big.Int     // by effect of the layer: how many answers have it; nil without combinations
	stateBytes int64          // of one state with all that is kept or worked out about it
	kept       bool           // there was a count before, whose states are in the tables
	skip       []bool         // effects of the layer that are not followed; nil for none
	known      map[uint64]int // of the layer, by conditions: which of the lists
	moved      []uint64       // room to work in
	lists      [][]route      // by effect
	room       tableRoom
	masses     []float64 // room to work in: see convolve
	waysTo     []int32   // the same
}

// About what memory a state and a transition take: the packed state and its place in the table, its probability and
// its origin; and what is worked out afterwards, the odds of each outcome.
const (
	stateBytes  = 96
	oddsBytes   = 8 // an outcome
	combosBytes = 96
	arrowBytes  = 8
	placeBytes  = 4
)

// plainTransitions are as many in a plain pass as take the time of one in another.
const plainTransitions = 4

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
		p:        p,
		tables:   make([]table, n+1),
		arrows:   make([][][]arrow, n),
		straight: make([]straight, n),
		outcome:  make([]float64, len(outcomes)),
		jumped:   make([]origin, len(outcomes)),
		truth:    make([][2]bool, len(p.roots)),
		combos:   new(big.Int),

		combinations: combinations,
	}
	r := &run{
		counted: c, outcomeAt: map[string]int{}, stateBytes: p.stateBytes(combinations),
		vec: make([]int64, p.end), next: make([]int64, p.end), scratch: make([]int64, 0, p.nKeys),
		known: map[uint64]int{},
	}
	for i := range outcomes {
		c.jumped[i].state = -1
		r.outcomeAt[outcomes[i].ID] = i
	}
	c.edges = make([][]flow, n)
	room := make([]flow, n*(n+1)/2+n*len(outcomes))
	for t := range c.edges {
		to := n - t + len(outcomes)
		c.edges[t], room = room[:to:to], room[to:]
	}
	return r
}

// layer follows every state of layer t by every effect of its question.
func (r *run) layer(ctx context.Context, t int, most spend) error {
	p, tab := r.p, &r.tables[t]
	r.countAnswers(t)
	transitions := tab.size() * len(p.effects[t])
	spent := transitions
	if p.wired != nil && !r.combinations {
		spent /= plainTransitions
	}
	if r.work += spent; r.work > most.transitions || r.bytes > most.bytes {
		return errBudget
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	var err error
	if r.straighten(t) {
		r.convolve(t)
	} else {
		err = r.followAll(ctx, t, most)
	}
	r.flush(t)
	tab.n = nil // big numbers of layers behind are not needed any more
	return err
}

// followAll takes the states of layer t along all of its transitions.
func (r *run) followAll(ctx context.Context, t int, most spend) error {
	p, tab := r.p, &r.tables[t]
	transitions := tab.size() * len(p.effects[t])
	if r.bytes += int64(transitions) * arrowBytes; r.bytes > most.bytes {
		return errBudget
	}
	r.arrows[t] = make([][]arrow, len(p.effects[t]))
	all, states := make([]arrow, transitions), tab.size()
	for e := range r.arrows[t] {
		r.arrows[t][e], all = all[:states:states], all[states:]
	}
	r.tables[t+1].reserve(tab.size()+tab.size()/4, &r.room)
	follow := r.step
	if p.wired != nil && !r.combinations {
		follow = r.glide
	}
	stretch := max(1, looksUpFrom/max(1, len(p.effects[t])))
	for s := 0; s < tab.size(); s += stretch {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if r.bytes > most.bytes {
			return errBudget
		}
		follow(t, s, min(s+stretch, tab.size()))
	}
	return nil
}

// step follows the states of layer t from one to before another.
func (r *run) step(t, from, to int) {
	for s := from; s < to; s++ {
		r.p.unpack(t, r.tables[t].key(s), r.vec)
		for e := range r.p.effects[t] {
			r.follow(t, s, e)
		}
	}
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
	}
	for k, e := range r.p.effectOf[t] {
		r.counts[e].Add(r.counts[e], r.p.m.slots[r.p.m.visitors+t].options[k].n)
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
	to = r.pass(r.next, to)
	p.settleNumbers(to, r.next, r.scratch)
	r.put(to, p.pack(to, r.next), prob, n, from)
}

// branch takes the first branch of question t that holds in next: to is the layer it leads to, ended the outcome that
// it ends at, −1 for none. It notes which branches have been seen to hold and which not.
func (r *run) branch(t int) (to, ended int) {
	p := r.p
	for b, root := range p.branchAt[t] {
		if !p.evaluate(int32(r.next[root]), r.next) {
			r.truth[root][0] = true
			continue
		}
		r.truth[root][1] = true
		// A branch behind the one that is taken can hold all the same: it is not impossible, only late.
		for _, later := range p.branchAt[t][b+1:] {
			if !r.truth[later][1] && p.evaluate(int32(r.next[later]), r.next) {
				r.truth[later][1] = true
			}
		}
		switch kind, id, _ := strings.Cut(p.m.d.Questions[t].Branches[b].Go, ":"); kind {
		case "question":
			return p.m.c.Position(id), -1
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
	r.edge(t, -1-outcome).add(prob)
	if r.combinations {
		r.combos.Add(r.combos, n)
	}
	r.arrowsOf(t, int(from.effect))[from.state] = arrow{-1, int32(outcome)}
}

// put is a transition to a state of layer t.
func (r *run) put(t int, k key, prob float64, n *big.Int, from origin) {
	at := r.add(t, k, prob, n, from)
	r.edge(int(from.layer), t).add(prob)
	r.arrowsOf(int(from.layer), int(from.effect))[from.state] = arrow{int32(t), at}
}

// arrive adds a first state to the layer that it comes to: past hidden questions, with its numbers settled.
func (r *run) arrive(v []int64, prob float64, n *big.Int, from origin) {
	t := r.pass(v, 0)
	r.p.settleNumbers(t, v, r.scratch)
	r.begins = append(r.begins, arrow{int32(t), r.add(t, r.p.pack(t, v), prob, n, from)})
}

// add adds a state to a layer, merged with the one that is there already if there is one. Merging is allowed because
// settling keeps all that the rest of the walk can depend on.
func (r *run) add(t int, k key, prob float64, n *big.Int, from origin) int32 {
	tab := &r.tables[t]
	at, known := tab.find(k)
	switch {
	case !known:
		r.noteState(tab, prob, from)
		if r.combinations {
			tab.n = append(tab.n, n)
		}
	default:
		tab.p[at] += prob
		if r.combinations {
			tab.n[at] = new(big.Int).Add(tab.n[at], n)
		}
	}
	return at
}

// noteState notes a state whose key has just been added to a table.
func (r *run) noteState(tab *table, prob float64, from origin) {
	r.bytes += r.stateBytes
	tab.p = append(tab.p, prob)
	tab.from = append(tab.from, from)
}
