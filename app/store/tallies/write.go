package tallies

import (
	"fmt"
	"strings"

	"omphalos/app/store/database"
)

// Write adds the lines to the tallies.
func (t *Lines) Write(tx *database.Transaction) error {
	err := each(tx, addToStage, t.Stages, func(k StageTally, m Measure) []any {
		return []any{k.QuizID, k.Version, k.Stage, k.Place, m.Count, m.Kept, m.Leads}
	})
	if err == nil {
		err = each(tx, addToDay, t.Days, func(k DayTally, m Measure) []any {
			return []any{k.QuizID, k.Day, k.Version, k.Stage, m.Count, m.Kept, m.Leads}
		})
	}
	if err == nil {
		err = each(tx, addToSlice, t.Slices, func(k SliceTally, m Measure) []any {
			return []any{k.QuizID, k.Kind, k.Value, k.Stage, m.Count, m.Kept, m.Leads}
		})
	}
	if err == nil {
		err = each(tx, addToAnswer, t.Answers, func(k AnswerTally, n int) []any {
			return []any{k.QuizID, k.Version, k.Field, k.Value, k.Outcome, n}
		})
	}
	return err
}

func each[K comparable, V any](tx *database.Transaction, query string, lines map[K]V, values func(K, V) []any) error {
	stmt := tx.Statement(query)
	for k, v := range lines {
		if _, err := stmt.Exec(values(k, v)...); err != nil {
			return err
		}
	}
	return nil
}

// addTo is the statement that adds to a line of a tally, or makes it.
func addTo(table string, keys, measures []string) string {
	var adds []string
	for _, m := range measures {
		adds = append(adds, fmt.Sprintf("%s = %s.%s + excluded.%s", m, table, m, m))
	}
	return fmt.Sprintf("INSERT INTO %s (%s, %s) VALUES (%s) ON CONFLICT (%s) DO UPDATE SET %s",
		table, strings.Join(keys, ", "), strings.Join(measures, ", "), database.Placeholders(len(keys)+len(measures)),
		strings.Join(keys, ", "), strings.Join(adds, ", "))
}

var (
	measures    = []string{"count", "kept", "leads"}
	addToStage  = addTo("stage_tallies", []string{"quiz_id", "version", "stage", "place"}, measures)
	addToDay    = addTo("version_day_tallies", []string{"quiz_id", "day", "version", "stage"}, measures)
	addToSlice  = addTo("slice_tallies", []string{"quiz_id", "kind", "value", "stage"}, measures)
	addToAnswer = addTo(
		"answer_tallies",
		[]string{"quiz_id", "version", "field", "value", "outcome"},
		[]string{"count"},
	)
)

// Statements are what Write runs: they are to be prepared.
var Statements = []string{addToStage, addToDay, addToSlice, addToAnswer}

var addToForgotten = addTo("forgotten_tallies", []string{"quiz_id", "tally", "line"}, measures)
