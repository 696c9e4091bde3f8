// Package deliveries keeps what is on its way: mails, events of webhooks, answers of a walk that are too long for an
// address, and who is on a mailing list.
package deliveries

import "omphalos/app/store/database"

// Tables are the tables of what is on its way.
var Tables = []database.Model{
	{Of: &HeldPlace{}, Quiz: true, Until: "expires_at", Holds: "answers, sealed", Goes: "a day"},
	{Of: &Hook{}, Quiz: true, Holds: "an address that a colleague typed"},
	{
		Of: &Delivery{}, Quiz: true, Response: true, Contact: true,
		Holds: "what was sent of a response", Goes: database.WithResponse + "; 30 days",
	},
	{
		Of: &Mail{}, Quiz: true, Response: true, Contact: true,
		Holds: "email addresses, and what was written", Goes: database.WithResponse + "; what was written after 7 days",
	},
	{Of: &PausedMessage{}, Quiz: true},
	{
		Of:       &Agreed{},
		Quiz:     true,
		Response: true,
		Contact:  true,
		Holds:    "name, email address, consent",
		Goes:     database.WithResponse,
	},
}
