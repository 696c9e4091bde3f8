package reach

import (
	"context"
	"slices"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// An edit of what some questions give leaves most of a count as it was. Up to the first of these questions everyone
// stands where they stood. Behind it there are other people in the states, but where an answer leads from a state is
// the same: these transitions are taken over, and only what they carry is added up again. Looked for are those of the
// questions edited, and of states that no one came to before.
//
// That holds as long as the plan of the pass does: where conditions look at answers alone, and what is given is within
// what the plan has room for. A plan made after an edit has room for what was given before it too, so that typing
// there continues as fast as elsewhere.

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
		list, _, err := kind.Of(&d.Questions[q]).Options(other.listing(q, other.teller(q)))
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

// recount is the count of the same pass for a model reweighed. It is nil where the plan does not hold.
func (c *counted) recount(ctx context.Context, m *model, changed []int, most spend) (*counted, error) {
	if c == nil {
		return nil, nil
	}
	p, differ := c.p.reweighed(m, changed)
	switch {
	case len(differ) == 0:
		return c, nil // it does not look at what was edited
	case !p.hasRoom(differ) || c.combinations || 2*c.deserted > c.states():
		return nil, nil
	}
	a := &rerun{run: p.newRun(false), old: c, first: differ[0]}
	a.kept = true
	a.takeOver()
	for t := a.first; t < p.m.n(); t++ {
		if err := a.carryOn(ctx, t, most); err != nil {
			return nil, err
		}
	}
	for t := range a.tables {
		a.deserted += a.tables[t].deserted()
	}
	return a.counted, nil
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

// rerun is a count that takes over what there was found before, and uses it up: the states of the old count stay in
// their places, deserted until someone comes to them, and those that are new are put behind.
type rerun struct {
	*run
	old     *counted
	first   int    // the first question that gives something else
	carried []bool // by effect of the layer: some answer did the same before
}

// takeOver takes over the layers up to the first question that gives something else, and those who come from there to
// the layers behind.
func (a *rerun) takeOver() {
	old, first := a.old, a.first
	copy(a.tables, old.tables)
	copy(a.arrows, old.arrows[:first])
	copy(a.straight, old.straight[:first])
	copy(a.edges, old.edges[:first])
	copy(a.truth, old.truth)
	if a.begins, a.lost = old.begins, old.lost; a.lost == nil {
		a.lost = make([][]bool, a.p.m.n())
	}
	for t := range a.tables {
		a.bytes += int64(a.tables[t].size()) * a.stateBytes
		if t > first {
			a.tables[t].desert()
		}
	}
	for i, to := range old.begins {
		if int(to.layer) > first {
			a.tables[to.layer].come(to.to, a.p.starts[i].p, origin{-1, 0, int32(i)})
		}
	}
	for o, from := range old.jumped {
		if from.state >= 0 && int(from.layer) < first {
			a.jumped[o] = from
		}
	}
	for t := range first {
		transitions := a.tables[t].size() * len(a.p.effects[t])
		if a.work += transitions / plainTransitions; !old.straight[t].is {
			a.bytes += int64(transitions) * arrowBytes
		}
		for o := range a.outcome {
			a.outcome[o] += old.edge(t, -1-o).share
		}
		if !slices.ContainsFunc(old.edges[t][first-t:a.p.m.n()-t], func(f flow) bool { return f.ever }) {
			continue
		}
		for e := range a.p.effects[t] {
			for s, way := range a.arrowsOf(t, e) {
				if int(way.layer) > first && !a.tables[t].isDeserted(s) {
					prob := a.tables[t].p[s] * a.p.effects[t][e].p
					a.tables[way.layer].come(way.to, prob, origin{int32(t), int32(s), int32(e)})
				}
			}
		}
	}
}

// carryOn follows the states of layer t by the transitions of the old count; those that it did not have are followed
// as in any count.
func (a *rerun) carryOn(ctx context.Context, t int, most spend) error {
	tab, known := &a.tables[t], a.old.tables[t].size()
	transitions := tab.size() * len(a.p.effects[t])
	if ctx.Err() != nil {
		return ctx.Err()
	}
	straight := a.old.straight[t].is
	if a.work += transitions / plainTransitions; !straight {
		a.bytes += int64(transitions) * arrowBytes
	}
	if a.work > most.transitions || a.bytes > most.bytes {
		return errBudget
	}
	if straight {
		a.straighten(t)
		a.convolve(t)
		return nil
	}
	a.lost[t] = append(a.lost[t], make([]bool, tab.size()-len(a.lost[t]))...)
	a.arrows[t], a.carried = make([][]arrow, len(a.p.effects[t])), a.carried[:0]
	for e := range a.p.effects[t] {
		before := a.formerly(t, e)
		a.carried = append(a.carried, before >= 0)
		ways := a.old.arrowsOf(t, max(0, before)) // where nothing did the same before, room for other ways
		if before < 0 {
			ways = slices.Clone(ways)
		}
		a.arrows[t][e] = append(ways, make([]arrow, tab.size()-known)...)
		if before >= 0 {
			a.carryAlong(t, e, known)
		}
	}
	a.carryRest(t, known)
	a.flush(t)
	return nil
}

// carryRest follows the states of layer t that have no ways yet: by the effects that are new, and by all of them those
// that are new or lost.
func (a *rerun) carryRest(t, known int) {
	tab, lost, all := &a.tables[t], a.lost[t], !slices.Contains(a.carried, false)
	bare := func(s int) bool { return s >= known || lost[s] }
	for s := 0; s < tab.size(); {
		if tab.isDeserted(s) {
			lost[s] = lost[s] || !all
			s++
			continue
		}
		begin, isBare := s, bare(s)
		for s < tab.size() && !tab.isDeserted(s) && bare(s) == isBare {
			s++
		}
		if a.skip = a.carried; isBare {
			a.skip = nil
		}
		if isBare || !all {
			a.glide(t, begin, s)
		}
		clear(lost[begin:s])
	}
	a.skip = nil
}

// formerly is an effect of question t that did in the old count what this one does, or -1.
func (a *rerun) formerly(t, k int) int {
	now, before := a.p.effects[t], a.old.p.effects[t]
	if &now[0] == &before[0] {
		return k
	}
	return slices.IndexFunc(before, func(e effect) bool { return a.p.alike(a.p.m.visitors+t, &e, &now[k]) })
}

// carryAlong follows the first few states of layer t by an effect of its question the ways that they went before.
// States that stand together mostly lead to the same layer, and what goes there is added to its edge at once.
func (a *rerun) carryAlong(t, e, states int) {
	here, share, ways := &a.tables[t], a.p.effects[t][e].p, a.arrows[t][e]
	to, flow := t+1, flow{}
	tab := &a.tables[to]
	for s, p := range here.p[:states] {
		if here.isDeserted(s) || a.lost[t][s] {
			continue
		}
		way, prob, from := ways[s], p*share, origin{int32(t), int32(s), int32(e)}
		if way.layer < 0 {
			a.end(t, int(way.to), prob, nil, from)
			continue
		}
		if int(way.layer) != to {
			a.edge(t, to).join(flow)
			to, flow.share, flow.ever = int(way.layer), 0, false
			tab = &a.tables[to]
		}
		flow.add(prob)
		tab.come(way.to, prob, from)
	}
	a.edge(t, to).join(flow)
}
