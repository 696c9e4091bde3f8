package store

import "slices"

// responseTables are the tables of responses and of what came of them.
var responseTables = []Model{
	{Of: &Response{}, Quiz: true, Holds: "answers, contact details, consent, parameters of the link", Goes: WithResponse},
	{Of: &Word{}, Quiz: true, Holds: "words of answers and contact details", Goes: WithResponse},
	{
		Of: &Invitation{}, Quiz: true, Holds: "name, email address, further columns of the list",
		Goes: "deleting the person; the time that responses are kept",
	},
	{Of: &Deal{}, Quiz: true, Response: true, Holds: "what came of a lead", Goes: WithResponse},
	{Of: &KeptFilter{}, Quiz: true, Holds: "a search for a person", Goes: WithResponse},
	{Of: &ResultLink{}, Quiz: true, Holds: "a search for a person", Goes: WithResponse},
	{Of: &Import{}, Quiz: true, Holds: "the name of a file"},
}

// namesOf are the names of the tables of which something is true, among those that a response reaches.
func namesOf(is func(Model) bool) []string {
	var out []string
	for _, t := range slices.Concat(deliveryTables, responseTables) {
		if is(t) {
			out = append(out, nameOf(t.Of))
		}
	}
	return out
}

var (
	ofResponses = namesOf(func(t Model) bool { return t.Response })
	ofContacts  = namesOf(func(t Model) bool { return t.Contact })
)
