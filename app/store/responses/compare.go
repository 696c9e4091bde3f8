package responses

import (
	"errors"
	"maps"

	"gorm.io/gorm"

	"omphalos/app/store/tallies"
)

// CompareTallies compares the tallies of finished walks with what the responses come to. say is called with each
// difference: which check it is of, and a format with its values.
func CompareTallies(tx *gorm.DB, say func(check, format string, args ...any)) error {
	var quizzes []string
	if err := tx.Model(&Response{}).Distinct("quiz_id").Pluck("quiz_id", &quizzes).Error; err != nil {
		return err
	}
	known := tallies.NewKnownValues(tx, false)
	for _, id := range quizzes {
		want, err := comesTo(tx, known, id, say)
		if err != nil {
			return err
		}
		got, err := stored(tx, id)
		if err != nil {
			return err
		}
		compare(say, id, "by stage", want.Stages, got.Stages)
		compare(say, id, "by day", want.Days, got.Days)
		compare(say, id, "by value", want.Slices, got.Slices)
		compare(say, id, "of answers", want.Answers, got.Answers)
	}
	return nil
}

// comesTo are the tallies that the responses of a quiz, and those that are forgotten, come to.
func comesTo(tx *gorm.DB, known *tallies.KnownValues, quizID string,
	say func(check, format string, args ...any),
) (*tallies.Lines, error) {
	add := tallies.NewSums()
	rows, err := tx.Raw("SELECT "+countedColumns+" FROM responses WHERE quiz_id = ?", quizID).Rows()
	if err != nil {
		return nil, err
	}
	for rows.Next() {
		r, err := scanCounted(rows.Scan)
		if err != nil {
			return nil, errors.Join(err, rows.Close())
		}
		f, err := factsOf(r, nil)
		if err != nil {
			say("answers", "A response of the quiz %s: %v.", quizID, err)
			continue
		}
		add.Response(f, 1)
	}
	if err := errors.Join(rows.Err(), rows.Close()); err != nil {
		return nil, err
	}
	t, err := add.Tables(known)
	if err != nil {
		return nil, err
	}
	var forgotten []tallies.ForgottenTally
	if err := tx.Where("quiz_id = ?", quizID).Find(&forgotten).Error; err != nil {
		return nil, err
	}
	gone := tallies.NewLines()
	for _, f := range forgotten {
		if err := gone.Recall(quizID, f.Tally, f.Line, f.Measure); err != nil {
			return nil, err
		}
	}
	return t.Plus(gone), nil
}

// stored are the tallies of finished walks as they stand.
func stored(tx *gorm.DB, quizID string) (*tallies.Lines, error) {
	t := tallies.NewLines()
	var stages []tallies.StageTally
	var days []tallies.DayTally
	var slices []tallies.SliceTally
	var answers []tallies.AnswerTally
	err := errors.Join(
		tx.Where("quiz_id = ? AND stage IN ?", quizID, endedStages).Find(&stages).Error,
		tx.Where("quiz_id = ? AND stage IN ?", quizID, endedStages).Find(&days).Error,
		tx.Where("quiz_id = ? AND stage IN ?", quizID, endedStages).Find(&slices).Error,
		tx.Where("quiz_id = ?", quizID).Find(&answers).Error,
	)
	for _, l := range stages {
		m := l.Measure
		l.Measure = tallies.Measure{}
		t.Stages[l] = m
	}
	for _, l := range days {
		m := l.Measure
		l.Measure = tallies.Measure{}
		t.Days[l] = m
	}
	for _, l := range slices {
		m := l.Measure
		l.Measure = tallies.Measure{}
		t.Slices[l] = m
	}
	for _, l := range answers {
		n := l.Count
		l.Count = 0
		t.Answers[l] = n
	}
	return t, err
}

// compare tells which lines of a tally are others than they should be; a line of nothing is none.
func compare[K, V comparable](say func(check, format string, args ...any), quizID, which string, want, got map[K]V) {
	var nothing V
	all := maps.Clone(want)
	maps.Copy(all, got)
	for line := range all {
		if want[line] != got[line] && !(want[line] == nothing && got[line] == nothing) {
			say("tallies", "Statistic %s of quiz %s is %v, but its responses add up to %v (%+v). Run omphalos recount "+
				"to fix it.",
				which, quizID, got[line], want[line], line)
		}
	}
}
