package reach

import (
	"fmt"
	"slices"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// number is what conditions and cut points compare: a form, or the standing of a scale.
type number struct {
	form int
	norm quiz.Norm // of a standing; its form is the scale
}

// never is a threshold that no score comes up to.
const never int64 = 1 << 44

// threshold turns "value ≥ n" (or > n) into a whole number that the form is compared with. A percent and a standing
// are never below 0, so it may come out as always met.
func (m *model) threshold(of number, n rule.Number, strict bool) (v int64, always bool) {
	if of.norm != nil {
		return m.standingThreshold(of, n, strict)
	}
	f := of.form
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

// standingThreshold is the least score whose standing meets n: a standing only grows with the score, and it does so at
// the values of the norm and right above them.
func (m *model) standingThreshold(of number, n rule.Number, strict bool) (v int64, always bool) {
	meets := func(standing rule.Number) bool {
		c := standing.Cmp(n)
		return c > 0 || c == 0 && !strict
	}
	if meets(rule.Number{}) {
		return 0, true
	}
	unit := m.scale[of.form].number(1)
	least := never
	for _, p := range of.norm {
		units := rule.Ratio(p[0], unit)
		for _, at := range []rule.Number{units.Ceil(), units.Floor().Add(rule.Int(1))} {
			score, ok := at.Scaled(0)
			if standing, _ := of.norm.Percentile(at.Mul(unit)); ok && score < least && meets(standing) {
				least = score
			}
		}
	}
	return least, false
}

func (m *model) keywordUnit(f int) unit {
	if m.forms[f].kind == formKeyword {
		return m.keyword[m.forms[f].at]
	}
	return m.scale[m.forms[f].at]
}

// stretch is a piece of the number line, from lo to under hi, in the units of a form; without an end it is open there.
type stretch struct {
	lo, hi       int64
	hasLo, hasHi bool
}

// stretches gathers those in which a comparison of a number holds.
type stretches struct {
	m    *model
	of   number
	list []stretch
}

// startingAt is what begins at a number, or behind it if strict.
func (s *stretches) startingAt(n rule.Number, strict bool) stretch {
	v, always := s.m.threshold(s.of, n, strict)
	return stretch{lo: v, hasLo: !always}
}

// put adds a stretch that ends before a number, or behind it if with; nothing is added where nothing is left.
func (s *stretches) put(e stretch, n rule.Number, with bool) {
	v, always := s.m.threshold(s.of, n, with)
	if always {
		return
	}
	e.hi, e.hasHi = v, true
	if e.hasLo && e.lo >= e.hi {
		return
	}
	s.list = append(s.list, e)
}

func (s *stretches) putOpen(e stretch) { s.list = append(s.list, e) }

// rangesOf says where a comparison of a number holds. Thresholds are kept by their value until sortThresholds.
func (m *model) rangesOf(of number, op rule.Op, operand *rule.Operand) ([]span, int) {
	switch op {
	case rule.OpBlank:
		return nil, atomFalse
	case rule.OpAnswered:
		return nil, atomTrue
	}
	numbers, ok := comparedWith(op, operand)
	if !ok {
		return nil, atomFalse
	}
	s := &stretches{m: m, of: of}
	switch op {
	case rule.OpIs, rule.OpIn, rule.OpHas:
		for _, n := range numbers {
			s.put(s.startingAt(n, false), n, true)
		}
	case rule.OpIsNot, rule.OpNotIn:
		open := stretch{}
		for _, n := range numbers {
			s.put(open, n, false)
			open = s.startingAt(n, true)
		}
		s.putOpen(open)
	case rule.OpGe:
		s.putOpen(s.startingAt(numbers[0], false))
	case rule.OpGt:
		s.putOpen(s.startingAt(numbers[0], true))
	case rule.OpLt:
		s.put(stretch{}, numbers[0], false)
	case rule.OpLe:
		s.put(stretch{}, numbers[0], true)
	case rule.OpBetween:
		s.put(s.startingAt(numbers[0], false), numbers[len(numbers)-1], true)
	default: // contains: of a number's text; not a comparison of size
		m.err = fmt.Errorf("“%s” can’t be calculated for a number", op)
		return nil, atomFalse
	}
	switch {
	case len(s.list) == 0:
		return nil, atomFalse
	case len(s.list) == 1 && !s.list[0].hasLo && !s.list[0].hasHi:
		return nil, atomTrue
	}
	return s.spans(), 0
}

// comparedWith are the numbers that a comparison names, in order, each once. It reports false where the comparison
// cannot hold: it is one of size with what is no number, or between two that are given the wrong way round.
func comparedWith(op rule.Op, operand *rule.Operand) ([]rule.Number, bool) {
	var numbers []rule.Number
	if operand != nil {
		for _, s := range operand.List {
			n, err := rule.ParseNumber(s.String())
			switch {
			case err == nil:
				numbers = append(numbers, n)
			case op != rule.OpIs && op != rule.OpIsNot && op != rule.OpIn && op != rule.OpNotIn:
				return nil, false
			}
		}
	}
	if op == rule.OpBetween && numbers[0].Cmp(numbers[len(numbers)-1]) > 0 {
		return nil, false
	}
	slices.SortFunc(numbers, rule.Number.Cmp)
	return slices.CompactFunc(numbers, func(a, b rule.Number) bool { return a.Cmp(b) == 0 }), true
}

// spans writes the stretches by their thresholds.
func (s *stretches) spans() []span {
	out := make([]span, len(s.list))
	for i, e := range s.list {
		out[i] = span{-1, -1}
		if e.hasLo {
			out[i].from = s.m.rawThreshold(s.of.form, e.lo)
		}
		if e.hasHi {
			out[i].to = s.m.rawThreshold(s.of.form, e.hi)
		}
	}
	return out
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
		for _, b := range m.lines[i].cutsIn() {
			if b.form >= 0 {
				for j := range b.at {
					fix(b.form, &b.at[j])
				}
			}
		}
	}
}
