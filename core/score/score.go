// Package score scores a table of answers, one row per respondent.
package score

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"omphalos/core/fact"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/sheet"
	"omphalos/core/walk"
)

// A BadCell names a cell that could not be read, or a row that has no answer where one is required.
type BadCell struct {
	Row     int    // line of the table, the head being 1
	Column  string // "" for the whole row
	Message string
}

// Error is one line of the report.
func (b BadCell) Error() string {
	if b.Column == "" {
		return fmt.Sprintf("row %d: %s", b.Row, b.Message)
	}
	return fmt.Sprintf("row %d, column %s: %s", b.Row, b.Column, b.Message)
}

// table maps the columns of a head to what they feed.
type table struct {
	c       *walk.Compiled
	head    []string
	columns map[string]int
}

// Table reads CSV with a head of question ids (ID.ROW for a grid row), visitor.country, param.x, and any other columns,
// and writes the same columns followed by the results of each row. Rows with a bad cell keep their place with their
// results left empty, and are reported. today is the fact of that name. An error is a table that cannot be read at all.
func Table(c *walk.Compiled, in io.Reader, out io.Writer, today string) ([]BadCell, error) {
	r, err := NewReader(c, in, today)
	if err != nil {
		return nil, err
	}
	w := sheet.NewPlainCSVWriter(out)
	results := Columns(c.Doc)
	if err := w.Write(slices.Concat(r.Head, results)); err != nil {
		return nil, err
	}
	var bad []BadCell
	for {
		row, err := r.Next()
		if errors.Is(err, io.EOF) {
			return bad, nil
		}
		if err != nil {
			return bad, err
		}
		bad = append(bad, row.Bad...)
		values := make([]string, len(results))
		if row.Result != nil {
			values = Cells(c.Doc, row.Result)
		}
		if err := w.Write(slices.Concat(row.Cells, values)); err != nil {
			return bad, err
		}
	}
}

// Reader reads a table of answers, a row a respondent.
type Reader struct {
	Head    []string
	table   *table
	records *sheet.CSV
	today   string
	n       int
}

// Row is one respondent.
type Row struct {
	Number int      // 1 for the first row below the head
	Cells  []string // as many as the head has
	Input  walk.Input
	Result *walk.Result // nil where the row can't be accepted
	Bad    []BadCell    // why not
}

// NewReader reads the head of a table of answers: see Table.
func NewReader(c *walk.Compiled, in io.Reader, today string) (*Reader, error) {
	data, err := io.ReadAll(in)
	if err != nil {
		return nil, err
	}
	records := sheet.NewCSV(data, ',')
	head, _, err := records.Next()
	if errors.Is(err, io.EOF) {
		return nil, tableAnswersEmptyPutColumn.Error()
	}
	if err != nil {
		return nil, err
	}
	t, err := newTable(c, head)
	return &Reader{Head: head, table: t, records: records, today: today}, err
}

// Next reads a row; io.EOF after the last.
func (r *Reader) Next() (*Row, error) {
	record, line, err := r.records.Next()
	r.n++
	row := &Row{Number: r.n}
	var badLine *sheet.BadLine
	switch {
	case errors.As(err, &badLine):
		row.Bad = append(row.Bad, BadCell{Row: line, Message: badLine.Why})
		row.Cells = r.table.fit(badLine.Cells)
		return row, nil
	case err != nil:
		return nil, err
	case len(record) > len(r.Head):
		row.Bad = append(row.Bad, BadCell{line, fmt.Sprint(len(r.Head) + 1), "there are more cells than columns"})
	}
	row.Cells = r.table.fit(record)
	in, result, cells := r.table.row(row.Cells, line, r.today)
	row.Bad, row.Input = append(row.Bad, cells...), in
	if len(cells) == 0 {
		row.Result = result
	}
	return row, nil
}

// newTable reads the head of a table.
func newTable(c *walk.Compiled, head []string) (*table, error) {
	t := &table{c: c, head: head, columns: map[string]int{}}
	for i, name := range head {
		name = strings.TrimSpace(name)
		if _, twice := t.columns[name]; twice && t.feeds(name) {
			return nil, columnAppearsTwiceRemoveOne.Error(name)
		}
		t.columns[name] = i
	}
	return t, nil
}

// fit gives a record as many cells as the head has.
func (t *table) fit(record []string) []string {
	out := make([]string, len(t.head))
	copy(out, record)
	return out
}

// feeds reports whether the column is read.
func (t *table) feeds(name string) bool {
	if fact.Find(name) != nil || strings.HasPrefix(name, "visitor.") {
		return true
	}
	for i := range t.c.Doc.Questions {
		for _, f := range kind.FieldNames(&t.c.Doc.Questions[i]) {
			if f == name {
				return true
			}
		}
	}
	return false
}

func (t *table) row(record []string, line int, today string) (walk.Input, *walk.Result, []BadCell) {
	var bad []BadCell
	in := walk.Input{Answers: map[string]walk.Answer{}, Params: map[string]string{}, Today: today}
	for i := range t.c.Doc.Questions {
		q := &t.c.Doc.Questions[i]
		a, err := kind.Read(q, func(field string) []string { return t.cell(q, record, field) })
		if err != nil {
			bad = append(bad, cellOf(q, line, err))
			continue
		}
		in.Answers[q.ID] = a
	}
	visit := in.Visit()
	for name, i := range t.columns {
		if k, value := fact.Find(name), strings.TrimSpace(record[i]); k != nil && value != "" {
			if err := k.Set(&visit, value); err != nil {
				bad = append(bad, BadCell{line, name, err.Error()})
			}
		}
	}
	in.From(visit)
	if len(bad) > 0 {
		return in, nil, bad
	}
	result := t.c.Walk(in)
	for _, id := range result.Path {
		q := &t.c.Doc.Questions[t.c.Doc.Question(id)]
		if err := kind.Check(q, in.Answers[id]); err != nil {
			bad = append(bad, cellOf(q, line, err))
		}
	}
	return in, result, bad
}

// cell splits a cell into values. A cell that is wholly the label of a choice is that choice, even with a "|" in it,
// unless its parts are all ids.
func (t *table) cell(q *quiz.Question, record []string, field string) []string {
	i, ok := t.columns[field]
	if !ok {
		return nil
	}
	value := strings.TrimSpace(record[i])
	if !kind.Of(q).About().Many {
		return []string{value}
	}
	parts := strings.Split(value, "|")
	if !slices.ContainsFunc(parts, func(id string) bool { return q.Choice(strings.TrimSpace(id)) < 0 }) {
		return parts
	}
	for _, c := range q.Choices {
		if strings.EqualFold(c.Label, value) {
			return []string{value}
		}
	}
	return parts
}

func cellOf(q *quiz.Question, line int, err error) BadCell {
	var field *walk.FieldError
	if errors.As(err, &field) {
		return BadCell{line, field.Field, field.Error()}
	}
	return BadCell{line, q.ID, err.Error()}
}

// Columns names the results of a walk.
func Columns(d *quiz.Document) []string {
	var out []string
	for _, s := range d.Scales {
		out = append(out, "scale."+s.ID)
	}
	for _, s := range d.Scales {
		out = append(out, "percent."+s.ID)
	}
	for _, k := range d.Keywords {
		out = append(out, "keyword."+k.ID)
	}
	for _, c := range d.Computed {
		out = append(out, "computed."+c.ID)
	}
	return append(out, "leader", "outcome", "verdict", "path")
}

// Cells are the results of a walk, in the order of Columns.
func Cells(d *quiz.Document, r *walk.Result) []string {
	var out []string
	numbers := func(list []rule.Number) {
		for _, n := range list {
			out = append(out, n.String())
		}
	}
	numbers(r.Scales)
	for _, p := range r.Percents {
		out = append(out, p.Number().String())
	}
	numbers(r.Keywords)
	for _, v := range r.Computed {
		out = append(out, v.String())
	}
	return append(out, r.Leader, r.Outcome, r.LineName(), strings.Join(r.Path, "|"))
}
