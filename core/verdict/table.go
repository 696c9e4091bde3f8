package verdict

import (
	"fmt"
	"slices"
	"strings"

	"omphalos/core/rule"
)

// Table decides by the first row whose cells all match.
type Table struct {
	Facts []string   `json:"facts"`
	Rows  []TableRow `json:"rows"`
}

// TableRow is one line of a table, a cell for each fact.
type TableRow struct {
	Cells   []Cell `json:"cells"`
	Outcome string `json:"outcome"`
}

// Cell lists the values that match; nil (null) matches anything.
type Cell []rule.Scalar

// tableLine is a decision table.
type tableLine struct {
	plain
	*Table
}

func tableOf(v *Verdict) Line {
	if v.Table == nil {
		return nil
	}
	return tableLine{Table: v.Table}
}

func (tableLine) Name() string { return "table" }

// Check reports columns that are no facts, and rows that do not fit them.
func (t tableLine) Check(c Checker, at string) {
	if len(t.Facts) == 0 {
		c.Report(at+"/facts", addAColumn.With(), tableHasNoColumns.With())
	}
	known := make([]bool, len(t.Facts))
	for i, f := range t.Facts {
		known[i] = c.Fact(fmt.Sprintf("%s/facts/%d", at, i), f)
	}
	for r, row := range t.Rows {
		place := fmt.Sprintf("%s/rows/%d", at, r)
		c.Outcome(place+"/outcome", row.Outcome)
		if len(row.Cells) != len(t.Facts) {
			c.Report(place+"/cells", useOneCellEachColumn.With(), rowHasCellsColumns.With(len(row.Cells), len(t.Facts)))
			continue
		}
		for i, cell := range row.Cells {
			for k, v := range cell {
				if known[i] {
					c.Constant(fmt.Sprintf("%s/cells/%d/%d", place, i, k), t.Facts[i], rule.OpIn, v)
				}
			}
		}
	}
}

// Numbers are those of the cells.
func (t tableLine) Numbers(f func([]any, rule.Number)) {
	for r, row := range t.Rows {
		for c, cell := range row.Cells {
			for _, s := range cell {
				f([]any{"table", "rows", r, "cells", c}, s.Num)
			}
		}
	}
}

// Compares are its cells: each asks for one of some values.
func (t tableLine) Compares(f func(string, rule.Op, *rule.Operand)) {
	for col, name := range t.Facts {
		for _, row := range t.Rows {
			if row.Cells[col] != nil {
				f(name, rule.OpIn, &rule.Operand{IsList: true, List: row.Cells[col]})
			}
		}
	}
}

// Outcomes is the table with other outcomes.
func (t tableLine) WithOutcomes(to func(string) string) Verdict {
	out := *t.Table
	out.Rows = slices.Clone(t.Rows)
	for i := range out.Rows {
		out.Rows[i].Outcome = to(out.Rows[i].Outcome)
	}
	return Verdict{Table: &out}
}

// Decide finds the first row that matches.
func (t tableLine) Decide(w Walk) (Decision, bool) {
	at := slices.IndexFunc(t.Rows, func(row TableRow) bool {
		for i, cell := range row.Cells {
			if cell != nil && !rule.Compare(w.Fact(t.Facts[i]), rule.OpIn, &rule.Operand{IsList: true, List: cell}) {
				return false
			}
		}
		return true
	})
	if at < 0 {
		return Decision{}, false
	}
	d := Decision{Outcome: t.Rows[at].Outcome, Row: at}
	for _, f := range t.Facts {
		d.Facts = append(d.Facts, FactValue{f, w.Fact(f)})
	}
	return d, true
}

// Part is the row.
func (tableLine) Part(_ Names, d Decision) int { return d.Row }

// Sentence names the columns.
func (t tableLine) Sentence(n Names) string {
	names := make([]string, len(t.Facts))
	for i, f := range t.Facts {
		names[i] = n.FactName(f)
	}
	return "a table of " + strings.Join(names, ", ")
}

// Explain names the row.
func (tableLine) Explain(_ Names, d Decision, number int) string {
	return fmt.Sprintf("Row %d of the table in line %d", d.Row+1, number)
}
