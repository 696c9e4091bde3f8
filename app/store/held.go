package store

import (
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// HeldPlace is the place of a respondent that is too long for an address: a token, kept for a day.
type HeldPlace struct {
	ID        string `gorm:"primaryKey"`
	QuizID    string `gorm:"not null;index"`
	Token     string
	ExpiresAt time.Time `gorm:"index"`
}

const (
	heldFor = 24 * time.Hour
	maxHeld = 4_000 // of them together: a token has at most some 16 kB
)

// Hold keeps a token under an id. Past the bound the oldest go.
func (s *Store) Hold(id, quizID, token string) error {
	return s.transact(func(tx *gorm.DB) error {
		var n int64
		if err := tx.Model(&HeldPlace{}).Count(&n).Error; err != nil {
			return err
		}
		if n >= maxHeld {
			oldest := tx.Model(&HeldPlace{}).Select("id").Order("expires_at").Limit(int(n) - maxHeld + maxHeld/10)
			if err := tx.Where("id IN (?)", oldest).Delete(&HeldPlace{}).Error; err != nil {
				return err
			}
		}
		held := HeldPlace{ID: id, QuizID: quizID, Token: token, ExpiresAt: s.now().UTC().Add(heldFor)}
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&held).Error
	})
}

// Held is the token that is kept under an id of a quiz; ErrNotFound when there is none any more.
func (s *Store) Held(id, quizID string) (string, error) {
	var held HeldPlace
	err := s.read.Where("id = ? AND quiz_id = ? AND expires_at > ?", id, quizID, s.now().UTC()).First(&held).Error
	return held.Token, notFound(err)
}
