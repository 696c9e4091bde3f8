package documents

import (
	"crypto/rand"
	"strings"
	"time"

	"gorm.io/gorm"

	"omphalos/app/store/database"
)

// RehearsalLink shows a rehearsal to anyone who has its address, without an account, until it ends.
type RehearsalLink struct {
	ID        string `gorm:"primaryKey"`
	QuizID    string `gorm:"index"`
	Hash      string `gorm:"uniqueIndex"` // of the key in the address, which is not kept
	Revision  int    // of the draft that it shows; 0 for the draft as it is
	Document  []byte // of that revision
	AccountID uint
	At        time.Time
	Ends      time.Time
}

// RehearsalLife is how long a link to a rehearsal works.
const RehearsalLife = 14 * 24 * time.Hour

// MaxRehearsalLinks is how many links of a quiz work at once.
const MaxRehearsalLinks = 20

// MakeRehearsalLink makes a link to a quiz's draft: as it is whenever it is opened, or with fixed as it is now. It
// returns the key of its address. ErrFull where there are MaxRehearsalLinks.
func (s *Store) MakeRehearsalLink(q *Quiz, account uint, fixed bool) (key string, err error) {
	key = strings.ToLower(rand.Text())
	now := s.Now().UTC()
	l := RehearsalLink{
		ID:        database.NewID(),
		QuizID:    q.ID,
		Hash:      database.HashOf(key),
		AccountID: account,
		At:        now,
		Ends:      now.Add(RehearsalLife),
	}
	if fixed {
		l.Revision, l.Document = q.Revision, q.Document
	}
	return key, s.Transact(func(tx *gorm.DB) error {
		ended := tx.Where("quiz_id = ? AND ends <= ?", q.ID, now).Delete(&RehearsalLink{})
		if ended.Error != nil {
			return ended.Error
		}
		if err := database.HasRoom(tx, &RehearsalLink{}, q.ID, 1, MaxRehearsalLinks, database.ErrFull); err != nil {
			return err
		}
		return tx.Create(&l).Error
	})
}

// RehearsalLinks returns the links of a quiz that still work, the newest first.
func (s *Store) RehearsalLinks(quizID string) ([]RehearsalLink, error) {
	var list []RehearsalLink
	err := s.Read.Omit("document").
		Where("quiz_id = ? AND ends > ?", quizID, s.Now().UTC()).
		Order("at DESC").
		Find(&list).
		Error
	return list, err
}

// RevokeRehearsalLink ends a link. ErrNotFound where there is none.
func (s *Store) RevokeRehearsalLink(quizID, id string) error {
	r := s.Write.Where("quiz_id = ? AND id = ?", quizID, id).Delete(&RehearsalLink{})
	if r.Error == nil && r.RowsAffected == 0 {
		return database.ErrNotFound
	}
	return r.Error
}

// Rehearsed is the draft that the key of a link shows. ErrNotFound for one that never was, has ended or was revoked.
func (s *Store) Rehearsed(key string) (*Quiz, error) {
	var l RehearsalLink
	err := s.Read.Where("hash = ? AND ends > ?", database.HashOf(key), s.Now().UTC()).Take(&l).Error
	if err != nil {
		return nil, database.NotFound(err)
	}
	q, err := s.Quiz(l.QuizID)
	if err != nil {
		return nil, err
	}
	if l.Revision > 0 {
		q.Revision, q.Document, q.Read = l.Revision, l.Document, nil
	}
	return q, nil
}
