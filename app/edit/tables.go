package edit

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"omphalos/app/store/documents"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/sheet"
)

var tableName = regexp.MustCompile(`^[a-z][a-z0-9_-]{0,39}$`)

// ValidTableName reports whether a table can be called so.
func ValidTableName(name string) bool { return tableName.MatchString(name) }

// SaveTable stores the next state of a table next to a quiz; base is the number of the state that was edited, 0 for a
// new one. It runs at once, without a launch.
func (e *Editor) SaveTable(who Actor, quizID string, base int, t *documents.Table) error {
	return e.saveTable(who, quizID, base, t, false)
}

// saveTable is SaveTable; rows of an unfinished table may have no key yet: no one finds them.
func (e *Editor) saveTable(who Actor, quizID string, base int, t *documents.Table, unfinished bool) error {
	if who.Account == 0 {
		return errNoActor
	}
	q, err := e.store.Documents.Quiz(quizID)
	if err != nil {
		return ofStore(err)
	}
	d, err := quiz.ReadStored(q.Document)
	if err != nil {
		return err
	}
	tidy(t)
	if err := checkTable(t, addressColumns(d, t.Name), unfinished); err != nil {
		return err
	}
	err = e.store.Documents.SaveTable(quizID, who.Account, base, t)
	if errors.Is(err, documents.ErrChanged) {
		return &Error{
			Kind:    Stale,
			Message: "Someone else has changed this table. Reload it, then make your change.",
		}
	}
	return ofStore(err)
}

// MergeTable stores what a window changed of a table: base is the number of the state that it showed, origins the rows
// of that state which its rows were (see sheet.Merge). What others changed since stays. It returns the table as it is
// stored.
func (e *Editor) MergeTable(
	who Actor,
	quizID string,
	base int,
	t *documents.Table,
	origins []int,
) (*documents.Table, error) {
	for range attempts {
		next, now, err := e.merged(quizID, base, t, origins)
		if err != nil {
			return nil, err
		}
		if next.Number > 0 {
			return next, nil // nothing has changed: it was sent before
		}
		err = e.saveTable(who, quizID, now, next, true)
		if KindOf(err) != Stale {
			return next, err
		}
	}
	return nil, errBusy
}

// merged is a window's table with what others changed since its base, and the number of the state that it is made on;
// the table has that number itself where it is the same.
func (e *Editor) merged(quizID string, base int, t *documents.Table, origins []int) (*documents.Table, int, error) {
	list, err := e.store.Documents.Tables(quizID)
	if err != nil {
		return nil, 0, ofStore(err)
	}
	next := &documents.Table{Name: t.Name, Columns: slices.Clone(t.Columns), Rows: slices.Clone(t.Rows)}
	i := slices.IndexFunc(list, func(other documents.Table) bool { return other.Name == t.Name })
	if i < 0 { // it is new, or someone has deleted it: what was typed makes it again
		return next, 0, nil
	}
	now := &list[i]
	if now.Number == base {
		return next, base, nil
	}
	was := &documents.Table{Columns: now.Columns}
	if base > 0 {
		if was, err = e.store.Documents.TableAt(quizID, t.Name, base); err != nil {
			return nil, 0, ofStore(err)
		}
	}
	for i, row := range t.Rows {
		if len(row) != len(t.Columns) {
			return nil, 0, &Error{
				Kind: Refused,
				Message: fmt.Sprintf("Row %d has %d cells, but the table has %d columns.",
					i+1, len(row), len(t.Columns)),
			}
		}
	}
	grid := func(t *documents.Table) sheet.Grid { return sheet.Grid{Columns: t.Columns, Rows: t.Rows} }
	merged, ok := sheet.Merge(grid(was), grid(t), grid(now), origins)
	if !ok {
		return nil, 0, &Error{
			Kind:    Refused,
			Message: "Someone else changed the columns of this table too. Load the page again, then make your change.",
		}
	}
	next.Columns, next.Rows = merged.Columns, merged.Rows
	tidy(next)
	if slices.Equal(next.Columns, now.Columns) && slices.EqualFunc(next.Rows, now.Rows, slices.Equal) {
		next.Number = now.Number
	}
	return next, now.Number, nil
}

// RestoreTable brings a table back that was deleted, as it was last.
func (e *Editor) RestoreTable(who Actor, quizID, name string) error {
	history, err := e.store.Documents.TableHistory(quizID, name)
	if err != nil {
		return ofStore(err)
	}
	if len(history) == 0 {
		return errGone
	}
	t, err := e.store.Documents.TableAt(quizID, name, history[0].Number)
	if err != nil {
		return ofStore(err)
	}
	return e.SaveTable(who, quizID, 0, t)
}

// DropTable takes a table away; its history stays.
func (e *Editor) DropTable(who Actor, quizID, name string) error {
	if who.Account == 0 {
		return errNoActor
	}
	return ofStore(e.store.Documents.DeleteTable(quizID, name))
}

// tidy takes away lines that are empty and spaces around cells.
func tidy(t *documents.Table) {
	for i := range t.Columns {
		t.Columns[i] = strings.TrimSpace(t.Columns[i])
	}
	for _, row := range t.Rows {
		for k := range row {
			row[k] = strings.TrimSpace(row[k])
		}
	}
	rows, lines := t.Rows[:0], []int(nil)
	for i, row := range t.Rows {
		if strings.Join(row, "") != "" {
			rows, lines = append(rows, row), append(lines, t.Line(i))
		}
	}
	t.Rows, t.Lines = rows, lines
}

// addressColumns are the columns of a table whose cells respondents are sent to.
func addressColumns(d *quiz.Document, table string) []string {
	columns := []string{"url", "link"}
	for i := range d.Outcomes {
		if e := d.Outcomes[i].Ending; e != nil && e.Lookup != nil && e.Lookup.Table == table {
			columns = append(columns, e.Lookup.Column)
		}
	}
	return columns
}

// Bounds of a table next to a quiz: it is read whole for each version that runs.
const (
	maxTableRows  = 100_000
	maxTableCells = 500_000
	maxTableCell  = 10_000 // bytes
)

// checkTable says what is wrong with a table, by line and column.
func checkTable(t *documents.Table, addresses []string, unfinished bool) error {
	fault := func(format string, args ...any) error {
		return refused(quiz.Problems{{Message: fmt.Sprintf(format, args...)}})
	}
	if !tableName.MatchString(t.Name) {
		return fault("start a table name with a lower-case letter; use only lower-case letters, digits and hyphens")
	}
	if len(t.Rows) > maxTableRows || len(t.Rows)*len(t.Columns) > maxTableCells {
		return fault("A table can have up to %d rows and %d cells", maxTableRows, maxTableCells)
	}
	if len(t.Columns) == 0 {
		return fault("A table needs at least one column")
	}
	seen := map[string]bool{}
	for i, c := range t.Columns {
		if c == "" || seen[c] {
			return fault("column %d needs a unique name", i+1)
		}
		seen[c] = true
	}
	keys := map[string]int{}
	for i, row := range t.Rows {
		if len(row) != len(t.Columns) {
			return fault("row %d has %d cells, but the table has %d columns", t.Line(i), len(row), len(t.Columns))
		}
		if row[0] == "" && unfinished {
			continue
		}
		if row[0] == "" {
			return fault("row %d has no value for %s", t.Line(i), t.Columns[0])
		}
		if first, twice := keys[row[0]]; twice {
			return fault("rows %d and %d have the same %s, %s", first, t.Line(i), t.Columns[0], row[0])
		}
		keys[row[0]] = t.Line(i)
		for k, cell := range row {
			if len(cell) > maxTableCell {
				return fault("row %d, %s: the text is longer than %d bytes", t.Line(i), t.Columns[k], maxTableCell)
			}
			picture := t.Name == documents.Catalogue && t.Columns[k] == "picture"
			if picture && cell != "" && !strings.HasPrefix(cell, "/") {
				return fault(
					"line %d, picture: “%s” can’t be shown. Choose a picture from the library, or upload it",
					t.Line(i),
					quiz.Shorten(cell, 40),
				)
			}
			if cell == "" || !isAddressColumn(t.Columns[k], addresses) {
				continue
			}
			if _, err := fill.ParseAddress(cell); err != nil {
				if mended := fill.Mended(cell); mended != "" {
					err = fmt.Errorf("write %s", mended)
				}
				return fault("line %d, %s: %s", t.Line(i), t.Columns[k], err)
			}
		}
	}
	return nil
}

// isAddressColumn reports whether the cells of a column are addresses: one of the columns, in whatever language ("url
// de").
func isAddressColumn(column string, addresses []string) bool {
	name, _, _ := strings.Cut(column, " ")
	return slices.Contains(addresses, column) || slices.Contains(addresses, name)
}
