package reach

import (
	"omphalos/core/quiz"
)

// part is the position of a cell among all cells.
func (x *matrixLine) part(down, across int) int { return down*len(x.across.cuts) + across }

// cell is the cell at a position.
func (x *matrixLine) cell(part int) (down, across int) {
	return part / len(x.across.cuts), part % len(x.across.cuts)
}

// emptyCells finds the cells of verdict line i, which is flat line j, that no one comes to.
func (k *checker) emptyCells(i, j int) {
	x := k.m.lines[j].matrix
	for d, row := range x.outcomes {
		for a, outcome := range row {
			if outcome == "" || k.final.partGot[j][x.part(d, a)] {
				continue
			}
			k.find(Finding{
				Code: "empty_band", Severity: Warning, Where: quiz.Pointer("verdicts", i, "matrix", "outcomes", d, a),
				Said: noRespondentLandsInCell.With(k.m.d.FactName(x.across.on), bandName(x.across.cuts, a), k.m.d.FactName(x.down.on), bandName(x.down.cuts, d)),
			})
		}
	}
}
