package reach

import (
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Each row of a decision table is a flat line of its own.
func init() {
	compilers["table"] = func(m *model, v *quiz.Verdict, l line) []line {
		var out []line
		for r, row := range v.Table.Rows {
			all := []int32{l.when}
			for k, cell := range row.Cells {
				if cell != nil {
					all = append(all, m.plant(&rule.Condition{
						Fact: v.Table.Facts[k], Op: rule.OpIn, Value: &rule.Operand{IsList: true, List: cell},
					}))
				}
			}
			out = append(out, line{
				number: l.number, row: r, when: m.forest.group(nodeAll, all), body: ruleLine{row.Outcome},
			})
		}
		return out
	}
}
