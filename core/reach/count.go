package reach

import (
	"context"
	"errors"
	"math/big"
	"slices"
	"strings"

	"omphalos/core/rule"
	"omphalos/core/walk"
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

// begin is the state before the first question of a visitor.
func (p *pass) begin(s start) []int64 {
	vec := make([]int64, p.end)
	for r := range p.roots {
		vec[r] = int64(p.roots[r].tree)
	}
	for i := range p.nScales {
		v, _ := p.m.scale[i].of(p.m.d.Scales[i].Start) // checked by planForm
		vec[p.scale0+i] = v
	}
	for slot, k := range s.options {
		for _, r := range p.bySlot[slot] {
			vec[r] = int64(p.settle(int32(vec[r]), slot, p.m.classOf[slot][k]))
		}
	}
	return vec
}

// pass goes on from layer t over questions that are hidden, and returns where it stops.
func (c *counted) pass(vec []int64, t int) int {
	p := c.p
	for t < p.m.n() {
		r := p.rootOf[t]
		if r < 0 {
			return t
		}
		if p.holds(int32(vec[r]), vec) {
			c.truth[r][1] = true
			return t
		}
		c.truth[r][0] = true
		p.skip(t, vec)
		t++
	}
	return t
}

// skip settles a question that the walk does not ask.
func (p *pass) skip(q int, vec []int64) {
	s := p.m.visitors + q
	for _, r := range p.bySlot[s] {
		vec[r] = int64(p.settle(int32(vec[r]), s, 0))
	}
}

// dropped marks a keyword that can lead no more.
const dropped = token + 1<<40

// apply adds an answer's effect.
func (p *pass) apply(q int, e *effect, vec []int64) {
	for i, v := range e.o.points {
		if vec[p.scale0+i] < token/2 {
			vec[p.scale0+i] += v
		}
		if vec[p.earn0+i] < token/2 {
			vec[p.earn0+i] += v
			vec[p.most0+i] += p.m.slots[p.m.visitors+q].most[i]
		}
	}
	for k, v := range e.o.votes {
		if vec[p.key0+k] < token/2 {
			vec[p.key0+k] += v
		}
	}
	for i, tie := range p.tieQuestions {
		if tie == q {
			copy(vec[p.tie0+i*p.nKeys:], e.o.votes)
		}
	}
	if p.latest && slices.ContainsFunc(e.o.votes, func(v int64) bool { return v > 0 }) {
		for k, v := range e.o.votes {
			if v > 0 {
				vec[p.recent0+k] = int64(p.nKeys) + 1
			}
		}
	}
	s := p.m.visitors + q
	if p.answerUses[s] != nil {
		vec[p.answer0+s] = int64(e.o.value)
	}
	for _, r := range p.bySlot[s] {
		vec[r] = int64(p.settle(int32(vec[r]), s, e.class))
	}
}

// settleNumbers puts one value in the place of all that the future cannot tell apart.
func (p *pass) settleNumbers(t int, vec []int64, scratch []int64) {
	l := &p.layers[t]
	for f := range p.m.forms {
		frm := &p.m.forms[f]
		switch frm.kind {
		case formScale:
			vec[p.scale0+frm.at] = p.settleSum(l, f, vec[p.scale0+frm.at])
		case formPercent:
			p.settlePercent(l, f, vec)
		case formKeyword:
			if !(l.led && p.led[frm.at]) && vec[p.key0+frm.at] != dropped {
				vec[p.key0+frm.at] = p.settleSum(l, f, vec[p.key0+frm.at])
			}
		}
	}
	if l.led {
		p.settleLead(l, vec, scratch)
	}
}

func (p *pass) settleSum(l *layer, f int, v int64) int64 {
	if l.free[f] {
		return v
	}
	if l.dead[f] {
		return 0
	}
	met, unmet := -1, len(p.m.forms[f].thresholds)
	if v >= token/2 {
		for _, lim := range l.limits[f] {
			if int64(lim.j) < v-token {
				met = lim.j
			}
		}
		return token + int64(met) + 1
	}
	for _, lim := range l.limits[f] {
		switch {
		case v+lim.lo >= lim.at:
			met = max(met, lim.j)
		case v+lim.hi < lim.at:
			unmet = min(unmet, lim.j)
		default:
			return v
		}
	}
	if met > unmet { // settled at different places: no one value stands for it
		return v
	}
	return token + int64(met) + 1
}

func (p *pass) settlePercent(l *layer, f int, vec []int64) {
	at := p.m.forms[f].at
	e, most := vec[p.earn0+at], vec[p.most0+at]
	if l.free[f] {
		return
	}
	if l.dead[f] {
		vec[p.earn0+at], vec[p.most0+at] = 0, 0
		return
	}
	if e >= token/2 {
		vec[p.earn0+at] = p.settleSum(l, f, e)
		return
	}
	met, unmet := -1, len(p.m.forms[f].thresholds)
	for _, lim := range l.limits[f] {
		v := percentForm(e, most, lim.at)
		need := lim.at & 1 // strictly over, or at least
		switch {
		case v+lim.lo >= need && most+lim.mlo >= 1:
			met = max(met, lim.j)
		case v+lim.hi < need || most+lim.mhi < 1:
			unmet = min(unmet, lim.j)
		default:
			return
		}
	}
	if met <= unmet {
		vec[p.earn0+at], vec[p.most0+at] = token+int64(met)+1, 0
	}
}

// settleLead drops keywords that can lead no more, and keeps of the others what they are ahead of each other.
func (p *pass) settleLead(l *layer, vec []int64, level []int64) {
	votes := vec[p.key0 : p.key0+p.nKeys]
	live := 0
	for i := range votes {
		if !p.led[i] || votes[i] >= token/2 {
			continue
		}
		live++
		if p.pinned {
			continue
		}
		if vec[p.positive] == 0 && votes[i]+l.keyHi[i] <= 0 {
			votes[i] = -token // dropped below, once all are compared
			continue
		}
		for j := range votes {
			if p.dominates[i][j] && votes[j] < token/2 && votes[j] > -token && votes[i]+l.gain[i][j] < votes[j] {
				votes[i] = -token
				break
			}
		}
	}
	if !p.pinned {
		live = 0
		least := int64(token)
		sure := vec[p.positive] != 0
		for i := range votes {
			switch {
			case !p.led[i]:
			case votes[i] == -token:
				votes[i] = dropped
			case votes[i] < token/2:
				live++
				least = min(least, votes[i])
				sure = sure || votes[i]+l.keyLo[i] > 0
			}
		}
		if sure && live > 0 {
			vec[p.positive] = 1
			for i := range votes {
				if p.led[i] && votes[i] < token/2 {
					votes[i] -= least
				}
			}
		}
	}
	for _, at := range l.ranks {
		ranks := vec[at : at+p.nKeys]
		level = level[:0]
		for i := range ranks {
			if !p.led[i] || votes[i] == dropped || live < 2 {
				ranks[i] = 0
				continue
			}
			if at := slices.Index(level, ranks[i]); at < 0 {
				level = append(level, ranks[i])
			}
		}
		slices.Sort(level)
		// A recency of 0 is "no vote yet": it stays apart from the oldest vote only by order, which is all that matters.
		for i := range ranks {
			if p.led[i] && votes[i] != dropped && live >= 2 {
				ranks[i] = int64(slices.Index(level, ranks[i]))
			}
		}
	}
}

func (p *pass) pack(t int, vec []int64) key {
	var k key
	for i := range p.layers[t].fields {
		f := &p.layers[t].fields[i]
		v := vec[f.comp]
		switch {
		case f.comp < len(p.roots):
			v = int64(p.roots[f.comp].index[v])
		case v == dropped:
			v = f.span - 1
		case v >= token/2:
			v = v - token + p.tokenAt(f)
		default:
			v -= f.min
		}
		k[f.word] |= (uint64(v) & f.mask) << f.shift
	}
	return k
}

// tokenAt is the packed value of a form's first token.
func (p *pass) tokenAt(f *field) int64 {
	switch {
	case f.comp >= p.scale0 && f.comp < p.earn0:
		return f.span - int64(len(p.m.forms[f.comp-p.scale0].thresholds)) - 1
	case f.comp >= p.earn0 && f.comp < p.most0:
		return f.span - int64(len(p.m.forms[p.nScales+f.comp-p.earn0].thresholds)) - 1
	case f.comp >= p.key0 && f.comp < p.positive:
		return f.span - int64(len(p.m.forms[2*p.nScales+f.comp-p.key0].thresholds)) - 2
	}
	return f.span
}

func (p *pass) unpack(t int, k key, vec []int64) {
	copy(vec, p.layers[t].blank)
	for i := range p.layers[t].fields {
		f := &p.layers[t].fields[i]
		v := int64(k[f.word] >> f.shift & f.mask)
		switch {
		case f.comp < len(p.roots):
			vec[f.comp] = int64(p.roots[f.comp].all[v])
			continue
		case f.comp >= p.scale0 && f.comp < p.positive && (f.comp < p.most0 || f.comp >= p.key0):
			if first := p.tokenAt(f); v >= first {
				if v == f.span-1 && f.comp >= p.key0 {
					vec[f.comp] = dropped
				} else {
					vec[f.comp] = token + v - first
				}
				continue
			}
		}
		vec[f.comp] = v + f.min
	}
}

// holds evaluates what is left of a condition, where questions not reached are blank.
func (p *pass) holds(tree int32, vec []int64) bool {
	n := &p.m.forest.nodes[tree]
	switch n.kind {
	case nodeFalse:
		return false
	case nodeTrue:
		return true
	case nodeAtom:
		return p.atomHolds(n.atom, vec)
	case nodeAll:
		for _, k := range n.kids {
			if !p.holds(k, vec) {
				return false
			}
		}
		return true
	}
	for _, k := range n.kids {
		if p.holds(k, vec) {
			return n.kind == nodeAny
		}
	}
	return n.kind == nodeNone
}

func (p *pass) atomHolds(id int, vec []int64) bool {
	a := &p.m.atoms[id]
	switch a.kind {
	case atomSlot:
		s := &p.m.slots[a.slot]
		return s.blank[slices.Index(s.atoms, id)]
	case atomRange:
		for _, r := range a.ranges {
			if (r.from < 0 || p.meets(a.form, r.from, vec)) && (r.to < 0 || !p.meets(a.form, r.to, vec)) {
				return true
			}
		}
		return false
	case atomLeader:
		return rule.Compare(rule.TextValue(p.leaderNow(vec)), a.op, a.operand)
	}
	return rule.Compare(p.compute(a.formula, vec), a.op, a.operand)
}

// meets reports whether a form is at or above its threshold j.
func (p *pass) meets(f, j int, vec []int64) bool {
	frm := &p.m.forms[f]
	var v int64
	switch frm.kind {
	case formScale:
		v = vec[p.scale0+frm.at]
	case formKeyword:
		v = vec[p.key0+frm.at]
	case formPercent:
		if v = vec[p.earn0+frm.at]; v < token/2 {
			most := vec[p.most0+frm.at]
			return most >= 1 && percentForm(v, most, frm.thresholds[j]) >= frm.thresholds[j]&1
		}
	}
	if v >= token/2 {
		return int64(j) < v-token
	}
	return v >= frm.thresholds[j]
}

// leaderNow is the fact "leader": the first declared of the keywords with the most votes above 0.
func (p *pass) leaderNow(vec []int64) string {
	k, _ := p.top(vec, nil)
	if len(k) == 0 {
		return ""
	}
	return p.m.d.Keywords[k[0]].ID
}

// top returns the keywords level at the top, of those listed (nil: all), and whether there is one above 0.
func (p *pass) top(vec []int64, listed []bool) ([]int, bool) {
	var level []int
	best := int64(0)
	if vec[p.positive] != 0 {
		best = -token // they are counted from the least of them
	}
	for k := range p.nKeys {
		v := vec[p.key0+k]
		if listed != nil && !listed[k] || v >= token/2 {
			continue
		}
		switch {
		case v > best:
			best, level = v, []int{k}
		case v == best && len(level) > 0:
			level = append(level, k)
		}
	}
	return level, len(level) > 0
}

// compute evaluates a formula on a state that holds all that it looks at.
func (p *pass) compute(i int, vec []int64) rule.Value {
	m := p.m
	if i < 0 || m.formulas[i] == nil {
		return rule.Value{}
	}
	return m.formulas[i].Eval(func(name string) rule.Value {
		root, id, _ := strings.Cut(name, ".")
		switch root {
		case "answer":
			s := m.slotOf(name)
			q := &m.d.Questions[m.slots[s].q]
			return valueOf(q, m.slots[s].values[vec[p.answer0+s]], name)
		case "computed":
			for k, c := range m.d.Computed[:i] {
				if c.ID == id {
					return p.compute(k, vec)
				}
			}
			return rule.Value{}
		}
		for f := range m.forms {
			frm := &m.forms[f]
			switch {
			case frm.kind == formScale && root == "scale" && m.d.Scales[frm.at].ID == id:
				return rule.NumValue(m.scale[frm.at].number(vec[p.scale0+frm.at]))
			case frm.kind == formPercent && root == "percent" && m.d.Scales[frm.at].ID == id:
				u := m.scale[frm.at]
				return rule.NumValue(walk.Percent{Earned: u.number(vec[p.earn0+frm.at]), Most: u.number(vec[p.most0+frm.at])}.Number())
			case frm.kind == formKeyword && root == "keyword" && m.d.Keywords[frm.at].ID == id:
				return rule.NumValue(m.keyword[frm.at].number(vec[p.key0+frm.at]))
			}
		}
		return rule.Value{}
	})
}
