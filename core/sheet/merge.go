package sheet

import (
	"container/list"
	"slices"
)

// Grid is a table of texts. The first cell of a row is its key, which no other row has.
type Grid struct {
	Columns []string
	Rows    [][]string
}

// Merge applies the changes from base to mine to theirs, which holds the changes from base that someone else has stored.
// origins[i] is the row of base that row i of mine was, −1 for a new one; without origins the rows of mine are those of
// base in their order. Cells are merged one by one; where both changed the same cell, mine is the later one. It reports
// false where both changed the columns, or one deleted any. It takes time in proportion to the rows.
func Merge(base, mine, theirs Grid, origins []int) (Grid, bool) {
	columns, ok := mergeColumns(base.Columns, mine.Columns, theirs.Columns)
	if !ok {
		return Grid{}, false
	}
	m := newMerging(base, theirs, len(columns))
	m.take(mine.Rows, origins)
	return Grid{Columns: columns, Rows: m.result()}, true
}

func mergeColumns(base, mine, theirs []string) ([]string, bool) {
	if slices.Equal(base, mine) {
		return theirs, len(theirs) >= len(base)
	}
	if !slices.Equal(base, theirs) || len(mine) < len(base) {
		return nil, false
	}
	return mine, true
}

type mergedRow struct {
	cells []string
	was   int // its row of base, −1 for none
}

// merging finds rows by their row of base and by their key, because a table can have 100,000.
type merging struct {
	base  Grid
	width int
	rows  *list.List // of mergedRow
	byWas map[int]*list.Element
	byKey map[string]*list.Element // rows that base does not have
	kept  map[int]bool             // rows of base that mine still has
}

func newMerging(base, theirs Grid, width int) *merging {
	m := &merging{
		base: base, width: width, rows: list.New(),
		byWas: map[int]*list.Element{}, byKey: map[string]*list.Element{}, kept: map[int]bool{},
	}
	old := map[string]int{}
	for i, row := range base.Rows {
		if _, twice := old[row[0]]; row[0] != "" && !twice {
			old[row[0]] = i
		}
	}
	for i, row := range theirs.Rows {
		was, known := old[row[0]]
		switch {
		case known:
		case row[0] == "" && i < len(base.Rows) && base.Rows[i][0] == "":
			was = i // a row without a key is known by its place
		default:
			was = -1
		}
		m.insert(mergedRow{m.wide(row), was}, m.rows.Back())
	}
	return m
}

// insert puts a row behind another, or first where there is none.
func (m *merging) insert(r mergedRow, after *list.Element) *list.Element {
	var at *list.Element
	if after == nil {
		at = m.rows.PushFront(r)
	} else {
		at = m.rows.InsertAfter(r, after)
	}
	_, taken := m.byKey[r.cells[0]]
	switch {
	case r.was >= 0:
		m.byWas[r.was] = at
	case r.cells[0] != "" && !taken:
		m.byKey[r.cells[0]] = at
	}
	return at
}

// result returns the rows without those that mine deleted and they left as they were.
func (m *merging) result() [][]string {
	var out [][]string
	for at := m.rows.Front(); at != nil; at = at.Next() {
		r := at.Value.(mergedRow)
		if r.was < 0 || m.kept[r.was] || !slices.Equal(r.cells, m.wide(m.base.Rows[r.was])) {
			out = append(out, r.cells)
		}
	}
	return out
}

// wide is a row with a cell for each column.
func (m *merging) wide(row []string) []string {
	out := make([]string, m.width)
	copy(out, row)
	return out
}

// take applies the changes of mine.
func (m *merging) take(mine [][]string, origins []int) {
	var at *list.Element // the last row of mine
	for i, row := range mine {
		was := i
		if origins != nil {
			was = -1
			if i < len(origins) {
				was = origins[i]
			}
		}
		if was < 0 || was >= len(m.base.Rows) {
			was = -1
		} else {
			m.kept[was] = true
		}
		at = m.put(m.wide(row), was, at)
	}
}

// put applies the changes of one row and returns the row; after is the one before it.
func (m *merging) put(row []string, was int, after *list.Element) *list.Element {
	if was < 0 {
		there := m.byKey[row[0]]
		if row[0] == "" || there == nil {
			return m.insert(mergedRow{row, was}, after)
		}
		cells := there.Value.(mergedRow).cells
		for k := range row {
			if row[k] != "" {
				cells[k] = row[k]
			}
		}
		return there
	}
	before, there := m.wide(m.base.Rows[was]), m.byWas[was]
	if there == nil {
		if slices.Equal(row, before) {
			return after // they deleted it, and mine left it as it was
		}
		return m.insert(mergedRow{row, was}, after)
	}
	cells := there.Value.(mergedRow).cells
	for k := range row {
		if row[k] != before[k] {
			cells[k] = row[k]
		}
	}
	return there
}
