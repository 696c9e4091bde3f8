package documents

import (
	"errors"
	"fmt"

	"gorm.io/gorm"

	"omphalos/app/store/database"
)

// ErrSlugTaken is returned when another quiz has the link name.
var ErrSlugTaken = errors.New("another quiz already uses this link")

// QuizBySlug returns the quiz that a link name leads to, by the name it has now or one that it had before.
func (s *Store) QuizBySlug(slug string) (*Quiz, error) {
	var q Quiz
	err := s.Read.Joins("JOIN links ON links.quiz_id = quizzes.id").
		Where("links.slug = ? AND quizzes.deleted_at IS NULL", slug).First(&q).Error
	return &q, database.NotFound(err)
}

// RenameLink gives a live quiz another link name; the earlier ones lead to it still. Errors: ErrNotFound, ErrSlugTaken.
func (s *Store) RenameLink(quizID, slug string) error {
	return s.BumpState(s.Transact(func(tx *gorm.DB) error {
		var q Quiz
		if err := tx.Where("id = ? AND deleted_at IS NULL AND live_version > 0", quizID).First(&q).Error; err != nil {
			return database.NotFound(err)
		}
		if err := s.TakeLink(tx, quizID, slug); err != nil {
			return err
		}
		return tx.Model(&q).UpdateColumn("slug", slug).Error
	}))
}

// LinkOwner is the id of the quiz that a name leads to, an earlier name of it too; "" when it is free.
func (s *Store) LinkOwner(slug string) (string, error) { return linkOwner(s.Read, slug) }

// TakeLink makes a name lead to a quiz. A name of a quiz that is not deleted stays with it.
func (s *Store) TakeLink(tx *gorm.DB, quizID, slug string) error {
	owner, err := linkOwner(tx, slug)
	if err != nil {
		return err
	}
	if owner != "" && owner != quizID {
		return ErrSlugTaken
	}
	return tx.Save(&Link{Slug: slug, QuizID: quizID, At: s.Now().UTC()}).Error
}

// linkOwner is the id of the quiz that a name leads to, "" when it is free.
func linkOwner(tx *gorm.DB, slug string) (string, error) {
	var l Link
	err := tx.Joins("JOIN quizzes ON quizzes.id = links.quiz_id").
		Where("links.slug = ? AND quizzes.deleted_at IS NULL", slug).First(&l).Error
	if database.IsMissing(err) {
		return "", nil
	}
	return l.QuizID, err
}

// freeLink gives a quiz the wanted name, or the first of name-2, name-3 … that no other quiz has, and returns it.
func (s *Store) freeLink(tx *gorm.DB, quizID, wanted string) (string, error) {
	slug := wanted
	for n := 2; ; n++ {
		err := s.TakeLink(tx, quizID, slug)
		if !errors.Is(err, ErrSlugTaken) {
			return slug, err
		}
		slug = fmt.Sprintf("%s-%d", wanted, n)
	}
}
