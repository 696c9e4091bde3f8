package tallies

import (
	"encoding/json"
	"errors"
	"fmt"

	"omphalos/app/store/database"
)

// ForgottenTally is what responses that are gone have added to the tallies: figures stay, and a recount adds them.
type ForgottenTally struct {
	QuizID  string `gorm:"primaryKey"`
	Tally   string `gorm:"primaryKey"` // which: stage, day, slice or answer
	Line    string `gorm:"primaryKey"` // JSON list of the line's key
	Measure `       gorm:"embedded"`
}

// Remember adds the lines to those of responses that are gone.
func (t *Lines) Remember(tx *database.Transaction) error {
	put := func(quizID, tally string, m Measure, key ...any) error {
		line, err := json.Marshal(key)
		if err == nil {
			_, err = tx.Exec(addToForgotten, quizID, tally, string(line), m.Count, m.Kept, m.Leads)
		}
		return err
	}
	var errs []error
	for k, m := range t.Stages {
		errs = append(errs, put(k.QuizID, "stage", m, k.Version, k.Stage, k.Place))
	}
	for k, m := range t.Days {
		errs = append(errs, put(k.QuizID, "day", m, k.Day, k.Version, k.Stage))
	}
	for k, m := range t.Slices {
		errs = append(errs, put(k.QuizID, "slice", m, k.Kind, k.Value, k.Stage))
	}
	for k, n := range t.Answers {
		errs = append(errs, put(k.QuizID, "answer", Measure{Count: n}, k.Version, k.Field, k.Value, k.Outcome))
	}
	return errors.Join(errs...)
}

// Recall reads one line.
func (t *Lines) Recall(quizID, tally, line string, m Measure) error {
	var a, b, c, d string
	var version int
	read := func(to ...any) error { return json.Unmarshal([]byte(line), &to) }
	switch tally {
	case "stage":
		err := read(&version, &a, &b)
		t.Stages[StageTally{QuizID: quizID, Version: version, Stage: a, Place: b}] = m
		return err
	case "day":
		err := read(&a, &version, &b)
		t.Days[DayTally{QuizID: quizID, Day: a, Version: version, Stage: b}] = m
		return err
	case "slice":
		err := read(&a, &b, &c)
		t.Slices[SliceTally{QuizID: quizID, Kind: a, Value: b, Stage: c}] = m
		return err
	case "answer":
		err := read(&version, &a, &b, &d)
		t.Answers[AnswerTally{QuizID: quizID, Version: version, Field: a, Value: b, Outcome: d}] = m.Count
		return err
	}
	return fmt.Errorf("unknown kind of forgotten count: %q", tally)
}

// RecallForgotten adds to the tallies of a quiz what responses that are gone have added.
func RecallForgotten(tx *database.Transaction, quizID string) error {
	rows, err := tx.Query("SELECT tally, line, count, kept, leads FROM forgotten_tallies WHERE quiz_id = ?", quizID)
	if err != nil {
		return err
	}
	t := NewLines()
	for rows.Next() {
		var tally, line string
		var m Measure
		if err = rows.Scan(&tally, &line, &m.Count, &m.Kept, &m.Leads); err == nil {
			err = t.Recall(quizID, tally, line, m)
		}
		if err != nil {
			break
		}
	}
	if err = errors.Join(err, rows.Err(), rows.Close()); err != nil {
		return err
	}
	return t.Write(tx)
}
