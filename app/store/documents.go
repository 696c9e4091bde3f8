package store

// documentTables are the tables of quizzes.
var documentTables = []Model{
	{Of: &Quiz{}, Holds: "what its authors type"},
	{Of: &Picture{}, Holds: "what a colleague says of a picture"},
	{Of: &PictureSize{}},
	{Of: &Link{}, Quiz: true},
	{Of: &Revision{}, Quiz: true, Holds: "what its authors type"},
	{Of: &History{}, Quiz: true},
	{Of: &Version{}, Quiz: true, Holds: "what its authors type"},
	{Of: &DataTable{}, Quiz: true, Holds: "what its authors type"},
	{Of: &DataTableChange{}, Quiz: true, Holds: "what its authors type"},
	{Of: &Miss{}, Quiz: true, Holds: "a parameter of a link that a table did not have", Goes: WithResponse},
	{Of: &RehearsalLink{}, Quiz: true, Until: "ends", Holds: "what its authors type", Goes: "revoking it; two weeks"},
	{Of: &Place{}, Quiz: true},
	{Of: &Handout{}, Quiz: true},
	{Of: &HandoutTally{}, Quiz: true},
}
