package reach

import (
	"fmt"
	"slices"

	"omphalos/core/rule"
)

// threshold turns "value ≥ n" (or > n) into a whole number that the form is compared with. A percent is never below
// 0, so it may come out as always met.
func (m *model) threshold(f int, n rule.Number, strict bool) (v int64, always bool) {
	frm := &m.forms[f]
	if frm.kind == formPercent {
		c, ok := n.Scaled(rule.MaxPlaces)
		if !ok {
			m.err = errTooLarge
		}
		v = 2 * c
		if strict {
			v++
		}
		return v, v <= 0
	}
	u := m.keywordUnit(f)
	ratio := rule.Ratio(n, u.number(1))
	if strict {
		ratio = ratio.Floor().Add(rule.Int(1))
	}
	v, ok := ratio.Ceil().Scaled(0)
	if !ok || v > 1<<45 || v < -1<<45 {
		m.err = errTooLarge
	}
	return v, false
}

func (m *model) keywordUnit(f int) unit {
	if m.forms[f].kind == formKeyword {
		return m.keyword[m.forms[f].at]
	}
	return m.scale[m.forms[f].at]
}

// rangesOf says where a comparison of a form holds. Thresholds are kept by their value until sortThresholds.
func (m *model) rangesOf(f int, op rule.Op, operand *rule.Operand) ([]span, int) {
	type ends struct {
		lo, hi       int64
		hasLo, hasHi bool
	}
	var list []ends
	var numbers []rule.Number
	if operand != nil {
		for _, s := range operand.List {
			if n, err := rule.ParseNumber(s.String()); err == nil {
				numbers = append(numbers, n)
			} else if op != rule.OpIs && op != rule.OpIsNot && op != rule.OpIn && op != rule.OpNotIn {
				return nil, atomFalse
			}
		}
	}
	from := func(n rule.Number, strict bool) ends {
		v, always := m.threshold(f, n, strict)
		return ends{lo: v, hasLo: !always}
	}
	until := func(e ends, n rule.Number, strict bool) (ends, bool) {
		v, always := m.threshold(f, n, strict)
		e.hi, e.hasHi = v, true
		return e, !always
	}
	put := func(e ends, ok bool) {
		if ok && !(e.hasLo && e.hasHi && e.lo >= e.hi) {
			list = append(list, e)
		}
	}
	slices.SortFunc(numbers, func(a, b rule.Number) int { return a.Cmp(b) })
	numbers = slices.CompactFunc(numbers, func(a, b rule.Number) bool { return a.Cmp(b) == 0 })
	switch op {
	case rule.OpBlank:
		return nil, atomFalse
	case rule.OpAnswered:
		return nil, atomTrue
	case rule.OpIs, rule.OpIn, rule.OpHas:
		for _, n := range numbers {
			put(until(from(n, false), n, true))
		}
	case rule.OpIsNot, rule.OpNotIn:
		open := ends{}
		for _, n := range numbers {
			put(until(open, n, false))
			open = from(n, true)
		}
		put(open, true)
	case rule.OpGe:
		put(from(numbers[0], false), true)
	case rule.OpGt:
		put(from(numbers[0], true), true)
	case rule.OpLt:
		put(until(ends{}, numbers[0], false))
	case rule.OpLe:
		put(until(ends{}, numbers[0], true))
	case rule.OpBetween:
		if operand.List[0].String() != numbers[0].String() &&
			len(numbers) == 2 { // given the wrong way round: nothing is between
			if lo, err := rule.ParseNumber(operand.List[0].String()); err == nil && lo.Cmp(numbers[0]) != 0 {
				return nil, atomFalse
			}
		}
		put(until(from(numbers[0], false), numbers[len(numbers)-1], true))
	default: // contains: of a number's text; not a comparison of size
		m.err = fmt.Errorf("%s on a number cannot be counted", op)
		return nil, atomFalse
	}
	if len(list) == 0 {
		return nil, atomFalse
	}
	if len(list) == 1 && !list[0].hasLo && !list[0].hasHi {
		return nil, atomTrue
	}
	out := make([]span, len(list))
	for i, e := range list {
		out[i] = span{-1, -1}
		if e.hasLo {
			out[i].from = m.rawThreshold(f, e.lo)
		}
		if e.hasHi {
			out[i].to = m.rawThreshold(f, e.hi)
		}
	}
	return out, 0
}

// rawThreshold adds a threshold to a form and returns its position, which sortThresholds puts right later.
func (m *model) rawThreshold(f int, v int64) int {
	if i := slices.Index(m.forms[f].thresholds, v); i >= 0 {
		return i
	}
	m.forms[f].thresholds = append(m.forms[f].thresholds, v)
	return len(m.forms[f].thresholds) - 1
}

// sortThresholds orders the thresholds of every form, and the positions that atoms and bands hold.
func (m *model) sortThresholds() {
	place := make([][]int, len(m.forms))
	for f := range m.forms {
		before := m.forms[f].thresholds
		sorted := slices.Sorted(slices.Values(before))
		place[f] = make([]int, len(before))
		for i, v := range before {
			place[f][i], _ = slices.BinarySearch(sorted, v)
		}
		m.forms[f].thresholds = sorted
	}
	fix := func(f int, at *int) {
		if *at >= 0 {
			*at = place[f][*at]
		}
	}
	for i := range m.atoms {
		for j := range m.atoms[i].ranges {
			fix(m.atoms[i].form, &m.atoms[i].ranges[j].from)
			fix(m.atoms[i].form, &m.atoms[i].ranges[j].to)
		}
	}
	for i := range m.lines {
		if b := m.lines[i].bands; b != nil && b.form >= 0 {
			for j := range b.at {
				fix(b.form, &b.at[j])
			}
		}
	}
}
