package deliveries

import (
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"

	"omphalos/app/store/database"
)

// Agreed is someone on the list of a quiz: they agreed to its consent text, and left an email address. Who leaves
// the list stays on it as someone who has left.
type Agreed struct {
	QuizID     string `gorm:"primaryKey"`
	Email      string `gorm:"primaryKey"` // in small letters
	ResponseID string `gorm:"index"`      // the last that they agreed with
	Name       string
	Wording    string
	Source     string
	At         time.Time  `gorm:"index:agreed_at"`
	Confirmed  *time.Time `gorm:"column:confirmed_at"`
	Left       *time.Time `gorm:"column:left_at"`
}

// TableName is the name of the table.
func (Agreed) TableName() string { return "agreed" }

// On reports whether they are written to; confirming says whether the quiz asks for a confirmation.
func (a *Agreed) On(confirming bool) bool {
	return a.Left == nil && (!confirming || a.Confirmed != nil)
}

// insertAgreed takes on who agreed with responses. Who had left comes back, and confirms again.
const insertAgreed = `INSERT INTO agreed (quiz_id, email, response_id, name, wording, source, at)
	SELECT quiz_id, LOWER(email), id, name, consent, source, COALESCE(consent_at, at) FROM responses
	WHERE %s kept AND NOT aside AND email <> '' AND consent <> '' ORDER BY at
	ON CONFLICT (quiz_id, email) DO UPDATE SET response_id = excluded.response_id, name = excluded.name,
	wording = excluded.wording, source = excluded.source, at = excluded.at,
	confirmed_at = CASE WHEN agreed.left_at IS NULL THEN agreed.confirmed_at END, left_at = NULL`

// InsertOneAgreed is that of one response.
var InsertOneAgreed = fmt.Sprintf(insertAgreed, "id = ? AND")

// Agree takes on anyone who agreed with a response that is stored.
func Agree(tx *database.Transaction, responseID string) error {
	_, err := tx.Statement(InsertOneAgreed).Exec(responseID)
	return err
}

// AgreedFirst takes on anyone who agreed before there was a list.
func AgreedFirst(tx *gorm.DB) error { return tx.Exec(fmt.Sprintf(insertAgreed, "")).Error }

// OnList returns someone on the list of a quiz.
func (s *Store) OnList(quizID, email string) (*Agreed, error) {
	var a Agreed
	err := s.Read.Where("quiz_id = ? AND email = ?", quizID, strings.ToLower(email)).Take(&a).Error
	return &a, database.NotFound(err)
}

// List returns those of a quiz who agreed, the last first, after the one of a time and a response; "" begins at the
// top.
func (s *Store) List(quizID string, before time.Time, after string, n int) ([]Agreed, error) {
	q := s.Read.Where("quiz_id = ?", quizID)
	if after != "" {
		q = q.Where("(at, response_id) < (?, ?)", before.UTC(), after)
	}
	var list []Agreed
	err := q.Order("at DESC, response_id DESC").Limit(n).Find(&list).Error
	return list, err
}

// ListCounts is how many are on the list of a quiz, how many of them have confirmed it, and how many have left.
func (s *Store) ListCounts(quizID string) (on, confirmed, left int, err error) {
	var row struct{ On, Confirmed, Gone int }
	err = s.Read.Model(&Agreed{}).
		Where("quiz_id = ?", quizID).
		Select(`COUNT(CASE WHEN left_at IS NULL THEN 1 END) AS "on",
		COUNT(CASE WHEN left_at IS NULL THEN confirmed_at END) AS confirmed, COUNT(left_at) AS gone`).
		Scan(&row).
		Error
	return row.On, row.Confirmed, row.Gone, err
}

// Leave takes someone off the list; they stay on it as someone who has left. Twice is once.
func (s *Store) Leave(quizID, email string) error {
	now := s.Now().UTC()
	r := s.Write.Model(&Agreed{}).
		Where("quiz_id = ? AND email = ? AND left_at IS NULL", quizID, strings.ToLower(email)).
		UpdateColumn("left_at", now)
	return r.Error
}

// Confirm notes that someone confirmed that they agreed, and sends what waited for that.
func (s *Store) Confirm(quizID, email string) error {
	now := s.Now().UTC()
	return s.Transact(func(tx *gorm.DB) error {
		r := tx.Model(&Agreed{}).Where("quiz_id = ? AND email = ? AND left_at IS NULL", quizID, strings.ToLower(email)).
			UpdateColumn("confirmed_at", gorm.Expr("COALESCE(confirmed_at, ?)", now))
		if r.Error != nil || r.RowsAffected == 0 {
			return r.Error
		}
		return tx.Model(&Mail{}).
			Where("quiz_id = ? AND LOWER(recipients) = ? AND state = ?", quizID, strings.ToLower(email), MailUnconfirmed).
			UpdateColumns(map[string]any{"state": DeliveryWaiting, "next": now}).Error
	})
}
