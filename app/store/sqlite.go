package store

import (
	"database/sql"
	"fmt"
	"strings"

	"gorm.io/gorm"
)

// What SQLite does in its own way stands in this file. A respondent waits for the disk here, so the driver is asked itself: a
// general way of writing rows takes longer than the database.

// responseColumns are the columns of a response, in the order of values.
var responseColumns = strings.Fields(`id quiz_id version kept outcome verdict reason scores answers labels name email contact consent
	consent_at source device country language suspect params day started_at at`)

func (r *Response) values() []any {
	return []any{r.ID, r.QuizID, r.Version, r.Kept, r.Outcome, r.Verdict, r.Reason, r.Scores, r.Answers, r.Labels, r.Name, r.Email,
		r.Contact, r.Consent, r.ConsentAt, r.Source, r.Device, r.Country, r.Language, r.Suspect, r.Params, r.Day, r.StartedAt, r.At}
}

var insertResponse = fmt.Sprintf("INSERT INTO responses (%s) VALUES (%s) ON CONFLICT DO NOTHING",
	strings.Join(responseColumns, ", "), placeholders(len(responseColumns)))

func placeholders(n int) string { return strings.TrimSuffix(strings.Repeat("?, ", n), ", ") }

// addTo is the statement that adds to a line of a tally, or makes it.
func addTo(table string, keys, measures []string) string {
	var adds []string
	for _, m := range measures {
		adds = append(adds, fmt.Sprintf("%s = %s.%s + excluded.%s", m, table, m, m))
	}
	return fmt.Sprintf("INSERT INTO %s (%s, %s) VALUES (%s) ON CONFLICT (%s) DO UPDATE SET %s",
		table, strings.Join(keys, ", "), strings.Join(measures, ", "), placeholders(len(keys)+len(measures)),
		strings.Join(keys, ", "), strings.Join(adds, ", "))
}

var (
	measures    = []string{"count", "kept", "leads"}
	addToStage  = addTo("stage_tallies", []string{"quiz_id", "version", "stage", "place"}, measures)
	addToDay    = addTo("day_tallies", []string{"quiz_id", "day", "stage"}, measures)
	addToWalk   = addTo("walk_tallies", []string{"quiz_id", "version", "day", "source", "device", "country", "stage", "place"}, measures)
	addToAnswer = addTo("answer_tallies", []string{"quiz_id", "version", "field", "value", "outcome"}, []string{"count"})
)

// execer is a transaction, of database/sql or of the mapper.
type execer interface {
	Prepare(query string) (*sql.Stmt, error)
}

// insertResponses writes responses and reports which of them were new.
func insertResponses(tx execer, rows []*Response) (fresh []bool, err error) {
	insert, err := tx.Prepare(insertResponse)
	if err != nil {
		return nil, err
	}
	defer insert.Close()
	fresh = make([]bool, len(rows))
	for i, r := range rows {
		done, err := insert.Exec(r.values()...)
		if err != nil {
			return nil, err
		}
		n, err := done.RowsAffected()
		if err != nil {
			return nil, err
		}
		fresh[i] = n == 1
	}
	return fresh, nil
}

// write adds the sums to the tallies.
func (s *sums) write(tx execer) error {
	err := each(tx, addToStage, s.stages, func(k StageTally, m Measure) []any {
		return []any{k.QuizID, k.Version, k.Stage, k.Place, m.Count, m.Kept, m.Leads}
	})
	if err == nil {
		err = each(tx, addToDay, s.days, func(k DayTally, m Measure) []any {
			return []any{k.QuizID, k.Day, k.Stage, m.Count, m.Kept, m.Leads}
		})
	}
	if err == nil {
		err = each(tx, addToWalk, s.walks, func(k WalkTally, m Measure) []any {
			return []any{k.QuizID, k.Version, k.Day, k.Source, k.Device, k.Country, k.Stage, k.Place, m.Count, m.Kept, m.Leads}
		})
	}
	if err == nil {
		err = each(tx, addToAnswer, s.answers, func(k AnswerTally, n int) []any {
			return []any{k.QuizID, k.Version, k.Field, k.Value, k.Outcome, n}
		})
	}
	return err
}

func each[K comparable, V any](tx execer, statement string, lines map[K]V, values func(K, V) []any) error {
	if len(lines) == 0 {
		return nil
	}
	stmt, err := tx.Prepare(statement)
	if err != nil {
		return err
	}
	defer stmt.Close()
	for k, v := range lines {
		if _, err := stmt.Exec(values(k, v)...); err != nil {
			return err
		}
	}
	return nil
}

// rawTransaction runs f in a transaction of the driver.
func rawTransaction(db *gorm.DB, f func(tx *sql.Tx) error) error {
	pool, err := db.DB()
	if err != nil {
		return err
	}
	tx, err := pool.Begin()
	if err != nil {
		return err
	}
	if err := f(tx); err != nil {
		if back := tx.Rollback(); back != nil {
			return fmt.Errorf("%w (and it could not be taken back: %v)", err, back)
		}
		return err
	}
	return tx.Commit()
}

// dayColumn sets the day of responses that have none, in UTC: how earlier programs kept them.
func dayColumn(tx *gorm.DB) error {
	return tx.Exec("UPDATE responses SET day = substr(at, 1, 10) WHERE day IS NULL OR day = ''").Error
}
