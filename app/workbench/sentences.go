package workbench

import "omphalos/core/say"

// The sentences of the package.
var (
	newTextMissing                    = say.New("workbench.new_text_missing", "the new text is missing")
	loadPageAgain                     = say.New("workbench.load_page_again", "Load the page again.")
	conditionNoLongerExists           = say.New("workbench.condition_no_longer_exists", "this condition no longer exists")
	valueMissing                      = say.New("workbench.value_missing", "the value is missing")
	onlyQuestionsAnswersCanDuplicated = say.New("workbench.only_questions_answers_can_duplicated",
		"only questions and answers can be duplicated")
	columnNoLongerExists = say.New("workbench.column_no_longer_exists", "this column no longer exists")
	youCanAddAtMost      = say.New("workbench.you_can_add_at_most", "you can add at most %s columns at a time")
	typeFewerNames       = say.New("workbench.type_fewer_names", "Type fewer names.")
	answerMissing        = say.New("workbench.answer_missing", "the answer is missing")
	blockEmpty           = say.New("workbench.block_empty", "the block is empty")
	copyBlockCellsFirst  = say.New("workbench.copy_block_cells_first", "Copy a block of cells first.")
	youCanPasteAtMost    = say.New("workbench.you_can_paste_at_most", "you can paste at most %s rows")
	pasteFewerRows       = say.New("workbench.paste_fewer_rows", "Paste fewer rows.")
)
