package responses

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/tallies"
)

// A respondent waits for the disk here, so the driver is asked itself: a general way of writing rows takes longer than
// the database.

// responseColumns are the columns of a response, in the order of values.
var responseColumns = strings.Fields(
	`id quiz_id version kept outcome verdict reason scores answers labels name email contact consent
	consent_at source device country language way marks was_lead import_id aside suspect params day started_at at
	before_split`,
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
		r.BeforeSplit,
	}
}

var insertResponse = fmt.Sprintf("INSERT INTO responses (%s) VALUES (%s) ON CONFLICT DO NOTHING",
	strings.Join(responseColumns, ", "), database.Placeholders(len(responseColumns)))

func prepare(db *gorm.DB, d *database.Dialect) (database.Statements, error) {
	pool, err := db.DB()
	if err != nil {
		return nil, err
	}
	out := database.Statements{}
	mine := []string{insertResponse, d.Words, deliveries.InsertMail, deliveries.InsertOneAgreed}
	for _, query := range slices.Concat(mine, tallies.Statements) {
		if out[query], err = pool.Prepare(d.Bind(query)); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// insertResponses writes responses and reports which of them were new.
func insertResponses(tx *database.Transaction, rows []*Response) (fresh []bool, err error) {
	insert := tx.Statement(insertResponse)
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

// lines are words as the table has them.
func (r *Response) lines(words []string) [][3]string {
	out := make([][3]string, len(words))
	for i, word := range words {
		out[i] = [3]string{r.QuizID, word, r.ID}
	}
	return out
}

// writeWords makes responses be found by their words.
func writeWords(tx *database.Transaction, lines [][3]string) error {
	if len(lines) == 0 {
		return nil
	}
	slices.SortFunc(lines, func(a, b [3]string) int { return slices.Compare(a[:], b[:]) }) // as they are kept
	text, err := json.Marshal(lines)
	if err == nil {
		_, err = tx.Statement(tx.Dialect.Words).Exec(string(text))
	}
	return err
}

// insertDelivery is what tellHooks writes, on the connection of the writer.
const insertDelivery = `INSERT INTO deliveries
	(id, hook_id, quiz_id, response_id, event, at, next, state, attempts, code, said)
	VALUES (?, ?, ?, ?, ?, ?, ?, ?, 0, 0, '')`

// queueEvents puts what responses tell of on its way to the hooks of their quizzes.
func queueEvents(tx *database.Transaction, list []newEvents, at time.Time) error {
	hooks := map[string][]deliveries.Hook{}
	for _, r := range list {
		if _, known := hooks[r.QuizID]; known {
			continue
		}
		rows, err := tx.Query("SELECT id, events, outcomes FROM hooks WHERE quiz_id = ?", r.QuizID)
		if err != nil {
			return err
		}
		hooks[r.QuizID] = []deliveries.Hook{}
		for rows.Next() {
			h := deliveries.Hook{QuizID: r.QuizID}
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
			for _, event := range r.events {
				if !h.Wants(event, r.Outcome) {
					continue
				}
				d := deliveries.NewDelivery(&h, event, r.ID, at)
				values := []any{d.ID, d.HookID, d.QuizID, d.ResponseID, d.Event, d.At, d.Next, d.State}
				if _, err := tx.Exec(insertDelivery, values...); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// dropWords takes responses of a quiz out of the search, whatever words they had. It goes through all words of the
// quiz.
func dropWords(tx *database.Transaction, quizID string, ids ...string) error {
	list, err := json.Marshal(ids)
	if err == nil {
		_, err = tx.Exec(tx.Dialect.DropWords, quizID, string(list))
	}
	return err
}

// newMails are the lines that a response's messages are stored as.
func (r *reading) newMails(now time.Time) []deliveries.Mail {
	out := make([]deliveries.Mail, len(r.Mails))
	for i, m := range r.Mails {
		m.ID, m.QuizID, m.ResponseID, m.At = database.NewID()+database.NewID(), r.QuizID, r.ID, now
		if m.Next = m.Next.Truncate(database.Tick); m.Next.Before(now) {
			m.Next = now
		}
		if m.State = deliveries.DeliveryWaiting; !r.IsGenuine() {
			m.State = deliveries.MailAside
		}
		out[i] = m
	}
	return out
}

// queueMessages puts the messages of responses on their way, and who agreed on the list.
func queueMessages(tx *database.Transaction, list []*reading, now time.Time) error {
	var errs []error
	for _, r := range list {
		for _, m := range r.newMails(now) {
			_, err := tx.Statement(deliveries.InsertMail).
				Exec(m.ID, m.QuizID, m.ResponseID, m.MessageID, m.Recipients, m.Agreed, m.At, m.Next, m.State)
			errs = append(errs, err)
		}
		if r.Email != "" && r.Consent != "" {
			errs = append(errs, deliveries.Agree(tx, r.ID))
		}
	}
	return errors.Join(errs...)
}
