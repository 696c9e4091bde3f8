package verdict

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"omphalos/core/rule"
	"omphalos/core/say"
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

// matrixLine is two numbers crossed.
type matrixLine struct{ *Matrix }

func matrixOf(v *Verdict) Line {
	if v.Matrix == nil {
		return nil
	}
	return matrixLine{Matrix: v.Matrix}
}

func (matrixLine) Name() string { return "matrix" }

// edges are both edges with their names.
func (m matrixLine) edges() [2]struct {
	name string
	*Edge
} {
	return [2]struct {
		name string
		*Edge
	}{{"across", &m.Across}, {"down", &m.Down}}
}

func (m matrixLine) Check(c Checker, at string) {
	for _, e := range m.edges() {
		place := at + "/" + e.name
		c.Cut(place+"/on", e.On)
		if len(e.Cuts) == 0 {
			c.Report(place+"/cuts", addCutPoint.With(), thereNoCutPoints.With())
		}
		rising(c, e.Cuts, func(i int) string { return fmt.Sprintf("%s/cuts/%d", place, i) },
			func(x, y rule.Number) say.Text { return cutPointNotAbove.With(x, y) })
	}
	if len(m.Outcomes) != len(m.Down.Cuts) {
		c.Report(at+"/outcomes", useOneRowEachBand.With(), matrixHasRowsBands.With(len(m.Outcomes), len(m.Down.Cuts)))
		return
	}
	for d, row := range m.Outcomes {
		place := fmt.Sprintf("%s/outcomes/%d", at, d)
		if len(row) != len(m.Across.Cuts) {
			c.Report(place, useOneOutcomeOrNull.With(), rowHasCellsBands.With(len(row), len(m.Across.Cuts)))
			continue
		}
		for a, o := range row {
			if o != "" {
				c.Outcome(fmt.Sprintf("%s/%d", place, a), string(o))
			}
		}
	}
}

func (m matrixLine) Numbers(f func([]any, rule.Number)) {
	for _, e := range m.edges() {
		for i, n := range e.Cuts {
			f([]any{"matrix", e.name, "cuts", i}, n)
		}
	}
}

func (matrixLine) Compares(func(string, rule.Op, *rule.Operand)) {}

func (m matrixLine) CutPoints() []Cuts {
	var out []Cuts
	for _, e := range m.edges() {
		cuts := Cuts{On: e.On, Place: func(i int) []any { return []any{"matrix", e.name, "cuts", i} }}
		for i := range e.Cuts {
			cuts.Points = append(cuts.Points, &e.Cuts[i])
		}
		out = append(out, cuts)
	}
	return out
}

func (m matrixLine) WithOutcomes(to func(string) string) Verdict {
	out := *m.Matrix
	out.Outcomes = slices.Clone(m.Outcomes)
	for d, row := range out.Outcomes {
		out.Outcomes[d] = slices.Clone(row)
		for a, o := range row {
			if o != "" {
				out.Outcomes[d][a] = CellOutcome(to(string(o)))
			}
		}
	}
	return Verdict{Matrix: &out}
}

func (m matrixLine) Decide(w Walk) (Decision, bool) {
	across, down := w.Fact(m.Across.On), w.Fact(m.Down.On)
	a, d := OwningBand(m.Across.Cuts, across), OwningBand(m.Down.Cuts, down)
	outcome := m.Cell(d, a)
	facts := []FactValue{{m.Across.On, across}, {m.Down.On, down}}
	return Decision{Outcome: outcome, Row: d, Cut: a, Facts: facts}, outcome != ""
}

func (m matrixLine) Missed(w Walk) string {
	if OwningBand(m.Down.Cuts, w.Fact(m.Down.On)) < 0 {
		return m.Down.On
	}
	return m.Across.On
}

func (m matrixLine) Part(_ Names, d Decision) int { return d.Row*len(m.Across.Cuts) + d.Cut }

func (m matrixLine) Sentence(n Names) string {
	var names []string
	for _, row := range m.Outcomes {
		for _, o := range row {
			if o != "" && !slices.Contains(names, n.OutcomeName(string(o))) {
				names = append(names, n.OutcomeName(string(o)))
			}
		}
	}
	return n.FactName(m.Across.On) + " and " + n.FactName(m.Down.On) + " crossed → " + strings.Join(names, ", ")
}

func (matrixLine) Explain(n Names, d Decision, number int) string {
	last := d.Facts[len(d.Facts)-2:]
	return fmt.Sprintf("%s %s and %s %s meet in a cell of line %d", n.FactName(last[0].Fact), Shown(last[0].Value),
		n.FactName(last[1].Fact), Shown(last[1].Value), number)
}
