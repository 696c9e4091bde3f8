package reach

import "math/bits"

// bounds returns, for each layer, the least and most that a sum can still gain until one of its uses, given what each
// question can add; it reports false where no use can be reached.
func (p *pass) bounds(low, high func(q int) int64, u *uses) (lo, hi []int64, ok []bool) {
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

// span of values that a sum can have at each layer, from its value before the first question.
func (p *pass) spread(begin int64, low, high func(q int) int64) (lo, hi []int64) {
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

// percentForm is 100 × earned − c × most as a whole number: positive where the percent is over c (10⁻⁴ percent).
func percentForm(earned, most, key int64) int64 { return 1_000_000*earned - (key>>1)*most }

func (p *pass) planLayers() error {
	m, n := p.m, p.m.n()
	p.layers = make([]layer, n+1)
	for t := range p.layers {
		l := &p.layers[t]
		l.blank = make([]int64, p.end)
		l.limits, l.free, l.dead = make(
			[][]limit,
			len(m.forms),
		), make(
			[]bool,
			len(m.forms),
		), make(
			[]bool,
			len(m.forms),
		)
		for f := range m.forms {
			l.dead[f] = true
		}
		for r := range p.roots {
			set := p.roots[r].sets[min(t, len(p.roots[r].sets)-1)]
			l.blank[r] = int64(set[0])
			live := p.roots[r].where.kind == useFinal || p.roots[r].where.q > t ||
				p.roots[r].where.kind == useBranch && p.roots[r].where.q == t
			if live && len(set) > 1 {
				l.fields = append(l.fields, field{comp: r, span: int64(len(p.roots[r].all))})
			} else if !live {
				l.blank[r] = int64(falseNode)
			}
		}
	}
	for f := range m.forms {
		if err := p.planForm(f); err != nil {
			return err
		}
	}
	p.planLeader()
	for s := range m.slots {
		if p.answerUses[s] == nil {
			continue
		}
		none := func(int) int64 { return 0 }
		_, _, ok := p.bounds(none, none, p.answerUses[s])
		for t := max(0, s-m.visitors+1); t <= n; t++ {
			if ok[t] {
				p.layers[t].fields = append(
					p.layers[t].fields,
					field{comp: p.answer0 + s, span: int64(len(m.slots[s].values))},
				)
			}
		}
	}
	for t := range p.layers {
		word, used := 0, uint(0)
		for i := range p.layers[t].fields {
			f := &p.layers[t].fields[i]
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
		}
	}
	return nil
}

// planForm decides at which layers a form is a field, and which of its thresholds can still matter there.
func (p *pass) planForm(f int) error {
	m, frm := p.m, &p.m.forms[f]
	begin := int64(0)
	var add func(q int, o *option) int64
	switch frm.kind {
	case formScale:
		v, err := m.scale[frm.at].of(m.d.Scales[frm.at].Start)
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
	most := func(q int) int64 { return m.slots[m.visitors+q].most[frm.at] }
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
			here.lo, here.hi = lo[t], hi[t]
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
	if frm.kind == formKeyword {
		return nil
	}
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
			l.fields = append(
				l.fields,
				field{comp: p.most0 + frm.at, min: min(0, mlo[t]), span: mhi[t] - min(0, mlo[t]) + 1},
			)
		}
		l.fields = append(l.fields, field{comp: comp, min: lo[t], span: hi[t] - lo[t] + 1 + tokens})
	}
	return nil
}

// planLeader prepares the comparison of keywords.
func (p *pass) planLeader() {
	if p.nKeys == 0 {
		return
	}
	m := p.m
	first := 2 * p.nScales
	any := p.leadUses != nil
	var lows, highs [][]int64
	p.steady = true
	for k := range p.nKeys {
		low, high := p.extremes(func(_ int, o *option) int64 { return o.votes[k] })
		for q := range m.n() {
			p.steady = p.steady && low(q) >= 0
		}
		lo, hi := p.spread(0, low, high)
		lows, highs = append(lows, lo), append(highs, hi)
	}
	gain := make([][][]int64, p.nKeys)
	var reached []bool
	keyLo, keyHi := make([][]int64, p.nKeys), make([][]int64, p.nKeys)
	if any {
		for i := range p.nKeys {
			gain[i] = make([][]int64, p.nKeys)
			low, high := p.extremes(func(_ int, o *option) int64 { return o.votes[i] })
			keyLo[i], keyHi[i], reached = p.bounds(low, high, p.leadUses)
			for j := range p.nKeys {
				low, high := p.extremes(func(_ int, o *option) int64 { return o.votes[i] - o.votes[j] })
				_, gain[i][j], _ = p.bounds(low, high, p.leadUses)
			}
		}
	}
	for t := range p.layers {
		l := &p.layers[t]
		l.led = any && reached[t]
		least, most := int64(0), int64(0)
		for k := range p.nKeys {
			least, most = min(least, lows[k][t]), max(most, highs[k][t])
		}
		for k := range p.nKeys {
			if !(l.led && p.led[k]) && l.dead[first+k] {
				continue
			}
			l.fields = append(
				l.fields,
				field{
					comp: p.key0 + k,
					min:  least,
					span: most - least - least + 1 + int64(len(m.forms[first+k].thresholds)) + 2,
				},
			)
		}
		if !l.led {
			continue
		}
		l.fields = append(l.fields, field{comp: p.positive, span: 2})
		for i := range p.nKeys {
			row := make([]int64, p.nKeys)
			for j := range row {
				row[j] = gain[i][j][t]
			}
			l.gain = append(l.gain, row)
			l.keyLo, l.keyHi = append(l.keyLo, keyLo[i][t]), append(l.keyHi, keyHi[i][t])
		}
		rank := func(at int) {
			l.ranks = append(l.ranks, at)
			for k := range p.nKeys {
				l.fields = append(l.fields, field{comp: at + k, span: int64(p.nKeys) + 1})
			}
		}
		for i, q := range p.tieQuestions {
			if t > q {
				rank(p.tie0 + i*p.nKeys)
			}
		}
		if p.latest {
			rank(p.recent0)
		}
	}
}
