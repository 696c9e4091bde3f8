package store

import (
	"crypto/rand"
	"strings"
	"time"

	"gorm.io/gorm"
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
func (s *Documents) MakeRehearsalLink(q *Quiz, account uint, fixed bool) (key string, err error) {
	key = strings.ToLower(rand.Text())
	now := s.now().UTC()
	l := RehearsalLink{ID: NewID(), QuizID: q.ID, Hash: hashOf(key), AccountID: account, At: now, Ends: now.Add(RehearsalLife)}
	if fixed {
		l.Revision, l.Document = q.Revision, q.Document
	}
	return key, s.transact(func(tx *gorm.DB) error {
		ended := tx.Where("quiz_id = ? AND ends <= ?", q.ID, now).Delete(&RehearsalLink{})
		if ended.Error != nil {
			return ended.Error
		}
		if err := hasRoom(tx, &RehearsalLink{}, q.ID, 1, MaxRehearsalLinks, ErrFull); err != nil {
			return err
		}
		return tx.Create(&l).Error
	})
}

// RehearsalLinks returns the links of a quiz that still work, the newest first.
func (s *Documents) RehearsalLinks(quizID string) ([]RehearsalLink, error) {
	var list []RehearsalLink
	err := s.read.Omit("document").Where("quiz_id = ? AND ends > ?", quizID, s.now().UTC()).Order("at DESC").Find(&list).Error
	return list, err
}

// RevokeRehearsalLink ends a link. ErrNotFound where there is none.
func (s *Documents) RevokeRehearsalLink(quizID, id string) error {
	r := s.write.Where("quiz_id = ? AND id = ?", quizID, id).Delete(&RehearsalLink{})
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNotFound
	}
	return r.Error
}

// Rehearsed is the draft that the key of a link shows. ErrNotFound for one that never was, has ended or was revoked.
func (s *Documents) Rehearsed(key string) (*Quiz, error) {
	var l RehearsalLink
	err := s.read.Where("hash = ? AND ends > ?", hashOf(key), s.now().UTC()).Take(&l).Error
	if err != nil {
		return nil, notFound(err)
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
