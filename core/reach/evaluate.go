package reach

import (
	"slices"

	"omphalos/core/fact"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// evaluate evaluates what is left of a condition, where questions not reached are blank.
func (p *pass) evaluate(tree int32, vec []int64) bool {
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
			if !p.evaluate(k, vec) {
				return false
			}
		}
		return true
	case nodeSome:
		left := n.need
		for _, k := range n.kids {
			if left > 0 && p.evaluate(k, vec) {
				left--
			}
		}
		return left == 0
	}
	for _, k := range n.kids {
		if p.evaluate(k, vec) {
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
	best := -token
	for k := range p.nKeys {
		v := vec[p.key0+k]
		if listed != nil && !listed[k] || v >= token/2 || !p.eligible(vec, k) {
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
		family, id := fact.FamilyOf(name)
		switch family.Class {
		case fact.Answer:
			s := m.slotOf(name)
			q := &m.d.Questions[m.slots[s].q]
			return m.valueOf(q, m.slots[s].values[vec[p.answerAt[s]]], name)
		case fact.Before:
			return rule.TextValue(m.today()) // formulas see no other fact of this class
		case fact.Formula:
			for k, c := range m.d.Computed[:i] {
				if c.ID == id {
					return p.compute(k, vec)
				}
			}
		case fact.Score:
			f := m.formOf(fact.Score, id)
			return rule.NumValue(m.scale[f].number(vec[p.scale0+f]))
		case fact.Percent:
			at := m.formOf(fact.Score, id)
			u := m.scale[at]
			return rule.NumValue(
				walk.Percent{Earned: u.number(vec[p.earn0+at]), Most: u.number(vec[p.most0+at])}.Number(),
			)
		case fact.Votes:
			at := m.forms[m.formOf(fact.Votes, id)].at
			return rule.NumValue(m.keyword[at].number(vec[p.key0+at]))
		}
		return rule.Value{}
	})
}
