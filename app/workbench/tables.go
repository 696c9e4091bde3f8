package workbench

import (
	"fmt"
	"slices"

	"omphalos/app/store"
	"omphalos/core/quiz"
)

// tableProblems finds tables that the quiz asks for and that are not beside it, or lack the column or any line.
func tableProblems(d *quiz.Document, tables []store.Table) quiz.Problems {
	var out quiz.Problems
	miss := func(where, name, column string) {
		i := slices.IndexFunc(tables, func(t store.Table) bool { return t.Name == name })
		p := quiz.Problem{Where: where, Mend: "Make it in Endings, under the tables beside the quiz."}
		switch {
		case i < 0:
			p.Message = fmt.Sprintf("there is no table %q beside the quiz", name)
		case len(tables[i].Rows) == 0:
			p.Message = fmt.Sprintf("the table %q has no lines yet", name)
		case column != "" && !slices.Contains(tables[i].Columns, column):
			p.Message = fmt.Sprintf("the table %q has no column %q", name, column)
		default:
			return
		}
		out = append(out, p)
	}
	for i := range d.Questions {
		if f := d.Questions[i].ChoicesFrom; f != nil {
			miss(quiz.Pointer("questions", i, "choices_from"), f.Table, f.Label)
		}
	}
	for i := range d.Outcomes {
		e := d.Outcomes[i].Ending
		if e != nil && e.Kind == quiz.EndRedirect && e.Lookup != nil && e.Lookup.Fallback == "" && e.URL == "" {
			miss(quiz.Pointer("outcomes", i, "ending", "lookup"), e.Lookup.Table, e.Lookup.Column)
		}
		if e != nil && e.Kind == quiz.EndProducts && (len(e.Products) > 0 || d.Recommendations != nil) {
			miss(quiz.Pointer("outcomes", i, "ending", "products"), "catalogue", "")
		}
	}
	return out
}
