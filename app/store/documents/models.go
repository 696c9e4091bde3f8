// Package documents keeps quizzes: drafts with their edits and versions, the tables, pictures and files next to them,
// and the names and places that they are reached by.
package documents

import "omphalos/app/store/database"

// Tables are the tables of quizzes.
var Tables = []database.Model{
	{Of: &Quiz{}, Holds: "what its authors type"},
	{Of: &Picture{}, Holds: "what a colleague says of a picture"},
	{Of: &PictureSize{}},
	{Of: &Link{}, Quiz: true},
	{Of: &Revision{}, Quiz: true, Holds: "what its authors type"},
	{Of: &History{}, Quiz: true},
	{Of: &Version{}, Quiz: true, Holds: "what its authors type"},
	{Of: &DataTable{}, Quiz: true, Holds: "what its authors type"},
	{Of: &DataTableChange{}, Quiz: true, Holds: "what its authors type"},
	{Of: &Miss{}, Quiz: true, Holds: "a parameter of a link that a table did not have", Goes: database.WithResponse},
	{Of: &RehearsalLink{}, Quiz: true, Until: "ends", Holds: "what its authors type", Goes: "revoking it; two weeks"},
	{Of: &Place{}, Quiz: true},
	{Of: &Handout{}, Quiz: true},
	{Of: &HandoutTally{}, Quiz: true},
}
