package endings

import (
	"fmt"

	"omphalos/app/workbench"
	"omphalos/core/quiz"
)

// sheetRow is an outcome as a row of the sheet of all outcomes; the last row makes a new one.
type sheetRow struct {
	At    string // "" for the one that makes a new outcome
	Fresh bool
	Cells []sheetCell
}

type sheetCell struct {
	Field, Label, Value string
	At                  string // the place of the cell, not of the document: several cells are one ending
}

// SheetHeads are the columns of the sheet.
func (s *view) SheetHeads() []workbench.OutcomeField { return workbench.OutcomeFields }

func sheetRows(d *quiz.Document) []sheetRow {
	var out []sheetRow
	put := func(row sheetRow, at, of string, o *quiz.Outcome) {
		for _, field := range workbench.OutcomeFields {
			row.Cells = append(row.Cells, sheetCell{
				Field: field.ID, Label: fmt.Sprintf("%s of %s", field.Head, of),
				Value: field.Of(o), At: at + "/sheet/" + field.ID,
			})
		}
		out = append(out, row)
	}
	for i := range d.Outcomes {
		at := d.At("outcomes", i)
		put(sheetRow{At: at}, at, d.Outcomes[i].Title(), &d.Outcomes[i])
	}
	put(sheetRow{Fresh: true}, "/outcomes/-", "a new outcome", &quiz.Outcome{})
	return out
}
