// Package responses keeps what respondents answered and what came of it, and decides which response is taken. Many
// responses share one wait for the disk: see writer.
package responses

import (
	"slices"

	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
)

// Tables are the tables of responses and of what came of them.
var Tables = []database.Model{
	{
		Of:    &Response{},
		Quiz:  true,
		Holds: "answers, contact details, consent, parameters of the link",
		Goes:  database.WithResponse,
	},
	{Of: &Word{}, Quiz: true, Holds: "words of answers and contact details", Goes: database.WithResponse},
	{
		Of: &Invitation{}, Quiz: true, Holds: "name, email address, further columns of the list",
		Goes: "deleting the person; the time that responses are kept",
	},
	{Of: &Deal{}, Quiz: true, Response: true, Holds: "what came of a lead", Goes: database.WithResponse},
	{Of: &KeptFilter{}, Quiz: true, Holds: "a search for a person", Goes: database.WithResponse},
	{Of: &ResultLink{}, Quiz: true, Holds: "a search for a person", Goes: database.WithResponse},
	{Of: &Import{}, Quiz: true, Holds: "the name of a file"},
}

// namesOf are the names of the tables of which something is true, among those that a response reaches.
func namesOf(is func(database.Model) bool) []string {
	var out []string
	for _, t := range slices.Concat(deliveries.Tables, Tables) {
		if is(t) {
			out = append(out, database.NameOf(t.Of))
		}
	}
	return out
}

var (
	ofResponses = namesOf(func(t database.Model) bool { return t.Response })
	ofContacts  = namesOf(func(t database.Model) bool { return t.Contact })
)
