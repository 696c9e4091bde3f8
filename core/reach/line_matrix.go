package reach

import "omphalos/core/quiz"

func init() {
	compilers["matrix"] = func(m *model, v *quiz.Verdict, l line) []line {
		x := v.Matrix
		l.matrix = &matrixLine{across: m.cutsOf(x.Across.On, x.Across.Cuts), down: m.cutsOf(x.Down.On, x.Down.Cuts)}
		for _, row := range x.Outcomes {
			var list []string
			for _, o := range row {
				list = append(list, string(o))
			}
			l.matrix.outcomes = append(l.matrix.outcomes, list)
		}
		l.body = l.matrix
		return []line{l}
	}
}

// part is the position of a cell among all cells.
func (x *matrixLine) part(down, across int) int { return down*len(x.across.cuts) + across }

// cell is the cell at a position.
func (x *matrixLine) cell(part int) (down, across int) {
	return part / len(x.across.cuts), part % len(x.across.cuts)
}

func (x *matrixLine) use(p *pass) {
	x.across.use(p)
	x.down.use(p)
}

func (x *matrixLine) decide(p *pass, vec []int64) (decision, bool) {
	a, d := p.cut(x.across, vec), p.cut(x.down, vec)
	if a < 0 || d < 0 || x.outcomes[d][a] == "" {
		return decision{}, false
	}
	return decision{outcome: p.outcome(x.outcomes[d][a]), cut: -1, part: x.part(d, a)}, true
}

func (x *matrixLine) parts(*pass) int { return len(x.across.cuts) * len(x.down.cuts) }

func (x *matrixLine) outcome(part int) string {
	d, a := x.cell(part)
	return x.outcomes[d][a]
}

func (x *matrixLine) gives(f *proof, _ *pass, out map[string]bool) maybe {
	for d, row := range x.outcomes {
		for a, outcome := range row {
			if outcome != "" && f.inBand(x.down, d) && f.inBand(x.across, a) {
				out[outcome] = true
			}
		}
	}
	return perhaps
}

// findings names the cells that no one comes to.
func (x *matrixLine) findings(k *checker, i, j int) {
	for d, row := range x.outcomes {
		for a, outcome := range row {
			if outcome == "" || k.final.partGot[j][x.part(d, a)] {
				continue
			}
			k.find(Finding{
				Code: "empty_band", Severity: Warning, Where: quiz.Pointer("verdicts", i, "matrix", "outcomes", d, a),
				Said: noRespondentLandsInCell.With(k.m.d.FactName(x.across.on), bandName(x.across.cuts, a),
					k.m.d.FactName(x.down.on), bandName(x.down.cuts, d)),
			})
		}
	}
}
