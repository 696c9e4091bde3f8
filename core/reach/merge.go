package reach

import (
	"slices"
	"strconv"
)

// mergeOptions joins options that do the same in this pass.
func (p *pass) mergeOptions() error {
	m := p.m
	wanted := func(f int) bool {
		return p.exactUses[f] != nil || slices.ContainsFunc(p.uses[f], func(u *uses) bool { return u != nil })
	}
	for q := range m.n() {
		s := m.visitors + q
		index := make(map[string]int, len(m.slots[s].options))
		list := make([]effect, 0, len(m.slots[s].options))
		for k := range m.slots[s].options {
			o := &m.slots[s].options[k]
			class := 0
			if len(p.bySlot[s]) > 0 {
				class = m.classOf[s][k]
			}
			key := make([]byte, 0, 64)
			for i := range p.nScales {
				if wanted(i) || wanted(p.nScales+i) {
					key = append(strconv.AppendInt(key, o.points[i], 10), ' ')
				}
			}
			for i := range p.nKeys {
				if p.led[i] || wanted(2*p.nScales+i) {
					key = append(strconv.AppendInt(key, o.votes[i], 10), ' ')
				}
			}
			value := 0
			if p.answerUses[s] != nil {
				value = o.value
			}
			key = strconv.AppendInt(append(strconv.AppendInt(key, int64(class), 10), ' '), int64(value), 10)
			if at, ok := index[string(key)]; ok {
				list[at].p += o.p
				list[at].options = append(list[at].options, k)
				continue
			}
			index[string(key)] = len(list)
			list = append(list, effect{p: o.p, sample: k, o: o, class: class, options: []int{k}})
		}
		p.effects = append(p.effects, list)
	}
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
