package rule

import "omphalos/core/say"

// The sentences of the package.
var (
	formulaEmptyTypeOneSuch = say.New("rule.formula_empty_type_one_such",
		"the formula is empty; type one, such as scale.fit * 2")
	formulaLongerThanCharactersSplit = say.New("rule.formula_longer_than_characters_split",
		"the formula is longer than %d characters; split it into several computed values")
	textCanHaveUpCharacters = say.New("rule.text_can_have_up_characters", "a text can have up to %d characters")
	roundNeedsNumber        = say.New("rule.round_needs_number", "round needs a number")
	roundNeedsDecimalPlaces = say.New("rule.round_needs_decimal_places", "round needs 0 to 9 decimal places")
	roundNeedsFiniteNumber  = say.New("rule.round_needs_finite_number", "round needs a finite number")
	notNumber               = say.New("rule.not_number", "%q is not a number")
	numberTooLong           = say.New("rule.number_too_long", "the number %s is too long")
	formulaTooLongSplitInto = say.New("rule.formula_too_long_split_into",
		"the formula is too long: split it into several computed values")
	formulaCantReadCheckBrackets = say.New("rule.formula_cant_read_check_brackets",
		"the formula can’t be read: check its brackets and commas")
	formulaEndsTooEarlyAdd = say.New("rule.formula_ends_too_early_add",
		"the formula ends too early: add what is missing, such as a number or a closing bracket")
	formulaCantReadAtCheck = say.New("rule.formula_cant_read_at_check",
		"the formula can’t be read at %s: check for a missing sign, bracket or comma before it")
	cantJoinTextNumberUse = say.New("rule.cant_join_text_number_use",
		"“%s” can’t join text and a number: use numbers on both sides of it, at %s")
	needsValueBetweenBracketsIn = say.New("rule.needs_value_between_brackets_in",
		"%s needs a value between its brackets, as in %s(scale.fit)")
	hasTooManyValuesBetween = say.New("rule.has_too_many_values_between",
		"%s has too many values between its brackets: remove one")
	cantUseValueBetweenBrackets = say.New("rule.cant_use_value_between_brackets",
		"%s can’t use the value between its brackets: use a number or a score")
	textHasNoClosingQuote   = say.New("rule.text_has_no_closing_quote", "a text has no closing quote: add it after %s")
	formulaCantReadAtCheck2 = say.New("rule.formula_cant_read_at_check2",
		"the formula can’t be read at %s: check its brackets, commas and names")
	valueTextInQuotesOr = say.New("rule.value_text_in_quotes_or", "a value is text in quotes or a number")
)
