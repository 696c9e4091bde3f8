package leads

import (
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/sheet"
	"strings"
)

// spelledOut are the columns whose answers exports write in words: of several choices, and of all rows of a grid.
type spelledOut struct {
	d     *quiz.Document
	at    map[int]int // by column: the position of its question
	grids []int       // columns of grids; their rows get columns of their own at the end
	width int         // of the table as it came
}

// newSpelledOut finds these columns by the names that a head has been given, and adds the rows of grids to it.
func newSpelledOut(d *quiz.Document, head []string) (*spelledOut, []string) {
	s := &spelledOut{d: d, at: map[int]int{}, width: len(head)}
	for i := range s.width {
		n := d.Question(head[i])
		if n < 0 {
			continue
		}
		q := &d.Questions[n]
		switch about := kind.Of(q).About(); {
		case about.Rows:
			s.at[i], s.grids = n, append(s.grids, i)
			head[i] = "all of " + q.ID
			head = append(head, kind.FieldNames(q)...)
		case about.Many:
			s.at[i] = n
		}
	}
	return s, head
}

// write writes a record the way that tables of scores do.
func (s *spelledOut) write(record []string) []string {
	for i := range record {
		record[i] = sheet.Unguard(record[i])
	}
	for i, n := range s.at {
		if i >= len(record) || strings.Contains(record[i], "|") {
			continue
		}
		if ids, ok := kind.PicksInWords(&s.d.Questions[n], record[i]); ok {
			record[i] = strings.Join(ids, "|")
		}
	}
	for len(s.grids) > 0 && len(record) < s.width {
		record = append(record, "")
	}
	for _, i := range s.grids {
		q := &s.d.Questions[s.at[i]]
		rows := map[string]string{}
		if i < len(record) {
			if found, ok := kind.RowsInWords(q, record[i]); ok {
				rows = found
			} else { // what is no answer is told as one of the first row
				rows[q.Rows[0].ID] = record[i]
			}
		}
		for _, row := range q.Rows {
			record = append(record, rows[row.ID])
		}
	}
	return record
}
