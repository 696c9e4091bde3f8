package script

import "omphalos/core/say"

// The sentences of the package.
var (
	questionTypeMissing     = say.New("script.question_type_missing", "the question type is missing")
	loadPageAgain           = say.New("script.load_page_again", "Load the page again.")
	questionTypeDoesntExist = say.New("script.question_type_doesnt_exist", "this question type doesn’t exist")
)
