package store

// deliveryTables are the tables of what is on its way.
var deliveryTables = []Model{
	{Of: &HeldPlace{}, Quiz: true, Until: "expires_at", Holds: "answers, sealed", Goes: "a day"},
	{Of: &Hook{}, Quiz: true, Holds: "an address that a colleague typed"},
	{
		Of: &Delivery{}, Quiz: true, Response: true, Contact: true,
		Holds: "what was sent of a response", Goes: WithResponse + "; 30 days",
	},
	{
		Of: &Mail{}, Quiz: true, Response: true, Contact: true,
		Holds: "email addresses, and what was written", Goes: WithResponse + "; what was written after 7 days",
	},
	{Of: &PausedMessage{}, Quiz: true},
	{Of: &Agreed{}, Quiz: true, Response: true, Contact: true, Holds: "name, email address, consent", Goes: WithResponse},
}
