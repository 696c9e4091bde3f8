package store

import "slices"

// catalogue lists all tables, in the order in which they are made. One that is not listed would not be purged or moved,
// nor looked at when a person is deleted: a test compares the list with the database.
var catalogue = slices.Concat(baseTables, peopleTables, documentTables, deliveryTables, tallyTables, responseTables)

// tablesThat are the models of the tables that something is true of.
func tablesThat(is func(Model) bool) []any {
	var out []any
	for _, t := range catalogue {
		if is(t) {
			out = append(out, t.Of)
		}
	}
	return out
}

var (
	ofQuizzes   = tablesThat(func(t Model) bool { return t.Quiz })
	ofTheMoment = tablesThat(func(t Model) bool { return t.Moment })
)

func allTables() []any { return tablesThat(func(Model) bool { return true }) }
