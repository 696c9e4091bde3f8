package store

import (
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"
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

// insertOneAgreed is that of one response.
var insertOneAgreed = fmt.Sprintf(insertAgreed, "id = ? AND")

// agree takes on anyone who agreed with a response that is stored.
func agree(tx *transaction, responseID string) error {
	_, err := tx.statement(insertOneAgreed).Exec(responseID)
	return err
}

// agreedFirst takes on anyone who agreed before there was a list.
func agreedFirst(tx *gorm.DB) error { return tx.Exec(fmt.Sprintf(insertAgreed, "")).Error }

// OnList returns someone on the list of a quiz.
func (s *Deliveries) OnList(quizID, email string) (*Agreed, error) {
	var a Agreed
	err := s.read.Where("quiz_id = ? AND email = ?", quizID, strings.ToLower(email)).Take(&a).Error
	return &a, notFound(err)
}

// List returns those of a quiz who agreed, the last first, after the one of a time and a response; "" begins at the
// top.
func (s *Deliveries) List(quizID string, before time.Time, after string, n int) ([]Agreed, error) {
	q := s.read.Where("quiz_id = ?", quizID)
	if after != "" {
		q = q.Where("(at, response_id) < (?, ?)", before.UTC(), after)
	}
	var list []Agreed
	err := q.Order("at DESC, response_id DESC").Limit(n).Find(&list).Error
	return list, err
}

// ListCounts is how many are on the list of a quiz, how many of them have confirmed it, and how many have left.
func (s *Deliveries) ListCounts(quizID string) (on, confirmed, left int, err error) {
	var row struct{ On, Confirmed, Gone int }
	err = s.read.Model(&Agreed{}).Where("quiz_id = ?", quizID).Select(`COUNT(CASE WHEN left_at IS NULL THEN 1 END) AS "on",
		COUNT(CASE WHEN left_at IS NULL THEN confirmed_at END) AS confirmed, COUNT(left_at) AS gone`).
		Scan(&row).Error
	return row.On, row.Confirmed, row.Gone, err
}

// Leave takes someone off the list; they stay on it as someone who has left. Twice is once.
func (s *Deliveries) Leave(quizID, email string) error {
	now := s.now().UTC()
	r := s.write.Model(&Agreed{}).Where("quiz_id = ? AND email = ? AND left_at IS NULL", quizID, strings.ToLower(email)).
		UpdateColumn("left_at", now)
	return r.Error
}

// Confirm notes that someone confirmed that they agreed, and sends what waited for that.
func (s *Deliveries) Confirm(quizID, email string) error {
	now := s.now().UTC()
	return s.transact(func(tx *gorm.DB) error {
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
