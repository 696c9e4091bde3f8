package score

import "omphalos/core/say"

// The sentences of the package.
var (
	tableAnswersEmptyPutColumn = say.New("score.table_answers_empty_put_column",
		"the table of answers is empty; put the column names in the first row")
	columnAppearsTwiceRemoveOne = say.New("score.column_appears_twice_remove_one",
		"the column %q appears twice; remove one")
)
