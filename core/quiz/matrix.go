package quiz

import (
	"encoding/json"
	"strings"

	"omphalos/core/rule"
)

// Matrix crosses two numbers: each is cut into bands, and each pair of bands has its outcome.
type Matrix struct {
	Across Edge `json:"across"`
	Down   Edge `json:"down"`
	// Outcomes are by band of down, then by band of across, from the lowest.
	Outcomes [][]CellOutcome `json:"outcomes"`
}

// Edge is one of the numbers that a matrix crosses, with the cut points of its bands: as in Cut, each owns the values
// from it up to the next.
type Edge struct {
	On   string        `json:"on"`
	Cuts []rule.Number `json:"cuts"`
}

// CellOutcome is the id of an outcome, or "" (null) for a cell that decides nothing.
type CellOutcome string

// MarshalJSON writes the id, or null.
func (c CellOutcome) MarshalJSON() ([]byte, error) {
	if c == "" {
		return []byte("null"), nil
	}
	return json.Marshal(string(c))
}

// UnmarshalJSON reads an id, or null.
func (c *CellOutcome) UnmarshalJSON(data []byte) error { return json.Unmarshal(data, (*string)(c)) }

// Cell is the outcome of a pair of bands; "" where the matrix has none.
func (m *Matrix) Cell(down, across int) string {
	if down < 0 || down >= len(m.Outcomes) || across < 0 || across >= len(m.Outcomes[down]) {
		return ""
	}
	return string(m.Outcomes[down][across])
}

func (c *check) matrix(at string, m *Matrix) {
	c.edge(at+"/across", &m.Across)
	c.edge(at+"/down", &m.Down)
	if len(m.Outcomes) != len(m.Down.Cuts) {
		c.ps.add(at+"/outcomes", useOneRowEachBand.With(), matrixHasRowsBands.With(len(m.Outcomes), len(m.Down.Cuts)))
		return
	}
	for d, row := range m.Outcomes {
		place := at + Pointer("outcomes", d)
		if len(row) != len(m.Across.Cuts) {
			c.ps.add(place, useOneOutcomeOrNull.With(), rowHasCellsBands.With(len(row), len(m.Across.Cuts)))
			continue
		}
		for a, o := range row {
			if o != "" {
				c.outcome(place+Pointer(a), string(o))
			}
		}
	}
}

func (c *check) edge(at string, e *Edge) {
	c.cutOn(at+"/on", e.On)
	if len(e.Cuts) == 0 {
		c.ps.add(at+"/cuts", addCutPoint.With(), thereNoCutPoints.With())
	}
	for i := 1; i < len(e.Cuts); i++ {
		if e.Cuts[i].Cmp(e.Cuts[i-1]) <= 0 {
			c.ps.add(at+Pointer("cuts", i), makeEachCutPointHigher.With(), cutPointNotAbove.With(e.Cuts[i], e.Cuts[i-1]))
		}
	}
}

// cutOn checks that a number can be cut into bands.
func (c *check) cutOn(at, on string) {
	if !IsNumberFact(on) {
		c.ps.add(at, useScaleIDPercentID2.With(), youCantSetCutPoints.With(on))
		return
	}
	c.fact(at, on)
}

// matrixSentence says a matrix in plain words.
func (d *Document) matrixSentence(m *Matrix) string {
	var names []string
	seen := map[string]bool{}
	for _, row := range m.Outcomes {
		for _, o := range row {
			if o != "" && !seen[string(o)] {
				seen[string(o)] = true
				names = append(names, d.OutcomeName(string(o)))
			}
		}
	}
	return d.FactName(m.Across.On) + " and " + d.FactName(m.Down.On) + " crossed → " + strings.Join(names, ", ")
}
