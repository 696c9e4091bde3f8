package reach

import "slices"

// mergeOptions joins options that do the same in this pass.
func (p *pass) mergeOptions() error {
	m := p.m
	p.seen = make([]bool, len(m.forms))
	for f := range m.forms {
		led := m.forms[f].kind == formKeyword && p.led[m.forms[f].at]
		used := slices.ContainsFunc(p.uses[f], func(u *uses) bool { return u != nil })
		p.seen[f] = led || used || p.exactUses[f] != nil
	}
	options := 0
	for s := m.visitors; s < len(m.slots); s++ {
		options += len(m.slots[s].options)
	}
	lists, numbers := roomOf[effect](options), roomOf[int32](options)
	p.effects, p.effectOf = make([][]effect, 0, m.n()), make([][]int32, 0, m.n())
	for q := range m.n() {
		list, effectOf := p.effectsOf(q, lists, numbers)
		p.effects, p.effectOf = append(p.effects, list), append(p.effectOf, effectOf)
	}
	return p.listStarts()
}

// effectsOf joins the options of question q, and tells which effect each has, in room of these lists.
func (p *pass) effectsOf(q int, lists *pieces[effect], numbers *pieces[int32]) (list []effect, effectOf []int32) {
	s := p.m.visitors + q
	options := p.m.slots[s].options
	list, effectOf = lists.take(len(options))[:0], numbers.take(len(options))
	var index map[uint64]int
	if len(options) > fewAnswers {
		index = make(map[uint64]int, len(options))
	}
	for k := range options {
		e := effect{p: options[k].p, o: &options[k]}
		if len(p.bySlot[s]) > 0 {
			e.class = p.m.classOf[s][k]
		}
		at := -1
		if index == nil {
			for at = len(list) - 1; at >= 0 && !p.alike(s, &list[at], &e); {
				at--
			}
		} else {
			hash := p.hashEffect(s, &e)
			if known, there := index[hash]; there && p.alike(s, &list[known], &e) {
				at = known
			} else {
				index[hash] = len(list)
			}
		}
		if at >= 0 {
			list[at].p += e.p
		} else {
			at, list = len(list), append(list, e)
		}
		effectOf[k] = int32(at)
	}
	return list, effectOf
}

// hashEffect is the same for effects that are alike.
func (p *pass) hashEffect(s int, e *effect) uint64 {
	hash := uint64(e.class)
	mix := func(n int64) { hash = (hash ^ uint64(n)) * 0x9E3779B97F4A7C15; hash ^= hash >> 32 }
	for f, seen := range p.seen {
		if seen {
			mix(p.gives(f, e))
		}
	}
	if p.answerUses[s] != nil {
		mix(int64(e.o.value))
	}
	return hash
}

// alike reports whether two effects do the same in this pass.
func (p *pass) alike(s int, a, b *effect) bool {
	for f, seen := range p.seen {
		if seen && p.gives(f, a) != p.gives(f, b) {
			return false
		}
	}
	return a.class == b.class && (p.answerUses[s] == nil || a.o.value == b.o.value)
}

// gives is what an effect adds to a form.
func (p *pass) gives(f int, e *effect) int64 {
	at := p.m.forms[f].at
	if p.m.forms[f].kind == formKeyword {
		return e.o.votes[at]
	}
	return e.o.points[at]
}

// listStarts lists the combinations of visitor facts.
func (p *pass) listStarts() error {
	m := p.m
	p.starts = []start{{p: 1}}
	for s := range m.visitors {
		if len(p.starts)*len(m.slots[s].options) > maxStarts {
			return errManyAnswers
		}
		var next []start
		for _, st := range p.starts {
			for k := range m.slots[s].options {
				next = append(next, start{append(slices.Clone(st.options), k), st.p * m.slots[s].options[k].p})
			}
		}
		p.starts = next
	}
	return nil
}
