// Package people keeps who can sign in and with what, which quizzes they see and what they did.
package people

import "omphalos/app/store/database"

// Tables are the tables of people, with the accounts before what belongs to them.
var Tables = []database.Model{
	{Of: &Account{}, Holds: "a colleague's email address, name and password's hash", Goes: database.WithAccount},
	{
		Of: &Session{}, Until: "expires_at", Holds: "a colleague's browser, in words",
		Goes: "signing out; 30 days; " + database.WithAccount,
	},
	{Of: &AccountQuiz{}, Quiz: true},
	{Of: &Invite{}, Holds: "a colleague's email address", Goes: "joining; withdrawing it"},
	{Of: &Reset{}, Until: "expires_at", Goes: "its use; an hour"},
	{Of: &Token{}, Holds: "a colleague's name of it", Goes: database.WithAccount},
	{Of: &JournalLine{}, Holds: "a colleague's email address; of a quiz that is purged its name", Goes: "two years"},
	{Of: &Repeat{}, Quiz: true, Holds: "what the API answered to a write", Goes: "a day"},
	{Of: &Seat{}, Quiz: true, Moment: true, Holds: "a colleague's email address", Goes: "closing the window"},
}
