package verdicts

import "omphalos/core/say"

// The sentences of the package.
var (
	numberCutMissing    = say.New("verdicts.number_cut_missing", "the number to cut is missing")
	chooseScaleOrAnswer = say.New("verdicts.choose_scale_or_answer", "Choose a scale or an answer.")
)
