package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"
	"unicode"

	"gorm.io/gorm"
)

// What SQLite does in its own way stands in this file. A respondent waits for the disk here, so the driver is asked
// itself: a general way of writing rows takes longer than the database.

// responseColumns are the columns of a response, in the order of values.
var responseColumns = strings.Fields(
	`id quiz_id version kept outcome verdict reason scores answers labels name email contact consent
	consent_at source device country language way marks was_lead import_id aside suspect params day started_at at`,
)

func (r *Response) values() []any {
	return []any{
		r.ID,
		r.QuizID,
		r.Version,
		r.Kept,
		r.Outcome,
		r.Verdict,
		r.Reason,
		r.Scores,
		r.Answers,
		r.Labels,
		r.Name,
		r.Email,
		r.Contact,
		r.Consent,
		r.ConsentAt,
		r.Source,
		r.Device,
		r.Country,
		r.Language,
		r.Way,
		r.Marks,
		r.WasLead,
		r.ImportID,
		r.Aside,
		r.Suspect,
		r.Params,
		r.Day,
		r.StartedAt,
		r.At,
	}
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
	addToDay    = addTo("version_day_tallies", []string{"quiz_id", "day", "version", "stage"}, measures)
	addToSlice  = addTo("slice_tallies", []string{"quiz_id", "kind", "value", "stage"}, measures)
	addToAnswer = addTo(
		"answer_tallies",
		[]string{"quiz_id", "version", "field", "value", "outcome"},
		[]string{"count"},
	)
)

// statements are those that the writer uses all the time, prepared once on its connection.
type statements map[string]*sql.Stmt

func prepare(db *gorm.DB) (statements, error) {
	pool, err := db.DB()
	if err != nil {
		return nil, err
	}
	out := statements{}
	for _, query := range []string{
		insertResponse, addToStage, addToDay, addToSlice, addToAnswer, insertWords, insertMail, insertOneAgreed,
	} {
		if out[query], err = pool.Prepare(query); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// transaction is one of the driver, with the prepared statements.
type transaction struct {
	*sql.Tx
	prepared statements
}

// statement is a prepared one within the transaction.
func (tx *transaction) statement(query string) *sql.Stmt { return tx.Stmt(tx.prepared[query]) }

// insertResponses writes responses and reports which of them were new.
func insertResponses(tx *transaction, rows []*Response) (fresh []bool, err error) {
	insert := tx.statement(insertResponse)
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

// write adds the lines to the tallies.
func (t *tables) write(tx *transaction) error {
	err := each(tx, addToStage, t.stages, func(k StageTally, m Measure) []any {
		return []any{k.QuizID, k.Version, k.Stage, k.Place, m.Count, m.Kept, m.Leads}
	})
	if err == nil {
		err = each(tx, addToDay, t.days, func(k DayTally, m Measure) []any {
			return []any{k.QuizID, k.Day, k.Version, k.Stage, m.Count, m.Kept, m.Leads}
		})
	}
	if err == nil {
		err = each(tx, addToSlice, t.slices, func(k SliceTally, m Measure) []any {
			return []any{k.QuizID, k.Kind, k.Value, k.Stage, m.Count, m.Kept, m.Leads}
		})
	}
	if err == nil {
		err = each(tx, addToAnswer, t.answers, func(k AnswerTally, n int) []any {
			return []any{k.QuizID, k.Version, k.Field, k.Value, k.Outcome, n}
		})
	}
	return err
}

func each[K comparable, V any](tx *transaction, query string, lines map[K]V, values func(K, V) []any) error {
	stmt := tx.statement(query)
	for k, v := range lines {
		if _, err := stmt.Exec(values(k, v)...); err != nil {
			return err
		}
	}
	return nil
}

// transact runs f in a transaction of the driver.
func (s statements) transact(db *gorm.DB, f func(tx *transaction) error) error {
	pool, err := db.DB()
	if err != nil {
		return err
	}
	begun, err := pool.Begin()
	if err != nil {
		return err
	}
	if err := f(&transaction{begun, s}); err != nil {
		if back := begun.Rollback(); back != nil {
			return fmt.Errorf("%w (and it could not be taken back: %v)", err, back)
		}
		return err
	}
	return begun.Commit()
}

// newWords makes the table of words. Its lines are kept in the order of their key: they are nothing else.
func newWords(tx *gorm.DB) error {
	return tx.Exec(`CREATE TABLE words (quiz_id text NOT NULL, word text NOT NULL, response_id text NOT NULL,
		PRIMARY KEY (quiz_id, word, response_id)) WITHOUT ROWID`).Error
}

// insertWords takes a JSON list of lines: one call to the database for all words of a group.
const insertWords = `INSERT INTO words (quiz_id, word, response_id)
	SELECT value->>0, value->>1, value->>2 FROM json_each(?) WHERE true ON CONFLICT DO NOTHING`

// lines are words as the table has them.
func (r *Response) lines(words []string) [][3]string {
	out := make([][3]string, len(words))
	for i, word := range words {
		out[i] = [3]string{r.QuizID, word, r.ID}
	}
	return out
}

// writeWords makes responses be found by their words.
func (tx *transaction) writeWords(lines [][3]string) error {
	if len(lines) == 0 {
		return nil
	}
	slices.SortFunc(lines, func(a, b [3]string) int { return slices.Compare(a[:], b[:]) }) // as they are kept
	text, err := json.Marshal(lines)
	if err == nil {
		_, err = tx.statement(insertWords).Exec(string(text))
	}
	return err
}

// insertDelivery is what tellHooks writes, on the connection of the writer.
const insertDelivery = `INSERT INTO deliveries
	(id, hook_id, quiz_id, response_id, event, at, next, state, attempts, code, said)
	VALUES (?, ?, ?, ?, ?, ?, ?, ?, 0, 0, '')`

// told puts what responses tell of on its way to the hooks of their quizzes.
func (tx *transaction) told(list []*Response, at time.Time, events func(*Response) []string) error {
	hooks := map[string][]Hook{}
	for _, r := range list {
		if _, known := hooks[r.QuizID]; known {
			continue
		}
		rows, err := tx.Query("SELECT id, events, outcomes FROM hooks WHERE quiz_id = ?", r.QuizID)
		if err != nil {
			return err
		}
		hooks[r.QuizID] = []Hook{}
		for rows.Next() {
			h := Hook{QuizID: r.QuizID}
			if err := rows.Scan(&h.ID, &h.Events, &h.Outcomes); err != nil {
				return errors.Join(err, rows.Close())
			}
			hooks[r.QuizID] = append(hooks[r.QuizID], h)
		}
		if err := errors.Join(rows.Err(), rows.Close()); err != nil {
			return err
		}
	}
	for _, r := range list {
		for _, h := range hooks[r.QuizID] {
			for _, event := range events(r) {
				if !h.Wants(event, r.Outcome) {
					continue
				}
				d := newDelivery(&h, event, r.ID, at)
				_, err := tx.Exec(insertDelivery, d.ID, d.HookID, d.QuizID, d.ResponseID, d.Event, d.At, d.Next, d.State)
				if err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// eventsOf are the events that a response is when it comes.
func eventsOf(r *Response) []string {
	switch {
	case !r.Kept || r.Suspect != "" || r.ImportID != "": // past ones are no news
		return nil
	case r.Email != "":
		return []string{EventFinished, EventLead}
	}
	return []string{EventFinished}
}

// dropWords takes responses of a quiz out of the search, whatever words they had. It goes through all words of the
// quiz.
func (tx *transaction) dropWords(quizID string, ids ...string) error {
	list, err := json.Marshal(ids)
	if err == nil {
		_, err = tx.Exec(
			"DELETE FROM words WHERE quiz_id = ? AND response_id IN (SELECT value FROM json_each(?))",
			quizID, string(list),
		)
	}
	return err
}

// choose chooses the responses in a range. A number that was answered stands behind its mark; what follows it ends the
// number.
func (r *Range) choose(q *gorm.DB) *gorm.DB {
	if expression := (Sort{By: r.Field}).expression(); strings.HasPrefix(r.Field, "scale.") && expression != "" {
		return q.Where("("+expression+") >= ? AND ("+expression+") < ?", r.From, r.To)
	}
	before := markStart + r.Field + "="
	const value = "CAST(substr(marks, instr(marks, ?) + ?) AS REAL)"
	answered := q.Where("instr(marks, ?) > 0 AND instr(marks, ?) = 0", before, before+markEnd) // asked, and not left blank
	return answered.Where(value+" >= ? AND "+value+" < ?", before, len(before), r.From, before, len(before), r.To)
}

// hinted leaves out what cannot hold the words that are searched for. The database compares letters of ASCII alone
// whatever their size, so other words are left to whoever reads.
func (h *hits) hinted(q *gorm.DB) *gorm.DB {
	for _, word := range h.search {
		if strings.ContainsFunc(word, func(r rune) bool { return r > unicode.MaxASCII || strings.ContainsRune(`%_\`, r) }) {
			continue
		}
		const holds = "(name LIKE ? OR email LIKE ? OR CAST(contact AS TEXT) LIKE ? OR CAST(answers AS TEXT) LIKE ?)"
		like := "%" + word + "%"
		q = q.Where(holds, like, like, like, like)
	}
	return q
}

// amongIDs chooses the responses with these ids, which are few: each is looked up. By the sign before its columns
// place, a condition on quiz_id, kept and aside, leaves the index of all places aside.
func amongIDs(q *gorm.DB, ids []string) (among *gorm.DB, place string) {
	list, err := json.Marshal(ids)
	if err != nil {
		_ = q.AddError(err)
	}
	return q.Where("id IN (SELECT value FROM json_each(?))", string(list)), "+quiz_id = ? AND +kept = ? AND +aside = ?"
}

// Size is how many bytes the database and its log take on the disk.
func (s *Store) Size() (int64, error) {
	var all int64
	for _, path := range []string{s.path, s.path + "-wal"} {
		info, err := os.Stat(path)
		if errors.Is(err, os.ErrNotExist) {
			continue
		}
		if err != nil {
			return 0, err
		}
		all += info.Size()
	}
	return all, nil
}

// dayColumn sets the day of responses that have none, in UTC: how earlier programs kept them.
func dayColumn(tx *gorm.DB) error {
	return tx.Exec("UPDATE responses SET day = substr(at, 1, 10) WHERE day IS NULL OR day = ''").Error
}

// eraseTraces takes what was deleted out of the write-ahead log too. In the database itself it is overwritten as it is
// deleted (secure_delete); the log holds pages as they were until it is begun anew. A reader that is at work puts that
// off: it is asked again.
func (s *Store) eraseTraces() error {
	const attempts, pause = 50, 100 * time.Millisecond
	for range attempts {
		var busy, log, moved int
		row := s.write.Raw("PRAGMA wal_checkpoint(TRUNCATE)").Row()
		if err := row.Scan(&busy, &log, &moved); err != nil {
			return err
		}
		if busy == 0 {
			return nil
		}
		time.Sleep(pause)
	}
	return errors.New("it is deleted, but traces stay in the log until nobody reads: try again later")
}
