package store

// tallyTables are the tables of tallies. They hold numbers, and sources and parameters that tell walks apart.
var tallyTables = []Model{
	{Of: &StageTally{}, Quiz: true},
	{Of: &DayTally{}, Quiz: true},
	{Of: &SliceTally{}, Quiz: true},
	{Of: &AnswerTally{}, Quiz: true},
	{Of: &KnownValue{}, Quiz: true},
	{Of: &ForgottenTally{}, Quiz: true},
}
