package quiz

import "omphalos/core/say"

// The sentences of the package.
var (
	giveItUniqueID         = say.New("quiz.give_it_unique_id", "Give it a unique ID.")
	idIsTaken              = say.New("quiz.id_is_taken", "the id %q is already used by %s")
	moreProblems           = say.New("quiz.more_problems", "there are more than %d problems")
	fixTheseFirst          = say.New("quiz.fix_these_first", "Fix these first.")
	useBarsOrRadar         = say.New("quiz.use_bars_or_radar", "Use bars or radar.")
	chartHasNoType         = say.New("quiz.chart_has_no_type", "the chart has no type")
	useScaleIDPercentID    = say.New("quiz.use_scale_id_percent_id", "Use scale.ID, percent.ID or percentile.ID.")
	chartCantShow          = say.New("quiz.chart_cant_show", "a chart can’t show %q")
	giveListSuchPercentFit = say.New("quiz.give_list_such_percent_fit",
		`Give a list such as ["percent.fit"], or "keywords".`)
	chartShowsNothing      = say.New("quiz.chart_shows_nothing", "the chart shows nothing")
	splitIntoTwoCharts     = say.New("quiz.split_into_two_charts", "Split it into two charts.")
	chartCanShowUpValues   = say.New("quiz.chart_can_show_up_values", "a chart can show up to %d values")
	addValuesOrChangeBars  = say.New("quiz.add_values_or_change_bars", "Add values, or change it to bars.")
	radarChartNeedsAtLeast = say.New("quiz.radar_chart_needs_at_least", "a radar chart needs at least %d values")
	removeOrCheckSpelling  = say.New("quiz.remove_or_check_spelling", "Remove it, or check the spelling.")
	useNumberAtLeast       = say.New("quiz.use_number_at_least", "Use a number of at least %s.")
	useNumberAtMost        = say.New("quiz.use_number_at_most", "Use a number of at most %s.")
	unknownField           = say.New("quiz.unknown_field", "unknown field %q")
	addText                = say.New("quiz.add_text", `Add "%s".`)
	fieldMissing           = say.New("quiz.field_missing", "the field %q is missing")
	writeHere              = say.New("quiz.write_here", "Write %s here.")
	thisIs                 = say.New("quiz.this_is", "this is %s")
	useOneOf               = say.New("quiz.use_one_of", "Use one of %s.")
	isntAllowedHere        = say.New("quiz.isnt_allowed_here", "%q isn’t allowed here")
	writeText              = say.New("quiz.write_text", `Write "%s".`)
	useTextInQuotesNumber  = say.New("quiz.use_text_in_quotes_number",
		"Use text in quotes, a number, or a list of these.")
	valueHasWrongForm = say.New("quiz.value_has_wrong_form", "this value has the wrong form")
	writeAllAnyNoneAt = say.New("quiz.write_all_any_none_at",
		`Write {"all":[…]}, {"any":[…]}, {"none":[…]}, {"at_least":2,"of":[…]} or `+
			`{"fact":…,"op":…,"value":…}.`)
	conditionExactlyOneAllAny = say.New("quiz.condition_exactly_one_all_any",
		"a condition is exactly one of all, any, none, at_least and a comparison")
	useWholeNumberFromOr = say.New("quiz.use_whole_number_from_or",
		"Use a whole number from 1 to %d, or add conditions.")
	atLeastConditionsCantMet = say.New("quiz.at_least_conditions_cant_met",
		"“at least %d of %d conditions” can’t be met")
	chooseWhatCompareSuchAnswer = say.New("quiz.choose_what_compare_such_answer",
		"Choose what to compare, such as answer.area.")
	comparisonHasNoFact     = say.New("quiz.comparison_has_no_fact", "the comparison has no fact")
	addComparisonSuch       = say.New("quiz.add_comparison_such", "Add a comparison, such as is.")
	comparisonHasNoOp       = say.New("quiz.comparison_has_no_op", "the comparison has no op")
	addAValue               = say.New("quiz.add_a_value", "Add a value.")
	needsValueCompareWith   = say.New("quiz.needs_value_compare_with", "“%s” needs a value to compare with")
	useOneValueOrUse        = say.New("quiz.use_one_value_or_use", "Use one value, or use in or not_in.")
	needsSingleValueNotList = say.New("quiz.needs_single_value_not_list", "“%s” needs a single value, "+
		"not a list")
	useListTwoNumbers       = say.New("quiz.use_list_two_numbers", "Use a list of two numbers.")
	betweenNeedsTwoValues   = say.New("quiz.between_needs_two_values", "“between” needs two values")
	putInList               = say.New("quiz.put_in_list", "Put it in a list […].")
	needsAList              = say.New("quiz.needs_a_list", "“%s” needs a list")
	useOnAnswerDateQuestion = say.New("quiz.use_on_answer_date_question", "Use it on the answer to a "+
		"date question.")
	datesOnly             = say.New("quiz.dates_only", "%s is for dates only")
	giveNumberYearsOrDays = say.New("quiz.give_number_years_or_days", "Give a number of years or days, "+
		"such as 18.")
	takesANumber                      = say.New("quiz.takes_a_number", "%s takes a number")
	isntSomethingConditionsCanCompare = say.New("quiz.isnt_something_conditions_can_compare",
		"%q isn’t something conditions can compare")
	useIDExistingKeyword   = say.New("quiz.use_id_existing_keyword", "Use the ID of an existing keyword.")
	keywordDoesntExist     = say.New("quiz.keyword_doesnt_exist", "keyword %q doesn’t exist")
	useIDAnswerQuestion    = say.New("quiz.use_id_answer_question", "Use the id of an answer of that question.")
	questionHasNoAnswer    = say.New("quiz.question_has_no_answer", "question %q has no answer %q")
	useInVerdictsOrIn      = say.New("quiz.use_in_verdicts_or_in", "Use it in Verdicts or in a rule, or delete it.")
	answersGivePointsOnBut = say.New("quiz.answers_give_points_on_but",
		"answers give points on %s, but nothing uses this scale")
	addLeadingKeywordLineIn = say.New("quiz.add_leading_keyword_line_in",
		"Add a “Leading keyword” line in Verdicts, or delete it.")
	answersVoteButNothingUses = say.New("quiz.answers_vote_but_nothing_uses",
		"answers vote for %s, but nothing uses this keyword")
	useScaleIDPercentID2 = say.New("quiz.use_scale_id_percent_id2",
		"Use scale.ID, percent.ID, percentile.ID or computed.ID.")
	youCantSetCutPoints         = say.New("quiz.you_cant_set_cut_points", "you can’t set cut points on %q")
	chooseRespondentTeamOrTable = say.New("quiz.choose_respondent_team_or_table",
		"Choose the respondent, the team, or a table.")
	messageHasNoRecipient         = say.New("quiz.message_has_no_recipient", "the message has no recipient")
	typeEmailAddress              = say.New("quiz.type_email_address", "Type an email address.")
	messageHasNoEmailAddress      = say.New("quiz.message_has_no_email_address", "the message %q has no email address")
	chooseTableKeyColumn          = say.New("quiz.choose_table_key_column", "Choose a table, a key and a column.")
	messageHasNoLookupTable       = say.New("quiz.message_has_no_lookup_table", "the message %q has no lookup table")
	useOneAddressForwardsEveryone = say.New("quiz.use_one_address_forwards_everyone",
		"Use one address that forwards to everyone.")
	thereMoreThanAddresses      = say.New("quiz.there_more_than_addresses", "there are more than %d addresses")
	useFormSalesExampleOrg      = say.New("quiz.use_form_sales_example_org", "Use the form sales@example.org.")
	isntEmailAddress            = say.New("quiz.isnt_email_address", "%q isn’t an email address")
	useMinutesDays              = say.New("quiz.use_minutes_days", "Use 0 to 86400 minutes (60 days).")
	messageCantWaitMinutes      = say.New("quiz.message_cant_wait_minutes", "a message can’t wait %d minutes")
	typeASubject                = say.New("quiz.type_a_subject", "Type a subject.")
	messageHasNoSubject         = say.New("quiz.message_has_no_subject", "the message %q has no subject")
	shortenIt                   = say.New("quiz.shorten_it", "Shorten it.")
	subjectLongerThanCharacters = say.New("quiz.subject_longer_than_characters",
		"the subject is longer than %d characters")
	removeLineBreak           = say.New("quiz.remove_line_break", "Remove the line break.")
	subjectContainsLineBreak  = say.New("quiz.subject_contains_line_break", "the subject contains a line break")
	roundTheValues            = say.New("quiz.round_the_values", "Round the values.")
	normHasMoreThanValues     = say.New("quiz.norm_has_more_than_values", "the norm has more than %d values")
	useShareFrom              = say.New("quiz.use_share_from", "Use a share from 0 to 1.")
	isntValidShare            = say.New("quiz.isnt_valid_share", "%s isn’t a valid share")
	makeSharesAddUp           = say.New("quiz.make_shares_add_up", "Make the shares add up to 1.")
	sharesInNormAddUp         = say.New("quiz.shares_in_norm_add_up", "the shares in the norm add up to %s")
	addAQuestion              = say.New("quiz.add_a_question", "Add a question.")
	quizHasNoQuestionsYet     = say.New("quiz.quiz_has_no_questions_yet", "the quiz has no questions yet")
	typeQuestionsText         = say.New("quiz.type_questions_text", "Type the question’s text.")
	questionHasNoText         = say.New("quiz.question_has_no_text", "question %d has no text")
	typeAnswerOrDelete        = say.New("quiz.type_answer_or_delete", "Type the answer, or delete it.")
	answerQuestionEmpty       = say.New("quiz.answer_question_empty", "answer %d of question %d is empty")
	typeAddressOrChangeEnding = say.New("quiz.type_address_or_change_ending",
		"Type the address, or change the ending to a page.")
	redirectsButHasNoAddress  = say.New("quiz.redirects_but_has_no_address", "%s redirects, but has no address")
	addBothOrRemoveButton     = say.New("quiz.add_both_or_remove_button", "Add both, or remove the button.")
	buttonOnNeedsLabelAddress = say.New("quiz.button_on_needs_label_address",
		"button %d on %s needs a label and an address")
	useLettersZDigits              = say.New("quiz.use_letters_z_digits", "Use 1 to 64 letters a–z, digits, - and _.")
	idCantUsed                     = say.New("quiz.id_cant_used", "the ID %q can’t be used for this %s")
	splitTheQuiz                   = say.New("quiz.split_the_quiz", "Split the quiz.")
	thereMoreThanQuestions         = say.New("quiz.there_more_than_questions", "there are more than %d questions")
	removeDuplicateChecks          = say.New("quiz.remove_duplicate_checks", "Remove duplicate checks.")
	thereMoreThanChecks            = say.New("quiz.there_more_than_checks", "there are more than %d checks")
	combineMessagesWithSameContent = say.New("quiz.combine_messages_with_same_content",
		"Combine messages with the same content.")
	thereMoreThanMessages = say.New("quiz.there_more_than_messages", "there are more than %d messages")
	roundItTo             = say.New("quiz.round_it_to", "Round it to %s.")
	hasMoreThanDecimals   = say.New("quiz.has_more_than_decimals", "%s has more than %d decimals")
	useSmallerNumber      = say.New("quiz.use_smaller_number", "Use a smaller number.")
	isTooLarge            = say.New("quiz.is_too_large", "%s is too large")
	useOneFilePerDocument = say.New("quiz.use_one_file_per_document", "Use one file per document.")
	thereMoreTextAfterEnd = say.New("quiz.there_more_text_after_end",
		"there is more text after the end of the document")
	fixFileAtPlaceOr        = say.New("quiz.fix_file_at_place_or", "Fix the file at that place, or export the quiz again.")
	isntValidJSONLineColumn = say.New("quiz.isnt_valid_json_line_column",
		"this isn’t valid JSON (line %d, column %d): %s")
	useFewerLevelsConditionsWithin = say.New("quiz.use_fewer_levels_conditions_within",
		"Use fewer levels of conditions within conditions.")
	conditionsNestedMoreThanLevels = say.New("quiz.conditions_nested_more_than_levels",
		"conditions are nested more than %d levels deep")
	useFewerDigits             = say.New("quiz.use_fewer_digits", "Use fewer digits.")
	keepOneThem                = say.New("quiz.keep_one_them", "Keep one of them.")
	fieldAppearsTwice          = say.New("quiz.field_appears_twice", "this field appears twice")
	useCodeSuchDeOr            = say.New("quiz.use_code_such_de_or", "Use a code such as de or pt-BR (BCP 47).")
	isntLanguageCode           = say.New("quiz.isnt_language_code", "%q isn’t a language code")
	removeOrChangeLanguageQuiz = say.New("quiz.remove_or_change_language_quiz",
		"Remove it, or change the language of the quiz.")
	alreadyQuizsOwnLanguage = say.New("quiz.already_quizs_own_language", "%s is already the quiz’s own language")
	textDoesntExist         = say.New("quiz.text_doesnt_exist", "the text %q doesn’t exist")
	useNameSuchEuropeDublin = say.New("quiz.use_name_such_europe_dublin",
		"Use a name such as Europe/Dublin, or leave it empty for UTC.")
	timeZoneDoesntExist      = say.New("quiz.time_zone_doesnt_exist", "time zone %q doesn’t exist")
	useCodeThreeCapitalsSuch = say.New("quiz.use_code_three_capitals_such",
		"Use a code of three capitals such as EUR, or leave it empty.")
	thereNoCurrency         = say.New("quiz.there_no_currency", "there is no currency %q")
	chooseAnOutcome         = say.New("quiz.choose_an_outcome", "Choose an outcome.")
	noOutcomeChosen         = say.New("quiz.no_outcome_chosen", "no outcome is chosen")
	chooseExistingOutcome   = say.New("quiz.choose_existing_outcome", "Choose an existing outcome.")
	outcomeDoesntExist      = say.New("quiz.outcome_doesnt_exist", "outcome %q doesn’t exist")
	addScaleOrRemoveThese   = say.New("quiz.add_scale_or_remove_these", "Add the scale, or remove these points.")
	scaleDoesntExist        = say.New("quiz.scale_doesnt_exist", "scale %q doesn’t exist")
	addKeywordOrRemoveThese = say.New("quiz.add_keyword_or_remove_these", "Add the keyword, or remove these votes.")
	addScaleOrRemoveSetting = say.New("quiz.add_scale_or_remove_setting", "Add the scale, or remove this setting.")
	makeEachStepStartHigher = say.New("quiz.make_each_step_start_higher",
		"Make each step start higher than the one before.")
	stepDoesntStartHigherThan = say.New("quiz.step_doesnt_start_higher_than",
		"step %d doesn’t start higher than step %d")
	addSectionOrChooseAnother    = say.New("quiz.add_section_or_choose_another", "Add the section, or choose another.")
	sectionDoesntExist           = say.New("quiz.section_doesnt_exist", "section %q doesn’t exist")
	chooseLaterQuestionOutcomeOr = say.New("quiz.choose_later_question_outcome_or",
		"Choose a later question, an outcome or finish.")
	questionDoesntExist      = say.New("quiz.question_doesnt_exist", "question %q doesn’t exist")
	branchLeadsBackQuestion  = say.New("quiz.branch_leads_back_question", "the branch leads back to question %d")
	writeQuestionIDOutcomeID = say.New("quiz.write_question_id_outcome_id",
		`Write "question:ID", "outcome:ID" or "finish".`)
	isntValidDestination   = say.New("quiz.isnt_valid_destination", "%q isn’t a valid destination")
	useToSeconds           = say.New("quiz.use_to_seconds", "Use 0 to 60 seconds.")
	noticeCantShownSeconds = say.New("quiz.notice_cant_shown_seconds", "a notice can’t be shown for %d seconds")
)
