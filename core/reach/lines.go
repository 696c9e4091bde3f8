package reach

import (
	"slices"
	"strings"

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
		case v.Leader != nil:
			l.leader = m.leaderOf(v.Leader)
		default:
			l.outcome = v.Outcome
		}
		m.lines = append(m.lines, l)
	}
}

func (m *model) bandsOf(b *quiz.Bands) *bandsLine {
	out := &bandsLine{cuts: b.Cuts, form: -1, on: b.On}
	root, id, _ := strings.Cut(b.On, ".")
	if root == "computed" {
		out.computed = slices.IndexFunc(m.d.Computed, func(c quiz.Computed) bool { return c.ID == id })
		return out
	}
	switch root {
	case "scale":
		out.form = slices.IndexFunc(m.d.Scales, func(s quiz.Scale) bool { return s.ID == id })
	case "percent":
		out.form = len(m.d.Scales) + slices.IndexFunc(m.d.Scales, func(s quiz.Scale) bool { return s.ID == id })
	case "keyword":
		out.form = 2*len(m.d.Scales) + slices.IndexFunc(m.d.Keywords, func(k quiz.Keyword) bool { return k.ID == id })
	}
	for _, c := range b.Cuts {
		v, always := m.threshold(out.form, c.From, false)
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
