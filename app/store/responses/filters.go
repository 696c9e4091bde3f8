package responses

import (
	"crypto/rand"
	"strings"
	"time"

	"gorm.io/gorm"

	"omphalos/app/store/database"
	"omphalos/app/store/documents"
)

// KeptFilter is a choice of people in Leads that was given a name.
type KeptFilter struct {
	QuizID string `gorm:"primaryKey"`
	Name   string `gorm:"primaryKey"`
	Query  string // of the address
	At     time.Time
}

// MaxKeptFilters is how many filters of a quiz have a name at most.
const MaxKeptFilters = 100

// KeepFilter keeps a filter by its name, in place of one of the same name. ErrFull where there are MaxKeptFilters.
func (s *Store) KeepFilter(f *KeptFilter) error {
	f.At = s.Now().UTC()
	return s.Transact(func(tx *gorm.DB) error {
		before := tx.Where("quiz_id = ? AND name = ?", f.QuizID, f.Name).Delete(&KeptFilter{})
		if before.Error != nil {
			return before.Error
		}
		if err := database.HasRoom(tx, &KeptFilter{}, f.QuizID, 1, MaxKeptFilters, database.ErrFull); err != nil {
			return err
		}
		return tx.Create(f).Error
	})
}

// KeptFilters returns the filters of a quiz by name.
func (s *Store) KeptFilters(quizID string) ([]KeptFilter, error) {
	var list []KeptFilter
	err := s.Read.Where("quiz_id = ?", quizID).Order("name").Find(&list).Error
	return list, err
}

// DropFilter forgets a filter. ErrNotFound where there is none of the name.
func (s *Store) DropFilter(quizID, name string) error {
	r := s.Write.Where("quiz_id = ? AND name = ?", quizID, name).Delete(&KeptFilter{})
	if r.Error == nil && r.RowsAffected == 0 {
		return database.ErrNotFound
	}
	return r.Error
}

// ResultLink shows the figures of a quiz, without people, to anyone who has its address. It works until it is revoked.
type ResultLink struct {
	QuizID string `gorm:"primaryKey"`
	Key    string `gorm:"uniqueIndex"` // of the address: shown again to anyone who may read the quiz's responses anyway
	Query  string // a filter of Leads, as of an address: those chosen by it are shown; "" is all
	At     time.Time
}

// MakeResultLink makes the link of a quiz for those whom a filter chooses, or returns the one that there is.
func (s *Store) MakeResultLink(quizID, query string) (*ResultLink, error) {
	l, err := s.ResultLink(quizID)
	if err != nil || l != nil {
		return l, err
	}
	l = &ResultLink{QuizID: quizID, Key: strings.ToLower(rand.Text()), Query: query, At: s.Now().UTC()}
	return l, s.Write.Create(l).Error
}

// ResultLink is the link of a quiz; nil where there is none.
func (s *Store) ResultLink(quizID string) (*ResultLink, error) {
	var list []ResultLink
	if err := s.Read.Where("quiz_id = ?", quizID).Limit(1).Find(&list).Error; err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

// RevokeResultLink ends the link of a quiz.
func (s *Store) RevokeResultLink(quizID string) error {
	return s.Write.Where("quiz_id = ?", quizID).Delete(&ResultLink{}).Error
}

// ResultsOf is the quiz whose figures a key shows, and the filter of those whom it shows. ErrNotFound for one that
// never was or was revoked, and for a quiz in the bin.
func (s *Store) ResultsOf(key string) (q *documents.Quiz, query string, err error) {
	var l ResultLink
	if err := s.Read.Where("key = ?", key).Take(&l).Error; err != nil {
		return nil, "", database.NotFound(err)
	}
	q, err = s.Documents.Quiz(l.QuizID)
	return q, l.Query, err
}
