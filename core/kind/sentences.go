package kind

import "omphalos/core/say"

// What is said of a question that cannot be asked or counted as it is.
var (
	addAnAnswer                = say.New("kind.add_an_answer", "Add an answer.")
	questionHasNoAnswersChoose = say.New("kind.question_has_no_answers_choose",
		"the question %q has no answers to choose from")
	addARow            = say.New("kind.add_a_row", "Add a row.")
	gridHasNoRows      = say.New("kind.grid_has_no_rows", "the grid %q has no rows")
	setAtLeastNoHigher = say.New("kind.set_at_least_no_higher",
		"Set “at least” no higher than “at most”, and no higher than the number of answers that can be "+
			"combined.")
	impossibleChooseAnswers = say.New("kind.impossible_choose_answers",
		"it’s impossible to choose %d to %d of %d answers")
	setFromSuch              = say.New("kind.set_from_such", "Set “from” and “to”, such as 1 and 5.")
	ratingHasNoLowestHighest = say.New("kind.rating_has_no_lowest_highest",
		"the rating %q has no lowest and highest value")
	useNumberAbove              = say.New("kind.use_number_above", "Use a number above 0.")
	stepSizeIsntPossible        = say.New("kind.step_size_isnt_possible", "a step size of %s isn’t possible")
	makeAtLeastHighFrom         = say.New("kind.make_at_least_high_from", "Make “to” at least as high as “from”.")
	rangeEndsBeforeStarts       = say.New("kind.range_ends_before_starts", "the range of %q ends before it starts")
	setFrom                     = say.New("kind.set_from", "Set “from” and “to”.")
	numberQuestionGivesPointsSo = say.New("kind.number_question_gives_points_so",
		"the number question %q gives points, so it needs a range")
	useLargerStepOrSmaller  = say.New("kind.use_larger_step_or_smaller", "Use a larger step or a smaller range.")
	rangeHasMoreThanValues  = say.New("kind.range_has_more_than_values", "the range of %q has more than %d values")
	rankFewerAnswers        = say.New("kind.rank_fewer_answers", "Offer fewer answers, or let fewer be ranked.")
	rankingHasMoreOrderings = say.New("kind.ranking_has_more_orderings",
		"the ranking %q has more than %d possible orders")
	removePlaces         = say.New("kind.remove_places", "Remove “places”, or make it a ranking.")
	onlyRankingHasPlaces = say.New("kind.only_ranking_has_places",
		"only a ranking has places that count differently")
)
