package sheet

import "omphalos/core/say"

// The sentences of the package.
var (
	thereNoQuestionsBelowColumn = say.New("sheet.there_no_questions_below_column",
		"there are no questions below the column names")
	columnAppearsTwice        = say.New("sheet.column_appears_twice", "the column appears twice")
	unknownColumnUseScaleName = say.New("sheet.unknown_column_use_scale_name",
		"unknown column; use %s, scale.NAME or keyword.NAME")
	columnMissingPutColumnNames = say.New("sheet.column_missing_put_column_names",
		"this column is missing; put the column names in the first line")
	questionTypeCantHaveAnswers = say.New("sheet.question_type_cant_have_answers",
		"a question of type %q can’t have answers to choose from")
	cantIDStartWithLetter = say.New("sheet.cant_id_start_with_letter",
		"%q can’t be an ID; start with a letter and use only letters, digits and _")
	questionHasNoText    = say.New("sheet.question_has_no_text", "the question has no text")
	isntQuestionType     = say.New("sheet.isnt_question_type", "%q isn’t a question type")
	useYesOrNo           = say.New("sheet.use_yes_or_no", "use yes or no")
	cantIDUseOnlyLetters = say.New("sheet.cant_id_use_only_letters",
		"%q can’t be an ID; use only letters, digits and _")
	answerAppearsTwiceInQuestion = say.New("sheet.answer_appears_twice_in_question",
		"the answer %q appears twice in question %q")
	rowsMustNamedFactorOffset = say.New("sheet.rows_must_named_factor_offset",
		"rows of a %s must be named factor, offset or “from 3”, not %q")
	neitherQuestionNorAnswerStart = say.New("sheet.neither_question_nor_answer_start",
		"“%s” is neither a question nor an answer; start questions with “1.” and answers with “-”")
	hasMoreThanDecimals             = say.New("sheet.has_more_than_decimals", "%s has more than 4 decimals")
	isTooLarge                      = say.New("sheet.is_too_large", "%s is too large")
	theresAnswerBeforeFirstQuestion = say.New("sheet.theres_answer_before_first_question",
		"there’s an answer before the first question")
	answerHasNoText       = say.New("sheet.answer_has_no_text", "the answer has no text")
	couldMeanOrUseDecimal = say.New("sheet.could_mean_or_use_decimal",
		"[%s] could mean %s.%s, or %s and %s; use a decimal point, or put the scale’s name before each "+
			"number")
	notWeight             = say.New("sheet.not_weight", "%q is not a weight: %v")
	isntWeightUseFormSuch = say.New("sheet.isnt_weight_use_form_such",
		"%q isn’t a weight; use a form such as 3, Fit 3, #Fern, #Fern 2 or right")
	thereNoQuestionsTypeOne = say.New("sheet.there_no_questions_type_one",
		"there are no questions; type one like “1. What do you want to ask?”")
	isntLanguageUseCodeSuch = say.New("sheet.isnt_language_use_code_such",
		"%q isn’t a language; use a code such as de or pt-BR as the column heading")
	theresNoColumnAnotherLanguage = say.New("sheet.theres_no_column_another_language",
		"there’s no column for another language; add one headed with its code, such as de")
	quizHasNoText = say.New("sheet.quiz_has_no_text", "this quiz has no text %q")
)
