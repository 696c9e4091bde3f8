package reach

import (
	"context"
	"slices"

	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// An edit of what some questions give leaves most of a count as it was. Up to the first of these questions everybody
// stands where they stood. Behind it there are other people in the states, but where an answer leads from a state is
// the same: these transitions are taken over, and only what they carry is added up anew. Looked for are those of the
// questions edited, and of states that nobody came to before.
//
// That holds as long as the plan of the pass does: where conditions look at answers alone, and what is given is within
// what the plan has room for. A plan made after an edit has room for what was given before it too, so that typing
// there goes on as fast as elsewhere.

// reweighed is the model of a document that is the same but for what some questions give. It shares the rest with this
// one, of which it takes the place. It is nil where these numbers need other units.
func (m *model) reweighed(within context.Context, d *quiz.Document, changed []int) *model {
	c, err := walk.New(d)
	if err != nil || m.err != nil {
		return nil
	}
	other := *m
	other.d, other.c, other.within = d, c, within
	other.slots, other.classOf, other.former = slices.Clone(m.slots), slices.Clone(m.classOf), map[int][]option{}
	for _, q := range changed {
		at := m.visitors + q
		list, _, err := other.rawOptions(q, other.teller(q))
		if err != nil {
			return nil
		}
		other.former[q] = m.slots[at].options
		other.listOptions(q, list, new(pieces[option]), new(pieces[int64]))
		if other.weighOptions(q, list) != nil || other.settleOptions(&other.slots[at]) != nil {
			return nil
		}
		if m.classList != nil {
			other.classOf[at] = m.classesOf(at, other.slots[at].options)
		}
	}
	return &other
}

// again is the count of the same pass for a model reweighed. It is nil where the plan does not hold.
func (c *counted) again(ctx context.Context, m *model, changed []int, most spend) (*counted, error) {
	if c == nil {
		return nil, nil
	}
	p, differ := c.p.reweighed(m, changed)
	switch {
	case len(differ) == 0:
		return c, nil // it does not look at what was edited
	case !p.hasRoom(differ) || c.combinations:
		return nil, nil
	}
	r := p.newRun(false)
	a := &rerun{run: r, old: c, first: differ[0], more: map[bare]int32{}}
	a.at, a.was = make([][]int32, p.m.n()+1), make([][]int32, p.m.n()+1)
	r.again = a
	a.begin()
	for t := a.first; t < p.m.n(); t++ {
		if err := a.carryOn(ctx, t, most); err != nil {
			return nil, err
		}
	}
	return r.counted, nil
}

// reweighed is the pass with what its questions give now, and lists those that give something else to what it looks at.
func (p *pass) reweighed(m *model, changed []int) (other *pass, differ []int) {
	copied := *p
	other = &copied
	other.m, other.effects, other.effectOf = m, slices.Clone(p.effects), slices.Clone(p.effectOf)
	for _, q := range changed {
		other.effects[q], other.effectOf[q] = other.effectsOf(q, new(pieces[effect]), new(pieces[int32]))
		s := m.visitors + q
		percents := slices.Contains(p.seen[p.nScales:2*p.nScales], true)
		same := !percents || slices.Equal(m.slots[s].most, p.m.slots[s].most)
		alike := func(a, b effect) bool { return a.p == b.p && p.alike(s, &a, &b) }
		if !same || !slices.EqualFunc(p.effects[q], other.effects[q], alike) {
			differ = append(differ, q)
		}
	}
	return other, differ
}

// hasRoom reports whether the plan of a pass holds for what questions give now.
func (p *pass) hasRoom(questions []int) bool {
	if p.wired == nil {
		return false
	}
	for _, r := range p.roots {
		if r.where.kind != useFinal && p.m.forest.nodes[r.tree].numbers {
			return false
		}
	}
	for _, q := range questions {
		for f, planned := range p.planned {
			for e := range p.effects[q] {
				if v := p.gives(f, &p.effects[q][e]); p.seen[f] && (v < planned.low(q) || v > planned.high(q)) {
					return false
				}
			}
		}
	}
	return true
}

// room is what a plan lets each question give to a form.
type room struct{ low, high sums }

// rerun is a count that takes over what there was found before.
type rerun struct {
	*run
	old     *counted
	first   int            // the first question that gives something else
	carried []bool         // by effect of the layer: some answer did the same before
	at      [][]int32      // by layer behind it and state of the old count: the state here, or notHere
	was     [][]int32      // and by state here, the one of the old count, or notHere
	more    map[bare]int32 // states that were not in the old count
}

// bare is a state that is found by its key.
type bare struct {
	layer int
	key   uint64
}

const notHere = -1

// begin takes over the layers up to the first question that gives something else, and those who come from there to the
// layers behind.
func (a *rerun) begin() {
	old, first := a.old, a.first
	copy(a.tables, old.tables[:first+1])
	copy(a.arrows, old.arrows[:first])
	copy(a.straight, old.straight[:first])
	copy(a.edges, old.edges[:first])
	copy(a.truth, old.truth)
	for t := range first {
		a.work += len(old.arrows[t]) / plainTransitions
		a.bytes += int64(len(old.arrows[t]))*arrowBytes + int64(old.tables[t].size())*a.stateBytes
	}
	a.was[first] = make([]int32, old.tables[first].size())
	for s := range a.was[first] {
		a.was[first][s] = int32(s)
	}
	for t := first + 1; t < len(a.at); t++ {
		a.tables[t].words = 1
		a.tables[t].reserve(old.tables[t].size()+16, &a.room)
		a.at[t] = slices.Repeat([]int32{notHere}, old.tables[t].size())
		a.was[t] = make([]int32, 0, old.tables[t].size()+16)
	}
	for i, to := range old.begins {
		if int(to.layer) > first {
			to = a.carry(to, a.p.starts[i].p, origin{-1, 0, int32(i)})
		}
		a.begins = append(a.begins, to)
	}
	for o, from := range old.jumped {
		if from.state >= 0 && int(from.layer) < first {
			a.jumped[o] = from
		}
	}
	for t := range first {
		for o := range a.outcome {
			a.outcome[o] += old.edge(t, -1-o).share
		}
		if !slices.ContainsFunc(old.edges[t][first-t:a.p.m.n()-t], func(f flow) bool { return f.ever }) {
			continue
		}
		a.arrows[t] = slices.Clone(old.arrows[t])
		for e := range a.p.effects[t] {
			for s, way := range a.ways(t, e) {
				if int(way.layer) > first {
					prob := old.tables[t].p[s] * a.p.effects[t][e].p
					a.ways(t, e)[s] = a.carry(way, prob, origin{int32(t), int32(s), int32(e)})
				}
			}
		}
	}
}

// carryOn follows the states of layer t by the transitions of the old count; those that it did not have are followed
// as in any count.
func (a *rerun) carryOn(ctx context.Context, t int, most spend) error {
	tab, was := &a.tables[t], a.was[t]
	transitions := tab.size() * len(a.p.effects[t])
	if ctx.Err() != nil {
		return ctx.Err()
	}
	a.work, a.bytes = a.work+transitions/plainTransitions, a.bytes+int64(transitions)*arrowBytes
	if a.work > most.transitions || a.bytes > most.bytes {
		return errBudget
	}
	a.arrows[t] = make([]arrow, transitions)
	a.carried = a.carried[:0]
	for e := range a.p.effects[t] {
		before := a.formerly(t, e)
		if a.carried = append(a.carried, before >= 0); before >= 0 {
			a.carryAlong(t, e, before)
		}
	}
	for s := 0; s < len(was); {
		begin, isNew := s, was[s] == notHere
		for s < len(was) && (was[s] == notHere) == isNew {
			s++
		}
		if a.skip = a.carried; isNew {
			a.skip = nil
		}
		if isNew || slices.Contains(a.carried, false) {
			a.glide(t, begin, s)
		}
	}
	a.flush(t)
	return nil
}

// formerly is an effect of question t that did in the old count what this one does, or -1.
func (a *rerun) formerly(t, k int) int {
	now, before := a.p.effects[t], a.old.p.effects[t]
	if &now[0] == &before[0] {
		return k
	}
	return slices.IndexFunc(before, func(e effect) bool { return a.p.alike(a.p.m.visitors+t, &e, &now[k]) })
}

// carryAlong follows the states of layer t by an effect of its question, as they went by one of the old count. States that stand together mostly lead to the
// same layer, and what goes there is added to its edge at once.
func (a *rerun) carryAlong(t, e, formerly int) {
	probs, share, before, ways := a.tables[t].p, a.p.effects[t][e].p, a.old.ways(t, formerly), a.ways(t, e)
	to, flow := t+1, flow{}
	tab, at := &a.tables[to], a.at[to]
	for s, o := range a.was[t] {
		if o == notHere {
			continue
		}
		way, prob, from := before[o], probs[s]*share, origin{int32(t), int32(s), int32(e)}
		if way.layer < 0 {
			a.end(t, int(way.to), prob, nil, from)
			continue
		}
		if int(way.layer) != to {
			a.edge(t, to).join(flow)
			to, flow.share, flow.ever = int(way.layer), 0, false
			tab, at = &a.tables[to], a.at[to]
		}
		flow.add(prob)
		here := at[way.to]
		if here == notHere {
			here = a.add(way, prob, from)
		} else {
			tab.p[here] += prob
		}
		ways[s] = arrow{way.layer, here}
	}
	a.edge(t, to).join(flow)
}

// carry is a transition of the old count.
func (a *rerun) carry(to arrow, prob float64, from origin) arrow {
	if at := a.at[to.layer][to.to]; at != notHere {
		a.tables[to.layer].p[at] += prob
		return arrow{to.layer, at}
	}
	return arrow{to.layer, a.add(to, prob, from)}
}

// add adds a state that the old count had, too.
func (a *rerun) add(old arrow, prob float64, from origin) int32 {
	at := a.put(int(old.layer), a.old.tables[old.layer].keys[old.to], old.to)
	a.at[old.layer][old.to] = at
	a.found(&a.tables[old.layer], prob, from)
	return at
}

// put adds a state to a layer, and notes which one of the old count it was.
func (a *rerun) put(t int, key uint64, was int32) int32 {
	tab := &a.tables[t]
	tab.keys, a.was[t] = append(tab.keys, key), append(a.was[t], was)
	return int32(len(tab.keys) - 1)
}

// find is the place of a state, which is added if it is not there.
func (a *rerun) find(t int, k uint64) (at int32, known bool) {
	old, was := a.old.tables[t].seekWord(k)
	if was {
		at := &a.at[t][old]
		if *at != notHere {
			return *at, true
		}
		*at = a.put(t, k, old)
		return *at, false
	}
	if at, known := a.more[bare{t, k}]; known {
		return at, true
	}
	at = a.put(t, k, notHere)
	a.more[bare{t, k}] = at
	return at, false
}
