package store

import (
	"slices"

	"omphalos/app/store/attempts"
	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
	"omphalos/app/store/people"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
)

// catalogue lists all tables, in the order in which they are made. One that is not listed would not be purged or moved,
// nor looked at when a person is deleted: a test compares the list with the database.
var catalogue = slices.Concat(
	database.Tables,
	people.Tables,
	attempts.Tables,
	documents.Tables,
	deliveries.Tables,
	tallies.Tables,
	responses.Tables,
)

// tablesThat are the models of the tables that something is true of.
func tablesThat(is func(database.Model) bool) []any {
	var out []any
	for _, t := range catalogue {
		if is(t) {
			out = append(out, t.Of)
		}
	}
	return out
}

var (
	ofQuizzes   = tablesThat(func(t database.Model) bool { return t.Quiz })
	ofTheMoment = tablesThat(func(t database.Model) bool { return t.Moment })
)

func allTables() []any { return tablesThat(func(database.Model) bool { return true }) }
