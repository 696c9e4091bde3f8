package reach

import (
	"fmt"
	"slices"
	"strings"

	"omphalos/core/fact"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// comparison is one that a condition or a cell of a table makes.
type comparison struct {
	fact string
	op   rule.Op
	v    *rule.Operand
}

// comparisons lists all of a document.
func comparisons(d *quiz.Document) []comparison {
	var list []comparison
	d.EachComparison(func(fact string, op rule.Op, v *rule.Operand) { list = append(list, comparison{fact, op, v}) })
	return list
}

// teller returns what conditions, tables and formulas see of an answer to question i: the truth of each of their
// comparisons, and the value itself where a formula uses it.
func (m *model) teller(i int) func(walk.Answer) string {
	q := &m.d.Questions[i]
	own := "answer." + q.ID
	var list []comparison
	for _, c := range m.compared {
		if c.fact == own || strings.HasPrefix(c.fact, own+".") {
			list = append(list, c)
		}
	}
	exact := m.computedFrom(q) || kind.Of(q).About().Day && m.daysUnsure()
	if len(list) == 0 && !exact {
		return func(walk.Answer) string { return "" }
	}
	return func(a walk.Answer) string {
		b := make([]byte, len(list))
		for k, c := range list {
			b[k] = '0'
			if rule.Compare(m.valueOf(q, a, c.fact), c.op, c.v) {
				b[k] = '1'
			}
		}
		if exact {
			return string(b) + fmt.Sprint(a.Value(q).String(), a.Rows)
		}
		return string(b)
	}
}

// valueOf is what a fact of the question is for an answer: the answer, or a part of it.
func (m *model) valueOf(q *quiz.Question, a walk.Answer, fact string) rule.Value {
	v := kind.Of(q).Value(q, a, strings.TrimPrefix(fact[len("answer."+q.ID):], "."))
	v.Today = m.today() // for dates
	return v
}

// atomOf finds or makes the atom of a comparison; it may come out as always true or always false.
func (m *model) atomOf(name string, op rule.Op, operand *rule.Operand) int {
	key := fmt.Sprint(name, "|", op, "|")
	if operand != nil {
		key += fmt.Sprintf("%v %q", operand.IsList, operand.List)
	}
	if id, ok := m.atomKey[key]; ok {
		return id
	}
	a := atom{fact: name, op: op, operand: operand, slot: -1}
	put := func() int {
		m.atoms = append(m.atoms, a)
		m.atomKey[key] = len(m.atoms) - 1
		return len(m.atoms) - 1
	}
	family, id := fact.FamilyOf(name)
	switch family.Class {
	case fact.Answer, fact.Before:
		a.kind, a.slot = atomSlot, m.slotOf(name)
		return put()
	case fact.Leader:
		a.kind = atomLeader
		return put()
	case fact.Formula:
		a.kind = atomComputed
		a.formula = slices.IndexFunc(m.d.Computed, func(c quiz.Computed) bool { return c.ID == id })
		return put()
	}
	a.form = m.formOf(family.Class, id)
	a.kind = atomRange
	of := number{form: a.form}
	if family.Class == fact.Percentile {
		if of.norm = m.d.Scales[a.form].Norm; of.norm == nil {
			if rule.Compare(rule.Value{}, op, operand) { // it is blank
				return atomTrue
			}
			return atomFalse
		}
	}
	ranges, constant := m.rangesOf(of, op, operand)
	if constant != 0 {
		m.atomKey[key] = constant
		return constant
	}
	a.ranges = ranges
	return put()
}

// formOf is the form of a number that answers add up to: the points of a scale, whose standing is read off them, what
// of the most was earned, or the votes for a keyword.
func (m *model) formOf(class fact.Class, id string) int {
	if class == fact.Votes {
		return 2*len(m.d.Scales) + slices.IndexFunc(m.d.Keywords, func(k quiz.Keyword) bool { return k.ID == id })
	}
	at := slices.IndexFunc(m.d.Scales, func(s quiz.Scale) bool { return s.ID == id })
	if class == fact.Percent {
		at += len(m.d.Scales)
	}
	return at
}

// fillTruths settles every slot's atoms for each of its options.
func (m *model) fillTruths() error {
	m.settled = make([]map[int64]int32, len(m.slots))
	for i := range m.slots {
		s := &m.slots[i]
		for id := range m.atoms {
			if m.atoms[id].kind == atomSlot && m.atoms[id].slot == i {
				s.atoms = append(s.atoms, id)
				s.blank = append(s.blank, rule.Compare(rule.Value{}, m.atoms[id].op, m.atoms[id].operand))
			}
		}
		if len(s.atoms) > 0 {
			m.settled[i] = map[int64]int32{}
		}
		if err := m.settleOptions(s); err != nil {
			return err
		}
	}
	return nil
}

// settleOptions finds the truths of a slot's atoms for each of its options, and its values.
func (m *model) settleOptions(s *slot) error {
	exactly := s.q >= 0 && m.computedFrom(&m.d.Questions[s.q])
	if exactly {
		s.values = make([]walk.Answer, 1, len(s.options)+1)
	}
	for k := range s.options {
		if err := m.within.Err(); err != nil {
			return err
		}
		o := &s.options[k]
		for _, id := range s.atoms {
			a := &m.atoms[id]
			var v rule.Value
			if s.q < 0 {
				v = fact.Find(s.fact).Of(o.text)
			} else {
				v = m.valueOf(&m.d.Questions[s.q], o.answer, a.fact)
			}
			o.truth = append(o.truth, rule.Compare(v, a.op, a.operand))
		}
		if exactly {
			o.value = len(s.values)
			s.values = append(s.values, o.answer)
		}
	}
	return nil
}
