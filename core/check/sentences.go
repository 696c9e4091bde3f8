package check

import "omphalos/core/say"

// The sentences of the package.
var (
	checkFails          = say.New("check.check_fails", "Check “%s” fails: %s")
	ofCheck             = say.New("check.of_check", "check “%s”: %s")
	useTheForm          = say.New("check.use_the_form", "Use the form 2027-03-01.")
	isntADate           = say.New("check.isnt_a_date", "“%s” isn’t a date")
	removeAnswerOrUseID = say.New("check.remove_answer_or_use_id",
		"Remove this answer, or use the ID of an existing question.")
	unknownQuestion                = say.New("check.unknown_question", "unknown question “%s”")
	useAnswerQuestionAllows        = say.New("check.use_answer_question_allows", "Use an answer that the question allows.")
	isntPossibleAnswer             = say.New("check.isnt_possible_answer", "this isn’t a possible answer to “%s”: %s")
	addExpectedResultOutcomeScales = say.New("check.add_expected_result_outcome_scales",
		"Add an expected result: an outcome, scales, an address, products or a path.")
	checkHasNoExpectedResult         = say.New("check.check_has_no_expected_result", "the check has no expected result")
	chooseExistingOutcome            = say.New("check.choose_existing_outcome", "Choose an existing outcome.")
	unknownOutcome                   = say.New("check.unknown_outcome", "unknown outcome “%s”")
	chooseExistingScale              = say.New("check.choose_existing_scale", "Choose an existing scale.")
	unknownScale                     = say.New("check.unknown_scale", "unknown scale “%s”")
	useProductEndingOrRecommendation = say.New("check.use_product_ending_or_recommendation",
		"Use a product that an ending or recommendation shows.")
	noEndingShowsProduct  = say.New("check.no_ending_shows_product", "no ending shows the product “%s”")
	useIDExistingQuestion = say.New("check.use_id_existing_question", "Use the ID of an existing question.")
)
