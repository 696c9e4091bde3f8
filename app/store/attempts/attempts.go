package attempts

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Attempt is how often something was tried since the first time, until a moment. It is counted for all servers on the
// database together.
type Attempt struct {
	Key   string `gorm:"primaryKey"` // a keyed hash: whose attempts they are is not stored
	Count int
	Until time.Time `gorm:"index"`
}

// Try counts an attempt and returns how many there have been in the period that the first of them began.
func (s *Store) Try(key string, period time.Duration) (count int, err error) {
	if key, err = s.Keyed(key); err != nil {
		return 0, err
	}
	now := s.Now().UTC()
	a := Attempt{Key: key, Count: 1, Until: now.Add(period)}
	err = s.Transact(func(tx *gorm.DB) error {
		over := tx.Where("key = ? AND until <= ?", key, now).Delete(&Attempt{})
		if over.Error != nil {
			return over.Error
		}
		once := clause.OnConflict{
			Columns:   []clause.Column{{Name: "key"}},
			DoUpdates: clause.Assignments(map[string]any{"count": gorm.Expr("attempts.count + 1")}),
		}
		if err := tx.Clauses(once).Create(&a).Error; err != nil {
			return err
		}
		return tx.Where("key = ?", key).Take(&a).Error
	})
	return a.Count, err
}

// Forget begins again with attempts.
func (s *Store) Forget(key string) error {
	key, err := s.Keyed(key)
	if err != nil {
		return err
	}
	return s.Write.Where("key = ?", key).Delete(&Attempt{}).Error
}

// Keyed is the name under which something is counted: it doesn’t tell what was counted.
func (s *Store) Keyed(key string) (string, error) {
	secret := s.secret.Load()
	if secret == nil {
		read, err := s.Secret("attempts")
		if err != nil {
			return "", err
		}
		secret = &read
		s.secret.Store(secret) // it never changes
	}
	mac := hmac.New(sha256.New, *secret)
	mac.Write([]byte(key))
	return hex.EncodeToString(mac.Sum(nil)), nil
}

// DropOldCounts drops counts of attempts whose period is over.
func (s *Store) DropOldCounts() error {
	return s.Loose.Where("until < ?", s.Now().UTC()).Delete(&Attempt{}).Error
}
