package verdicts

import (
	"encoding/json"
	"slices"
	"strconv"
	"strings"

	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// table is a decision table as it is edited.
type table struct {
	Path    string
	Columns []tableColumn
	Rows    []tableRow
	AddRow  string
	AddAt   string
	AddFact []option // menu of columns to add
	Fill    string   // patch: a row for every combination that no row covers
	FillNo  int      // how many rows that are
	TooMany bool     // more than fit
	Merge   string   // patch: rows that lead to the same made one, where that changes nothing
	MergeNo int      // how many rows are left then
	Where   []option // rows by an answer: the value is the column's number and the answer's id, with a space between
	To      []option // where chosen rows lead: patches without the rows, which the window adds
}

type tableColumn struct {
	Name string
	Drop string
}

type tableRow struct {
	Number   int
	Path     string
	Cells    []tableCell
	Outcomes []option
	Drop     string
	Up, Down string
	Values   string // JSON of the cells, by which rows are chosen
}

type tableCell struct {
	Path    string
	Label   string // names the cell
	Text    string // "any", or the values
	Options []option
	Typed   string // of values that cannot be listed
	Number  bool
	List    bool
}

// maxFill is how many rows are made at once.
const maxFill = 240

// table shows a decision table: its columns and rows, and the edits that add to it.
func (s *view) table(l *line, t *quiz.Table) {
	d := s.Draft.Doc
	at := l.Path + "/table"
	v := &table{Path: at}
	for i, f := range t.Facts {
		v.Columns = append(v.Columns, tableColumn{d.FactName(f), dropColumn(d, t, at, i)})
	}
	for r := range t.Rows {
		v.Rows = append(v.Rows, rowOf(d, t, at, r))
		if m := s.Draft.Mark(t.Rows[r].Outcome); !slices.Contains(l.Marks, m) {
			l.Marks = append(l.Marks, m)
		}
	}
	blank := quiz.TableRow{Cells: make([]quiz.Cell, len(t.Facts)), Outcome: d.Otherwise}
	v.AddRow = quiz.JSON(workbench.AddTo(at+"/rows", blank))
	v.AddAt = d.Next(at+"/rows", blank, "cells", 0)
	v.AddFact = newColumns(d, t, at)
	missing, all := Uncovered(d, t)
	v.TooMany = !all
	if v.FillNo = len(missing); all && len(missing) > 0 {
		var ops []quiz.Operation
		for _, row := range missing {
			ops = append(ops, workbench.AddTo(at+"/rows", row))
		}
		v.Fill = quiz.JSON(ops...)
	}
	v.merge(d, t, at)
	v.choosing(d, t)
	l.Table = v
}

// choosing offers to choose rows by an answer, and where the chosen ones are to lead.
func (v *table) choosing(d *quiz.Document, t *quiz.Table) {
	for i, f := range t.Facts {
		for _, o := range workbench.KnownValues(d, f) {
			v.Where = append(v.Where, option{
				Group: d.FactName(f), Name: o.Name, Value: strconv.Itoa(i) + " " + o.Value,
			})
		}
	}
	for i := range d.Outcomes {
		v.To = append(v.To, option{Name: d.Outcomes[i].Title(), Value: d.Outcomes[i].ID})
	}
	v.To = append(v.To, workbench.NewOutcome())
}

// merge offers to join rows that lead to the same.
func (v *table) merge(d *quiz.Document, t *quiz.Table, at string) {
	merged := Merged(d, t)
	if len(merged) >= len(t.Rows) {
		return
	}
	v.Merge, v.MergeNo = quiz.JSON(quiz.Test(at+"/rows", t.Rows), quiz.Set(at+"/rows", merged)), len(merged)
}

// Merged joins rows that lead to the same outcome and differ in one column, again and again; a column that then has
// every answer has any. Rows that overlap are tried in order, so a table that has such is returned as it is.
func Merged(d *quiz.Document, t *quiz.Table) []quiz.TableRow {
	rows := slices.Clone(t.Rows)
	for i := range rows {
		for j := range rows[:i] {
			if overlap(rows[i].Cells, rows[j].Cells) {
				return t.Rows
			}
		}
	}
	all := make([]int, len(t.Facts))
	for i, f := range t.Facts {
		all[i] = len(workbench.KnownValues(d, f))
	}
	for changed := true; changed; {
		changed = false
		for i := 0; i < len(rows) && !changed; i++ {
			for j := i + 1; j < len(rows) && !changed; j++ {
				if cells, ok := joined(&rows[i], &rows[j], all); ok {
					rows[i] = quiz.TableRow{Cells: cells, Outcome: rows[i].Outcome}
					rows, changed = slices.Delete(rows, j, j+1), true
				}
			}
		}
	}
	return rows
}

// joined is one row for two, where they lead to the same and all but one column are alike.
func joined(a, b *quiz.TableRow, all []int) ([]quiz.Cell, bool) {
	if a.Outcome != b.Outcome || len(a.Cells) != len(b.Cells) {
		return nil, false
	}
	other := -1
	for i := range a.Cells {
		if alike(a.Cells[i], b.Cells[i]) {
			continue
		}
		if other >= 0 || a.Cells[i] == nil || b.Cells[i] == nil {
			return nil, false
		}
		other = i
	}
	if other < 0 {
		return nil, false
	}
	cells := slices.Clone(a.Cells)
	cells[other] = append(slices.Clone(a.Cells[other]), b.Cells[other]...)
	if all[other] > 0 && len(cells[other]) == all[other] {
		cells[other] = nil
	}
	return cells, true
}

func alike(a, b quiz.Cell) bool {
	if (a == nil) != (b == nil) || len(a) != len(b) {
		return false
	}
	return !slices.ContainsFunc(a, func(s rule.Scalar) bool { return !has(b, s) })
}

func has(cell quiz.Cell, s rule.Scalar) bool {
	return slices.ContainsFunc(cell, func(o rule.Scalar) bool { return o.String() == s.String() })
}

// overlap reports whether someone can fit both rows.
func overlap(a, b []quiz.Cell) bool {
	for i := range min(len(a), len(b)) {
		if a[i] == nil || b[i] == nil {
			continue
		}
		if !slices.ContainsFunc(a[i], func(s rule.Scalar) bool { return has(b[i], s) }) {
			return false
		}
	}
	return true
}

// dropColumn is the edit that takes a column off the table and its cells off the rows.
func dropColumn(d *quiz.Document, t *quiz.Table, at string, i int) string {
	ops := []quiz.Operation{quiz.Remove(d.Below(at, "facts", i))}
	for r := range t.Rows {
		if i < len(t.Rows[r].Cells) {
			ops = append(ops, quiz.Remove(d.Below(at, "rows", r, "cells", i)))
		}
	}
	return quiz.JSON(ops...)
}

// rowOf shows a row of the table at a place.
func rowOf(d *quiz.Document, t *quiz.Table, at string, r int) tableRow {
	row := &t.Rows[r]
	place := d.Below(at, "rows", r)
	out := tableRow{
		Number:   r + 1,
		Path:     place,
		Outcomes: workbench.Outcomes(d, row.Outcome),
		Drop:     quiz.JSON(quiz.Remove(place)),
	}
	out.Up, out.Down = workbench.Order(d, at+"/rows", r, len(t.Rows))
	values, err := json.Marshal(row.Cells)
	if err == nil { // cells are texts and numbers
		out.Values = string(values)
	}
	for i, fact := range t.Facts[:min(len(t.Facts), len(row.Cells))] {
		name := d.FactName(fact) + ", row " + strconv.Itoa(r+1)
		out.Cells = append(out.Cells, cellOf(d, d.Below(place, "cells", i), fact, row.Cells[i], name))
	}
	return out
}

// newColumns offers the facts that the table does not look at yet.
func newColumns(d *quiz.Document, t *quiz.Table, at string) []workbench.Option {
	var out []workbench.Option
	for _, o := range workbench.FactOptions(d, len(d.Questions)) {
		if slices.Contains(t.Facts, o.Value) {
			continue
		}
		ops := []quiz.Operation{workbench.AddTo(at+"/facts", o.Value)}
		for r := range t.Rows {
			ops = append(ops, quiz.Add(d.Below(at, "rows", r, "cells")+"/-", nil))
		}
		o.Patch, o.Selected = quiz.JSON(ops...), false
		out = append(out, o)
	}
	return out
}

// Uncovered returns a row for every combination of listed answers that no row of the table covers, each leading to
// everyone else; false when they are too many, or a column's values cannot be listed.
func Uncovered(d *quiz.Document, t *quiz.Table) ([]quiz.TableRow, bool) {
	if len(t.Facts) == 0 {
		return nil, false
	}
	values := make([][]rule.Scalar, len(t.Facts))
	size := 1
	for i, f := range t.Facts {
		for _, o := range workbench.KnownValues(d, f) {
			values[i] = append(values[i], rule.Scalar{Text: o.Value})
		}
		if len(values[i]) == 0 {
			return nil, false
		}
		if size *= len(values[i]); size > maxFill {
			return nil, false
		}
	}
	var out []quiz.TableRow
	for n := range size {
		row := quiz.TableRow{Outcome: d.Otherwise}
		rest := n
		for i := len(values) - 1; i >= 0; i-- {
			row.Cells = append([]quiz.Cell{{values[i][rest%len(values[i])]}}, row.Cells...)
			rest /= len(values[i])
		}
		if !slices.ContainsFunc(t.Rows, func(r quiz.TableRow) bool { return covers(r.Cells, row.Cells) }) {
			out = append(out, row)
		}
	}
	return out, true
}

func covers(a, b []quiz.Cell) bool {
	for i := range a {
		if a[i] != nil &&
			!slices.ContainsFunc(a[i], func(s rule.Scalar) bool { return s.String() == b[i][0].String() }) {
			return false
		}
	}
	return true
}

func cellOf(d *quiz.Document, path, fact string, cell quiz.Cell, label string) tableCell {
	c := tableCell{Path: path, Label: label, Text: "any"}
	var texts, names []string
	for _, v := range cell {
		texts, names = append(texts, v.String()), append(names, d.ValueName(fact, v))
	}
	if cell != nil {
		c.Text = strings.Join(names, ", ")
		if len(names) == 0 {
			c.Text = "none"
		}
	}
	known := workbench.KnownValues(d, fact)
	if len(known) == 0 || len(known) > 40 {
		c.List, c.Typed = true, strings.Join(texts, ", ")
		c.Number = len(known) == 0 && workbench.IsNumber(d, fact)
		return c
	}
	for _, o := range known {
		o.Selected = slices.Contains(texts, o.Value)
		c.Options = append(c.Options, o)
	}
	return c
}
