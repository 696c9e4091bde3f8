// Package tallies keeps how often what happened. A tally costs the same however many responses there are; each is what
// a recount of the responses gives, since both are written by one transaction.
package tallies

import "omphalos/app/store/database"

// Tables are the tables of tallies. They hold numbers, and sources and parameters that tell walks apart.
var Tables = []database.Model{
	{Of: &StageTally{}, Quiz: true},
	{Of: &DayTally{}, Quiz: true},
	{Of: &SliceTally{}, Quiz: true},
	{Of: &AnswerTally{}, Quiz: true},
	{Of: &KnownValue{}, Quiz: true},
	{Of: &ForgottenTally{}, Quiz: true},
}
