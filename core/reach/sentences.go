package reach

import "omphalos/core/say"

// The sentences of the package.
var (
	noRespondentCanReachOutcome = say.New("reach.no_respondent_can_reach_outcome",
		"No respondent can reach the outcome “%s”. Lead to it from a verdict line or branch that "+
			"respondents can match, or delete it.")
	verdictLinesMatchEveryRespondent = say.New("reach.verdict_lines_match_every_respondent",
		"The verdict lines match every respondent, so no one reaches “%s” through “Everyone else”. "+
			"That’s fine if “Everyone else” is only a safety net.")
	noVerdictLineOrBranch = say.New("reach.no_verdict_line_or_branch",
		"No verdict line or branch leads to the outcome “%s”. Choose it in one, or delete it.")
	noRespondentAskedQuestionCheck = say.New("reach.no_respondent_asked_question_check",
		"No respondent is asked question %d, “%s”. Check the branches before it and its own condition.")
	conditionCanNeverTrueAllows = say.New("reach.condition_can_never_true_allows",
		"This condition can never be true: %s allows only one answer, but the condition needs two "+
			"different ones. Combine them with “any”, or use “is one of”.")
	conditionCanNeverTrueNo = say.New("reach.condition_can_never_true_no",
		"This condition can never be true: %s. No respondent who gets this far matches it. Loosen it or "+
			"delete it.")
	lineNeverDecidesBecauseLines = say.New("reach.line_never_decides_because_lines",
		"Line %d never decides, because the lines above it match first. Move it up, change it, or delete "+
			"it.")
	profileNeverDecides = say.New("reach.profile_never_decides",
		"The profile of %s in line %d is never the closest. Change its numbers, or remove it.")
	noRespondentLandsInBand = say.New("reach.no_respondent_lands_in_band",
		"No respondent lands in the band %s on %s. Move the cut point or delete it.")
	respondentsHaveTieInLine = say.New("reach.respondents_have_tie_in_line",
		"%s of respondents have a tie in line %d, decided by its tie rule.")
	addRowsThemOrLeave = say.New("reach.add_rows_them_or_leave",
		"%s. Add rows for them, or leave them to the lines below.")
	rowsTableInLineMatch = say.New("reach.rows_table_in_line_match",
		"Rows %d and %d of the table in line %d match the same respondents. %s")
	noRespondentLandsInCell = say.New("reach.no_respondent_lands_in_cell",
		"No respondent lands in the cell for %s %s and %s %s. Move a cut point, or clear the cell.")
	redirectWontWork           = say.New("reach.redirect_wont_work", "This redirect won’t work: %s.")
	redirectSameAddressButOnly = say.New("reach.redirect_same_address_but_only",
		"%s and %s redirect to the same address, but only one of them is a qualified lead, so your ad "+
			"platform can’t tell them apart. Give each its own address, or allow a shared address in Endings.")
	doesntExistWillAppearEmpty = say.New("reach.doesnt_exist_will_appear_empty",
		"{%s} doesn’t exist and will appear empty. Choose a field from the menu (Alt+I). To show a "+
			"brace, type {{.")
	doesntExistWillMissingFrom = say.New("reach.doesnt_exist_will_missing_from",
		"%s doesn’t exist and will be missing from the address. Choose a field from the menu (Alt+I).")
	computedValueAlwaysBlank = say.New("reach.computed_value_always_blank",
		"This computed value is always blank: %s.")
	questionHasNoEffectOn = say.New("reach.question_has_no_effect_on",
		"Question %d, “%s”, has no effect on any outcome. Extra questions make people drop out: give its "+
			"answers points, or remove it.")
	belowLowestCutPointIn = say.New("reach.below_lowest_cut_point_in",
		"A %s of %s is below the lowest cut point in line %d, so it goes to “Everyone else” (%s). If you "+
			"didn’t intend this, add a lower cut point.")
	textsArentTranslated = say.New("reach.texts_arent_translated",
		"%d of %d texts aren’t translated into %s, so respondents see the original. "+
			"Translate them under “Other languages” in Script.")
	textsHaveChanged = say.New("reach.texts_have_changed",
		"%d of %d texts have changed since they were translated into %s. "+
			"Check them under “Other languages” in Script.")
	tableDoesntCover      = say.New("reach.table_doesnt_cover", "The table in line %d doesn’t cover some combinations")
	tableDoesntCoverThese = say.New("reach.table_doesnt_cover_these",
		"The table in line %d doesn’t cover some combinations: %s")
	tableDoesntCoverMore = say.New("reach.table_doesnt_cover_more",
		"The table in line %d doesn’t cover some combinations: %s; and %d more")
	upperRowWins   = say.New("reach.upper_row_wins", "The upper row wins. Make one of them narrower.")
	bothLeadToSame = say.New("reach.both_lead_to_same", "Both lead to the same outcome.")
)
