package verdict

import "omphalos/core/say"

// What is said of a line that cannot decide as it is.
var (
	useWhenWithOutcomeOr = say.New("verdict.use_when_with_outcome_or",
		`Use "when" with "outcome", or one of "bands", "leader", "table" and "matrix".`)
	verdictLineMustExactlyOne = say.New("verdict.verdict_line_must_exactly_one",
		"a verdict line must be exactly one of: rule, bands, leader, table or matrix")
	addWhenEveryoneUseAll  = say.New("verdict.add_when_everyone_use_all", `Add "when"; for everyone use {"all":[]}.`)
	ruleHasNoCondition     = say.New("verdict.rule_has_no_condition", "the rule has no condition")
	addAColumn             = say.New("verdict.add_a_column", "Add a column.")
	tableHasNoColumns      = say.New("verdict.table_has_no_columns", "the table has no columns")
	useOneCellEachColumn   = say.New("verdict.use_one_cell_each_column", "Use one cell for each column.")
	rowHasCellsColumns     = say.New("verdict.row_has_cells_columns", "the row has %d cells for %d columns")
	addAtLeastOneCut       = say.New("verdict.add_at_least_one_cut", "Add at least one cut point.")
	thereNoCutPoints       = say.New("verdict.there_no_cut_points", "there are no cut points")
	makeEachCutPointHigher = say.New("verdict.make_each_cut_point_higher",
		"Make each cut point higher than the one before.")
	cutPointIsntHigherThan  = say.New("verdict.cut_point_isnt_higher_than", "the cut point %s isn’t higher than %s")
	chooseOutcomeAtLeastOne = say.New("verdict.choose_outcome_at_least_one",
		"Choose an outcome for at least one keyword.")
	noKeywordHasOutcome = say.New("verdict.no_keyword_has_outcome", "no keyword has an outcome")
	addCutPoint         = say.New("verdict.add_cut_point", "Add a cut point.")
	cutPointNotAbove    = say.New("verdict.cut_point_not_above", "the cut point %s is not above %s")
	useOneRowEachBand   = say.New("verdict.use_one_row_each_band", "Use one row for each band of “down”.")
	matrixHasRowsBands  = say.New("verdict.matrix_has_rows_bands", "the matrix has %d rows for %d bands")
	useOneOutcomeOrNull = say.New("verdict.use_one_outcome_or_null",
		"Use one outcome, or null, for each band of “across”.")
	rowHasCellsBands       = say.New("verdict.row_has_cells_bands", "the row has %d cells for %d bands")
	useIDExistingKeyword   = say.New("verdict.use_id_existing_keyword", "Use the ID of an existing keyword.")
	keywordDoesntExist     = say.New("verdict.keyword_doesnt_exist", "keyword %q doesn’t exist")
	useIDExistingQuestion  = say.New("verdict.use_id_existing_question", "Use the ID of an existing question.")
	questionDoesntExist    = say.New("verdict.question_doesnt_exist", "question %q doesn’t exist")
	useOneOf               = say.New("verdict.use_one_of", "Use one of %s.")
	isntAllowedHere        = say.New("verdict.isnt_allowed_here", "%q isn’t allowed here")
	compareOneToFour       = say.New("verdict.compare_one_to_four", "Compare 1 to %d numbers.")
	profilesCompareNumbers = say.New("verdict.profiles_compare_numbers", "the profiles compare %d numbers")
	useScalePercentKeyword = say.New("verdict.use_scale_percent_keyword", "Use scale.ID, percent.ID or keyword.ID.")
	profilesCantCompare    = say.New("verdict.profiles_cant_compare", "profiles can’t compare %q")
	addAProfile            = say.New("verdict.add_a_profile", "Give at least one outcome a profile.")
	thereAreNoProfiles     = say.New("verdict.there_are_no_profiles", "no outcome has a profile")
	useOneNumberEach       = say.New("verdict.use_one_number_each", "Use one number for each of “on”.")
	profileHasNumbers      = say.New("verdict.profile_has_numbers", "the profile has %d numbers, not %d")
)
