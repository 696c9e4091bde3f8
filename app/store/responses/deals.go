package responses

import (
	"errors"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
)

// States of a deal.
const (
	DealOpen = "open"
	DealWon  = "won"
	DealLost = "lost"
)

// Deal is what came of a response afterwards.
type Deal struct {
	ResponseID string `gorm:"primaryKey"`
	QuizID     string `gorm:"index:deals_of,priority:1"`
	State      string `gorm:"index:deals_of,priority:2"`
	Amount     string // a decimal, "" where none is known
	Currency   string // ISO 4217
	AccountID  uint
	At         time.Time
}

// SetDeals stores deals of responses of a quiz; one without a state is forgotten. ErrNotFound where a response is not
// the quiz's: then none is stored.
func (s *Store) SetDeals(quizID string, list []Deal) error {
	return s.Transact(func(tx *gorm.DB) error {
		for i := range list {
			d := &list[i]
			var of Response
			err := tx.Select("id", "outcome").Where("id = ? AND quiz_id = ? AND kept = ?", d.ResponseID, quizID, true).Take(&of).Error
			if err != nil {
				return database.NotFound(err)
			}
			if d.QuizID, d.At = quizID, s.Now().UTC(); d.State == "" {
				err = tx.Delete(&Deal{ResponseID: d.ResponseID}).Error
			} else {
				err = tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(d).Error
			}
			if err == nil {
				err = s.Deliveries.TellHooks(tx, quizID, deliveries.EventDeal, of.ID, of.Outcome)
			}
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// Deals returns what came of the responses of a quiz, by response.
func (s *Store) Deals(quizID string) (map[string]Deal, error) {
	var list []Deal
	err := s.Read.Where("quiz_id = ?", quizID).Find(&list).Error
	out := make(map[string]Deal, len(list))
	for _, d := range list {
		out[d.ResponseID] = d
	}
	return out, err
}

// DealOf is what came of one response; a Deal without a state where nothing is known.
func (s *Store) DealOf(responseID string) (Deal, error) {
	var d Deal
	err := s.Read.Where("response_id = ?", responseID).Take(&d).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		err = nil
	}
	return d, err
}

// Match finds the kept response of a quiz that a deal is about: by its id, or the newest with an email address. It is
// "" where there is none.
func (s *Store) Match(quizID, key string) (string, error) {
	var r Response
	with := s.Read.Model(&Word{}).Select("response_id").Where("quiz_id = ? AND word = ?", quizID, strings.ToLower(key))
	err := s.Read.Select("id").Where("quiz_id = ? AND kept = ?", quizID, true).
		Where("id = ? OR id IN (?) AND LOWER(email) = LOWER(?)", key, with, key).
		Order("at DESC").Take(&r).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return "", nil
	}
	return r.ID, err
}
