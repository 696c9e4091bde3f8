package sheet

import "slices"

// Grid is a table of texts. The first cell of a row is its key, which no other row has.
type Grid struct {
	Columns []string
	Rows    [][]string
}

// Merge makes what mine changes of base on theirs, which is base after somebody else's changes. origins[i] is the row of
// base that row i of mine was, −1 for a new one; without origins the rows of mine are those of base in their order.
// Cells are merged one by one; where both changed the same cell, mine is the later one. It reports false where both
// changed the columns, or one deleted any.
func Merge(base, mine, theirs Grid, origins []int) (Grid, bool) {
	columns, ok := mergeColumns(base.Columns, mine.Columns, theirs.Columns)
	if !ok {
		return Grid{}, false
	}
	m := merging{base: base, width: len(columns)}
	for i, row := range theirs.Rows {
		m.rows = append(m.rows, mergedRow{m.wide(row), slices.IndexFunc(base.Rows, func(b []string) bool {
			return len(b) > 0 && b[0] != "" && b[0] == theirs.Rows[i][0]
		})})
		if last := &m.rows[len(m.rows)-1]; last.was < 0 && row[0] == "" && i < len(base.Rows) && base.Rows[i][0] == "" {
			last.was = i // a row without a key is known by its place
		}
	}
	m.take(mine.Rows, origins)
	out := Grid{Columns: columns}
	for _, r := range m.rows {
		out.Rows = append(out.Rows, r.cells)
	}
	return out, true
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

type merging struct {
	base  Grid
	width int
	rows  []mergedRow
}

// wide is a row with a cell for each column.
func (m *merging) wide(row []string) []string {
	out := slices.Clone(row)
	for len(out) < m.width {
		out = append(out, "")
	}
	return out
}

// take makes the changes of mine.
func (m *merging) take(mine [][]string, origins []int) {
	kept := map[int]bool{}
	at := -1 // where the last row of mine stands
	for i, row := range mine {
		was := i
		if origins != nil {
			was = -1
			if i < len(origins) {
				was = origins[i]
			}
		}
		if was >= len(m.base.Rows) {
			was = -1
		}
		if was >= 0 {
			kept[was] = true
		}
		at = m.put(m.wide(row), was, at)
	}
	m.rows = slices.DeleteFunc(m.rows, func(r mergedRow) bool {
		return r.was >= 0 && !kept[r.was] && slices.Equal(r.cells, m.wide(m.base.Rows[r.was]))
	})
}

// put makes the changes of one row, and returns where it stands; after is where the one before it stands.
func (m *merging) put(row []string, was, after int) int {
	var before []string
	if was >= 0 {
		before = m.wide(m.base.Rows[was])
	}
	same := func(r mergedRow) bool {
		return was >= 0 && r.was == was || was < 0 && r.was < 0 && row[0] != "" && r.cells[0] == row[0]
	}
	n := slices.IndexFunc(m.rows, same)
	if n < 0 {
		if was >= 0 && slices.Equal(row, before) {
			return after // they deleted it, and I left it as it was
		}
		m.rows = slices.Insert(m.rows, after+1, mergedRow{row, was})
		return after + 1
	}
	for k := range row {
		if before == nil && row[k] != "" || before != nil && row[k] != before[k] {
			m.rows[n].cells[k] = row[k]
		}
	}
	return n
}
