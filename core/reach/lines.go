package reach

import (
	"slices"
	"strings"

	"omphalos/core/fact"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// fillLines flattens the verdict lines.
func (m *model) fillLines() {
	for i := range m.d.Verdicts {
		v := &m.d.Verdicts[i]
		if v.Off {
			continue
		}
		l := line{number: i + 1, when: m.plant(v.When)}
		switch {
		case v.Table != nil:
			for r, row := range v.Table.Rows {
				all := []int32{l.when}
				for k, cell := range row.Cells {
					if cell != nil {
						all = append(
							all,
							m.plant(
								&rule.Condition{
									Fact:  v.Table.Facts[k],
									Op:    rule.OpIn,
									Value: &rule.Operand{IsList: true, List: cell},
								},
							),
						)
					}
				}
				m.lines = append(
					m.lines,
					line{number: i + 1, row: r, when: m.forest.group(nodeAll, all), outcome: row.Outcome},
				)
			}
			continue
		case v.Bands != nil:
			l.bands = m.bandsOf(v.Bands)
		case v.Matrix != nil:
			l.matrix = m.matrixOf(v.Matrix)
		case v.Leader != nil:
			l.leader = m.leaderOf(v.Leader)
		default:
			l.outcome = v.Outcome
		}
		m.lines = append(m.lines, l)
	}
}

func (m *model) bandsOf(b *quiz.Bands) *bandsLine {
	cuts, outcomes := make([]rule.Number, len(b.Cuts)), make([]string, len(b.Cuts))
	for i, c := range b.Cuts {
		cuts[i], outcomes[i] = c.From, c.Outcome
	}
	out := m.cutsOf(b.On, cuts)
	out.outcomes = outcomes
	return out
}

func (m *model) matrixOf(x *quiz.Matrix) *matrixLine {
	out := &matrixLine{across: m.cutsOf(x.Across.On, x.Across.Cuts), down: m.cutsOf(x.Down.On, x.Down.Cuts)}
	for _, row := range x.Outcomes {
		var list []string
		for _, o := range row {
			list = append(list, string(o))
		}
		out.outcomes = append(out.outcomes, list)
	}
	return out
}

// cutsOf are cut points of a number.
func (m *model) cutsOf(on string, cuts []rule.Number) *bandsLine {
	out := &bandsLine{cuts: cuts, form: -1, on: on}
	family, id := fact.FamilyOf(on)
	if family.Class == fact.Formula {
		out.computed = slices.IndexFunc(m.d.Computed, func(c quiz.Computed) bool { return c.ID == id })
		return out
	}
	out.form = m.formOf(family.Class, id)
	if family.Class == fact.Percentile {
		out.norm = m.d.Scales[out.form].Norm
		out.blank = out.norm == nil
	}
	for _, c := range cuts {
		if out.blank {
			break
		}
		v, always := m.threshold(number{out.form, out.norm}, c, false)
		if always {
			out.at = append(out.at, -1)
		} else {
			out.at = append(out.at, m.rawThreshold(out.form, v))
		}
	}
	return out
}

func (m *model) leaderOf(l *quiz.Leader) *leaderLine {
	out := &leaderLine{
		listed:   make([]bool, len(m.d.Keywords)),
		outcomes: make([]string, len(m.d.Keywords)),
		latest:   l.Ties == "latest",
		question: -1,
	}
	for k := range m.d.Keywords {
		out.outcomes[k], out.listed[k] = l.Outcomes[m.d.Keywords[k].ID], false
		if _, ok := l.Outcomes[m.d.Keywords[k].ID]; ok {
			out.listed[k] = true
		}
	}
	if id, ok := strings.CutPrefix(l.Ties, "question:"); ok {
		out.question = m.d.Question(id)
	}
	return out
}
