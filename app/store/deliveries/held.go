package deliveries

import (
	"errors"
	"time"

	"gorm.io/gorm"

	"omphalos/app/store/database"
)

// HeldPlace is the place of a respondent that is too long for an address: a token, kept for a day.
type HeldPlace struct {
	ID        string `gorm:"primaryKey"`
	QuizID    string `gorm:"not null;index"`
	Walk      string `gorm:"index"` // whose place it is
	Network   string `gorm:"index"` // a keyed hash of where it came from
	Token     string
	ExpiresAt time.Time `gorm:"index"`
}

// Bounds of what is kept for a day. No one's place makes room for that of someone else: where there is none left, it
// stays with the page that it is of.
const (
	HeldFor       = 24 * time.Hour
	HeldOfWalk    = 16       // places; the oldest of the same walk go
	HeldOfNetwork = 400      // places
	bytesOfNet    = 4 << 20  // of them
	HeldOfQuiz    = 4_000    // places
	maxHeld       = 20_000   // places of all quizzes
	LongestHeld   = 64 << 10 // bytes of one
)

// Hold keeps a token under an id; false where there is no room for it.
func (s *Store) Hold(h HeldPlace) (held bool, err error) {
	if len(h.Token) > LongestHeld {
		return false, nil
	}
	if h.Network, err = s.Attempts.Keyed("held " + h.Network); err != nil {
		return false, err
	}
	h.ExpiresAt = s.Now().UTC().Add(HeldFor)
	err = s.Transact(func(tx *gorm.DB) error {
		older := tx.Model(&HeldPlace{}).Select("id").Where("walk = ?", h.Walk).
			Order("expires_at DESC, id").Limit(maxHeld).Offset(HeldOfWalk - 1)
		if err := tx.Where("id IN (?)", older).Delete(&HeldPlace{}).Error; err != nil {
			return err
		}
		room, err := roomToHold(tx, &h)
		if err == nil && !room {
			err = errNoRoom // what is there stays, that of the same walk too
		}
		if err != nil {
			return err
		}
		return tx.Create(&h).Error
	})
	if errors.Is(err, errNoRoom) {
		return false, nil
	}
	return err == nil, err
}

var errNoRoom = errors.New("there is no room for the place")

func roomToHold(tx *gorm.DB, h *HeldPlace) (bool, error) {
	var net struct{ Places, Bytes int }
	err := tx.Model(&HeldPlace{}).Select("COUNT(*) AS places, COALESCE(SUM(LENGTH(token)), 0) AS bytes").
		Where("network = ?", h.Network).Scan(&net).Error
	if err != nil || net.Places >= HeldOfNetwork || net.Bytes+len(h.Token) > bytesOfNet {
		return false, err
	}
	var quiz, all int64
	if err := tx.Model(&HeldPlace{}).Where("quiz_id = ?", h.QuizID).Count(&quiz).Error; err != nil ||
		quiz >= HeldOfQuiz {
		return false, err
	}
	err = tx.Model(&HeldPlace{}).Count(&all).Error
	return all < maxHeld, err
}

// Held is the token that is kept under an id of a quiz; ErrNotFound when there is none any more.
func (s *Store) Held(id, quizID string) (string, error) {
	var held HeldPlace
	err := s.Read.Where("id = ? AND quiz_id = ? AND expires_at > ?", id, quizID, s.Now().UTC()).First(&held).Error
	return held.Token, database.NotFound(err)
}
