package reach

import (
	"math/bits"
)

// bounds returns, for each layer, the least and most that a sum can still gain until one of its uses, given what each
// question can add; it reports false where no use can be reached.
func (p *pass) bounds(low, high func(q int) int64, u *uses) (lo, hi []int64, ok []bool) {
	if p.wide {
		low, high = orNothing(low, high)
	}
	n := p.m.n()
	type reach struct {
		lo, hi int64
		ok     bool
	}
	join := func(a, b reach) reach {
		if !a.ok {
			return b
		}
		if !b.ok {
			return a
		}
		return reach{min(a.lo, b.lo), max(a.hi, b.hi), true}
	}
	lo, hi, ok = make([]int64, n+1), make([]int64, n+1), make([]bool, n+1)
	arrive := make([]reach, n+1)
	arrive[n] = reach{ok: u.final}
	ok[n] = u.final
	for q := n - 1; q >= 0; q-- {
		after := reach{ok: u.branch[q]}
		for _, to := range p.m.steps[q] {
			after = join(after, arrive[to])
		}
		ask := after
		if ask.ok {
			ask.lo += low(q)
			ask.hi += high(q)
		}
		lo[q], hi[q], ok[q] = ask.lo, ask.hi, ask.ok
		arrive[q] = join(reach{ok: u.visible[q]}, ask)
		if p.rootOf[q] >= 0 {
			arrive[q] = join(arrive[q], arrive[q+1])
		}
	}
	return lo, hi, ok
}

// orNothing is what questions add that may turn out to give nothing.
func orNothing(low, high sums) (least, most sums) {
	return func(q int) int64 { return min(0, low(q)) }, func(q int) int64 { return max(0, high(q)) }
}

// span of values that a sum can have at each layer, from its value before the first question.
func (p *pass) spread(begin int64, low, high func(q int) int64) (lo, hi []int64) {
	if p.like != nil { // a shadow gets nothing from the question that is left out
		low, high = orNothing(low, high)
	}
	n := p.m.n()
	lo, hi = make([]int64, n+1), make([]int64, n+1)
	lo[0], hi[0] = begin, begin
	seen := make([]bool, n+1)
	seen[0] = true
	meet := func(t int, a, b int64) {
		if !seen[t] {
			lo[t], hi[t], seen[t] = a, b, true
			return
		}
		lo[t], hi[t] = min(lo[t], a), max(hi[t], b)
	}
	for q := range n {
		if !seen[q] {
			continue
		}
		if p.rootOf[q] >= 0 {
			meet(q+1, lo[q], hi[q])
		}
		for _, to := range p.m.steps[q] {
			meet(to, lo[q]+low(q), hi[q]+high(q))
		}
	}
	return lo, hi
}

// extremes over the options of each question of what f adds.
func (p *pass) extremes(f func(q int, o *option) int64) (low, high func(q int) int64) {
	n := p.m.n()
	lo, hi := make([]int64, n), make([]int64, n)
	for q := range n {
		for k := range p.m.slots[p.m.visitors+q].options {
			v := f(q, &p.m.slots[p.m.visitors+q].options[k])
			if k == 0 || v < lo[q] {
				lo[q] = v
			}
			if k == 0 || v > hi[q] {
				hi[q] = v
			}
		}
	}
	return func(q int) int64 { return lo[q] }, func(q int) int64 { return hi[q] }
}

// withFormer are the extremes of a scale with what questions gave before they were edited: see again.
func (p *pass) withFormer(scale int, low, high sums) (least, most sums) {
	if len(p.m.former) == 0 {
		return low, high
	}
	end := func(q int, start int64, further func(a, b int64) int64) int64 {
		for k := range p.m.former[q] {
			start = further(start, p.m.former[q][k].points[scale])
		}
		return start
	}
	lower := func(a, b int64) int64 { return min(a, b) }
	higher := func(a, b int64) int64 { return max(a, b) }
	return func(q int) int64 { return end(q, low(q), lower) }, func(q int) int64 { return end(q, high(q), higher) }
}

// percentForm is 100 × earned − c × most as a whole number: positive where the percent is over c (10⁻⁴ percent).
func percentForm(earned, most, key int64) int64 { return 1_000_000*earned - (key>>1)*most }

// planLayers decides what a state holds at each layer, and where it stands in the key.
func (p *pass) planLayers() error {
	p.layers = make([]layer, p.m.n()+1)
	forms := len(p.m.forms)
	blanks, limits := make([]int64, len(p.layers)*p.end), make([][]limit, len(p.layers)*forms)
	marks, live := make([]bool, 2*len(p.layers)*forms), make([]int, len(p.layers)*forms)
	for t := range p.layers { // pieces of a few lists for all layers
		l := &p.layers[t]
		l.blank, blanks = blanks[:p.end], blanks[p.end:]
		l.limits, limits = limits[:forms], limits[forms:]
		l.free, l.dead, marks = marks[:forms], marks[forms:2*forms], marks[2*forms:]
		p.planConditions(t)
	}
	for f := range p.m.forms {
		if err := p.planForm(f); err != nil {
			return err
		}
	}
	p.planLeader()
	p.planAnswers()
	for t := range p.layers {
		live = p.planLive(t, live)
		if err := p.assign(&p.layers[t]); err != nil {
			return err
		}
	}
	return nil
}

// planConditions makes a layer whose fields are the conditions that are still looked at and can stand in several ways.
func (p *pass) planConditions(t int) {
	l := &p.layers[t]
	for f := range l.dead {
		l.dead[f] = true // until planForm finds a use
	}
	for r := range p.roots {
		at := p.roots[r].where
		if at.kind != useFinal && at.q <= t && !(at.kind == useBranch && at.q == t) {
			l.blank[r] = int64(falseNode)
			continue
		}
		set := p.roots[r].sets[min(t, len(p.roots[r].sets)-1)]
		l.blank[r] = int64(set[0])
		if len(set) > 1 {
			l.fields = append(l.fields, field{comp: r, span: int64(len(p.roots[r].all))})
		}
	}
}

// planLive lists the forms whose values are to be settled at a layer, in room that it takes a piece of. What is dead
// is in no state.
func (p *pass) planLive(t int, room []int) (rest []int) {
	l := &p.layers[t]
	l.live = room[:0:len(p.m.forms)]
	for f := range p.m.forms {
		frm := &p.m.forms[f]
		if frm.kind == formKeyword && l.led && p.led[frm.at] {
			continue
		}
		if !l.dead[f] {
			l.live = append(l.live, f)
		}
	}
	return room[len(p.m.forms):]
}

// planAnswers adds the answers that a formula looks at, from where they are given to where that is.
func (p *pass) planAnswers() {
	none := func(int) int64 { return 0 }
	for s := range p.m.slots {
		if p.answerUses[s] == nil {
			continue
		}
		_, _, ok := p.bounds(none, none, p.answerUses[s])
		for t := max(0, s-p.m.visitors+1); t < len(p.layers); t++ {
			if ok[t] {
				p.layers[t].add(field{comp: p.answerAt[s], span: int64(len(p.m.slots[s].values))})
			}
		}
	}
}

func (l *layer) add(f field) { l.fields = append(l.fields, f) }

// assign gives each field its bits of the key: as many as its span takes, never across two words.
func (p *pass) assign(l *layer) error {
	word, used := 0, uint(0)
	for i := range l.fields {
		f := &l.fields[i]
		f.root, f.first = f.comp < len(p.roots), p.firstToken(f)
		width := uint(bits.Len64(uint64(max(1, f.span-1))))
		if width > 60 {
			return errTooLarge
		}
		if used+width > 64 {
			word, used = word+1, 0
		}
		if word >= len(key{}) {
			return errManyConditions
		}
		f.word, f.shift, f.mask = word, used, 1<<width-1
		used += width
		if f.root && word == 0 {
			l.conditions |= f.mask << f.shift
		}
	}
	l.width = uint(64*word) + used
	return nil
}

// firstToken is the packed value of a field's first token. Behind the tokens of a keyword stands the one of being
// dropped.
func (p *pass) firstToken(f *field) int64 {
	tokens := func(form int) int64 { return int64(len(p.m.forms[form].thresholds)) + 1 }
	switch {
	case f.comp >= p.scale0 && f.comp < p.earn0:
		return f.span - tokens(f.comp-p.scale0)
	case f.comp >= p.earn0 && f.comp < p.most0:
		return f.span - tokens(p.nScales+f.comp-p.earn0)
	case f.comp >= p.key0 && f.comp < p.positive:
		return f.span - tokens(2*p.nScales+f.comp-p.key0) - 1
	}
	return noTokens
}

// planForm decides at which layers a form is a field, and which of its thresholds can still matter there.
func (p *pass) planForm(f int) error {
	m, frm := p.m, &p.m.forms[f]
	begin := int64(0)
	var add func(q int, o *option) int64
	switch frm.kind {
	case formScale:
		v, err := m.scale[frm.at].integer(m.d.Scales[frm.at].Start)
		if err != nil {
			return err
		}
		begin = v
		add = func(_ int, o *option) int64 { return o.points[frm.at] }
	case formPercent:
		add = func(_ int, o *option) int64 { return o.points[frm.at] }
	case formKeyword:
		add = func(_ int, o *option) int64 { return o.votes[frm.at] }
	}
	low, high := p.extremes(add)
	if frm.kind == formScale {
		low, high = p.withFormer(frm.at, low, high)
		p.planned = append(p.planned, room{low, high})
	}
	most := func(q int) int64 { return m.slots[m.visitors+q].most[frm.at] }
	p.planLimits(f, low, high, most)
	if frm.kind == formKeyword {
		return nil // a field with the comparison of keywords
	}
	p.addForm(f, begin, low, high, most)
	return nil
}

// sums is what each question adds, at least or at most.
type sums = func(q int) int64

// planLimits finds the thresholds of a form that can still matter at each layer, and where its very value does.
func (p *pass) planLimits(f int, low, high, most sums) {
	frm := &p.m.forms[f]
	each := len(frm.thresholds)
	room := make([]limit, each*len(p.layers)) // a piece for each layer
	for t := range p.layers {
		p.layers[t].limits[f], room = room[:0:each], room[each:]
	}
	least, greatest := p.shiftsBefore(low, high)
	for j, u := range p.uses[f] {
		if u == nil {
			continue
		}
		at := limit{j: j, at: frm.thresholds[j]}
		a, b := low, high
		if frm.kind == formPercent {
			a, b = p.extremes(func(q int, o *option) int64 { return percentForm(o.points[frm.at], most(q), at.at) })
		}
		lo, hi, ok := p.bounds(a, b, u)
		var mlo, mhi []int64
		if frm.kind == formPercent {
			mlo, mhi, _ = p.bounds(most, most, u)
		}
		for t := range p.layers {
			if !ok[t] {
				continue
			}
			here := at
			here.lo, here.hi = lo[t]-greatest[t], hi[t]-least[t]
			if mlo != nil {
				here.mlo, here.mhi = mlo[t], mhi[t]
			}
			p.layers[t].limits[f] = append(p.layers[t].limits[f], here)
			p.layers[t].dead[f] = false
		}
	}
	if u := p.exactUses[f]; u != nil {
		_, _, ok := p.bounds(low, high, u)
		for t := range p.layers {
			if ok[t] {
				p.layers[t].free[f], p.layers[t].dead[f] = true, false
			}
		}
	}
}

// shiftsBefore is, by layer, the least and most that a form can lack of what the questions before it gave: nothing, but
// in a pass that is shifted.
func (p *pass) shiftsBefore(low, high sums) (least, greatest []int64) {
	n := p.m.n()
	least, greatest = make([]int64, n+1), make([]int64, n+1)
	for q := 0; p.shifted && q < n; q++ {
		least[q+1], greatest[q+1] = min(least[q], low(q)), max(greatest[q], high(q))
	}
	return least, greatest
}

// addForm makes a form a field of the layers at which it can still matter. Behind its values come the tokens.
func (p *pass) addForm(f int, begin int64, low, high, most sums) {
	frm := &p.m.forms[f]
	lo, hi := p.spread(begin, low, high)
	var mlo, mhi []int64
	if frm.kind == formPercent {
		mlo, mhi = p.spread(0, most, most)
	}
	for t := range p.layers {
		l := &p.layers[t]
		if l.dead[f] {
			continue
		}
		tokens := int64(len(frm.thresholds)) + 1
		comp := p.scale0 + frm.at
		if frm.kind == formPercent {
			comp = p.earn0 + frm.at
			least := min(0, mlo[t])
			l.add(field{comp: p.most0 + frm.at, min: least, span: mhi[t] - least + 1})
		}
		l.add(field{comp: comp, min: lo[t], span: hi[t] - lo[t] + 1 + tokens})
	}
}

// planLeader makes the votes of keywords fields of the layers at which they are compared, or a threshold looks at
// them. Fields of one layer have one span: what a keyword is ahead is taken off all of them (levelVotes).
func (p *pass) planLeader() {
	if p.nKeys == 0 {
		return
	}
	p.planGains()
	var lows, highs [][]int64
	for k := range p.nKeys {
		low, high := p.extremes(func(_ int, o *option) int64 { return o.votes[k] })
		lo, hi := p.spread(p.startVotes(k), low, high)
		lows, highs = append(lows, lo), append(highs, hi)
	}
	for t := range p.layers {
		l := &p.layers[t]
		least, most := int64(0), int64(0)
		for k := range p.nKeys {
			least, most = min(least, lows[k][t]), max(most, highs[k][t])
		}
		for k := range p.nKeys {
			form := 2*p.nScales + k
			if l.led && p.led[k] || !l.dead[form] {
				tokens := int64(len(p.m.forms[form].thresholds)) + 2
				l.add(field{comp: p.key0 + k, min: least, span: most - least - least + 1 + tokens})
			}
		}
		if !l.led {
			continue
		}
		if p.voting {
			for k := range p.nKeys {
				if p.led[k] {
					l.add(field{comp: p.voted0 + k, span: 2})
				}
			}
		} else {
			l.add(field{comp: p.positive, span: 2})
		}
		p.planRanks(t)
	}
}

// startVotes is what a keyword starts with.
func (p *pass) startVotes(k int) int64 {
	v, _ := p.m.keyword[k].integer(p.m.d.Keywords[k].Start) // its unit is made for it
	return v
}

// planGains finds, for the layers from which keywords are still compared, what each can still gain by itself and on
// each other.
func (p *pass) planGains() {
	if p.leadUses == nil {
		return
	}
	for i := range p.nKeys {
		low, high := p.extremes(func(_ int, o *option) int64 { return o.votes[i] })
		lo, hi, reached := p.bounds(low, high, p.leadUses)
		on := make([][]int64, p.nKeys)
		for j := range p.nKeys {
			low, high := p.extremes(func(_ int, o *option) int64 { return o.votes[i] - o.votes[j] })
			_, on[j], _ = p.bounds(low, high, p.leadUses)
		}
		for t := range p.layers {
			l := &p.layers[t]
			if l.led = reached[t]; !l.led {
				continue
			}
			row, least := make([]int64, p.nKeys), token/2
			for j := range row {
				row[j] = on[j][t]
				if p.dominates[i][j] {
					least = min(least, row[j])
				}
			}
			l.leastGain = append(l.leastGain, least)
			l.gain, l.keyLo, l.keyHi = append(l.gain, row), append(l.keyLo, lo[t]), append(l.keyHi, hi[t])
		}
	}
}

// planRanks adds what ties are broken by: the answers to questions that have been asked, and how recent votes are.
func (p *pass) planRanks(t int) {
	l := &p.layers[t]
	rank := func(at int) {
		l.ranks = append(l.ranks, at)
		for k := range p.nKeys {
			l.add(field{comp: at + k, span: int64(p.nKeys) + 1})
		}
	}
	for i, q := range p.tieQuestions {
		if t > q {
			rank(p.tie0 + i*p.nKeys)
		}
	}
	switch {
	case p.latest && p.steady:
		l.add(field{comp: p.latest0, span: int64(p.nKeys) + 1})
	case p.latest:
		rank(p.recent0)
	}
}
