package store

import (
	"sync"

	"gorm.io/gorm/schema"
)

// personalTable is one table of the database: whose its lines are, what of a person they can hold, and what takes that
// away.
type personalTable struct {
	of any // the model

	quiz     bool // its lines belong to a quiz (quiz_id), and are purged with it
	response bool // and to a response (response_id), and go with it
	contact  bool // and are deleted when the contact details of the response are forgotten, which they repeat
	moment   bool // no one misses its lines when the database is killed

	until string // the column with the time from which on a line is of no use: it is dropped then

	holds string // of a person; "" is nothing
	goes  string // what takes that away next to a purge of the quiz
}

// What takes lines away, for many tables.
const (
	withAccount  = "removing the account"
	withResponse = "deleting the response or the person; the time that responses are kept"
)

// catalogue lists all tables, in the order in which they are made. One that is not listed would not be purged or moved,
// nor looked at when a person is deleted: a test compares the list with the database.
var catalogue = []personalTable{
	{of: &Account{}, holds: "a colleague's email address, name and password's hash", goes: withAccount},
	{
		of: &Session{}, until: "expires_at", holds: "a colleague's browser, in words",
		goes: "signing out; 30 days; " + withAccount,
	},
	{of: &Secret{}},
	{of: &Quiz{}, holds: "what its authors type"},
	{of: &Health{}},
	{of: &Picture{}, holds: "what a colleague says of a picture"},
	{of: &PictureSize{}},
	{of: &AccountQuiz{}, quiz: true},
	{of: &Invite{}, holds: "a colleague's email address", goes: "joining; withdrawing it"},
	{of: &Reset{}, until: "expires_at", goes: "its use; an hour"},
	{of: &Token{}, holds: "a colleague's name of it", goes: withAccount},
	{of: &JournalLine{}, holds: "a colleague's email address; of a quiz that is purged its name", goes: "two years"},
	{of: &Attempt{}, moment: true},
	{of: &Bucket{}, moment: true},

	{of: &Repeat{}, quiz: true, holds: "what the API answered to a write", goes: "a day"},
	{of: &Link{}, quiz: true},
	{of: &Revision{}, quiz: true, holds: "what its authors type"},
	{of: &History{}, quiz: true},
	{of: &Version{}, quiz: true, holds: "what its authors type"},
	{of: &Response{}, quiz: true, holds: "answers, contact details, consent, parameters of the link", goes: withResponse},
	{of: &DataTable{}, quiz: true, holds: "what its authors type"},
	{of: &DataTableChange{}, quiz: true, holds: "what its authors type"},
	{of: &Miss{}, quiz: true, holds: "a parameter of a link that a table did not have", goes: withResponse},
	{of: &StageTally{}, quiz: true},
	{of: &DayTally{}, quiz: true},
	{of: &SliceTally{}, quiz: true},
	{of: &AnswerTally{}, quiz: true},
	{of: &KnownValue{}, quiz: true},
	{of: &HeldPlace{}, quiz: true, until: "expires_at", holds: "answers, sealed", goes: "a day"},
	{of: &Word{}, quiz: true, holds: "words of answers and contact details", goes: withResponse},
	{of: &RehearsalLink{}, quiz: true, until: "ends", holds: "what its authors type", goes: "revoking it; two weeks"},
	{
		of: &Invitation{}, quiz: true, holds: "name, email address, further columns of the list",
		goes: "deleting the person; the time that responses are kept",
	},
	{of: &Place{}, quiz: true},
	{of: &Deal{}, quiz: true, response: true, holds: "what came of a lead", goes: withResponse},
	{of: &KeptFilter{}, quiz: true, holds: "a search for a person", goes: withResponse},
	{of: &ResultLink{}, quiz: true, holds: "a search for a person", goes: withResponse},
	{of: &ForgottenTally{}, quiz: true},
	{of: &Import{}, quiz: true, holds: "the name of a file"},
	{of: &Hook{}, quiz: true, holds: "an address that a colleague typed"},
	{
		of: &Delivery{}, quiz: true, response: true, contact: true,
		holds: "what was sent of a response", goes: withResponse + "; 30 days",
	},
	{
		of: &Mail{}, quiz: true, response: true, contact: true,
		holds: "email addresses, and what was written", goes: withResponse + "; what was written after 7 days",
	},
	{of: &PausedMessage{}, quiz: true},
	{of: &Agreed{}, quiz: true, response: true, contact: true, holds: "name, email address, consent", goes: withResponse},
	{of: &Handout{}, quiz: true},
	{of: &HandoutTally{}, quiz: true},
	{of: &Seat{}, quiz: true, moment: true, holds: "a colleague's email address", goes: "closing the window"},
}

// tablesThat are the models of the tables that something is true of.
func tablesThat(is func(personalTable) bool) []any {
	var out []any
	for _, t := range catalogue {
		if is(t) {
			out = append(out, t.of)
		}
	}
	return out
}

var (
	ofQuizzes   = tablesThat(func(t personalTable) bool { return t.quiz })
	ofTheMoment = tablesThat(func(t personalTable) bool { return t.moment })
	ofResponses = namesOf(tablesThat(func(t personalTable) bool { return t.response }))
	ofContacts  = namesOf(tablesThat(func(t personalTable) bool { return t.contact }))
)

func allTables() []any { return tablesThat(func(personalTable) bool { return true }) }

// nameOf is the name of a model's table in the database.
func nameOf(model any) string {
	parsed, err := schema.Parse(model, &sync.Map{}, schema.NamingStrategy{})
	if err != nil {
		panic(err) // a model that GORM cannot read: no test would pass
	}
	return parsed.Table
}

func namesOf(models []any) []string {
	out := make([]string, len(models))
	for i, model := range models {
		out[i] = nameOf(model)
	}
	return out
}
