package store

import (
	"crypto/rand"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"gorm.io/gorm"

	"omphalos/core/quiz"
)

// NewID returns a random id that is easy to read and to put into an address.
func NewID() string { return strings.ToLower(rand.Text())[:12] }

// CreateQuiz stores a new draft.
func (s *Store) CreateQuiz(d *quiz.Document) (*Quiz, error) {
	text, err := json.Marshal(d)
	if err != nil {
		return nil, err
	}
	return s.CreateQuizText(d.Name, text)
}

// CreateQuizText stores a new draft from the text of its document.
func (s *Store) CreateQuizText(name string, text []byte) (*Quiz, error) {
	q := &Quiz{ID: NewID(), Name: name, Document: text}
	return q, s.write.Create(q).Error
}

// Quiz returns a quiz that is not deleted.
func (s *Store) Quiz(id string) (*Quiz, error) {
	var q Quiz
	err := s.read.Where("id = ? AND deleted_at IS NULL", id).First(&q).Error
	return &q, notFound(err)
}

// Quizzes returns every quiz that is not deleted, the last edited first.
func (s *Store) Quizzes() ([]Quiz, error) {
	var list []Quiz
	err := s.read.Where("deleted_at IS NULL").Order("updated_at DESC, id").Find(&list).Error
	return list, err
}

// DeleteQuiz hides a quiz; RestoreQuiz brings it back. While it is hidden, other quizzes can take the names of its
// links.
func (s *Store) DeleteQuiz(id string) error {
	return s.bumpState(changed(s.write.Model(&Quiz{}).Where("id = ?", id).UpdateColumn("deleted_at", s.now().UTC())))
}

// RestoreQuiz brings a deleted quiz back. Where another quiz has taken its link meanwhile it gets a name next to that.
func (s *Store) RestoreQuiz(id string) error {
	return s.bumpState(s.transact(func(tx *gorm.DB) error {
		var q Quiz
		if err := tx.Where("id = ?", id).First(&q).Error; err != nil {
			return notFound(err)
		}
		update := map[string]any{"deleted_at": nil}
		if q.Slug != nil {
			slug, err := s.freeLink(tx, id, *q.Slug)
			if err != nil {
				return err
			}
			update["slug"] = slug
		}
		return tx.Model(&q).UpdateColumns(update).Error
	}))
}

// Archive puts a quiz aside in the list of quizzes, or back. What runs continues running.
func (s *Store) Archive(id string, aside bool) error {
	var at *time.Time
	if aside {
		now := s.now().UTC()
		at = &now
	}
	return changed(s.write.Model(&Quiz{}).Where("id = ? AND deleted_at IS NULL", id).UpdateColumn("archived_at", at))
}

// Bounds of the tags of a quiz.
const (
	MostTags   = 12
	LongestTag = 40 // characters
)

// ErrTags is returned for more or longer tags than a quiz can have.
var ErrTags = errors.New("too many tags, or one is too long")

// SetTags gives a quiz its tags, with commas between them. Spaces around them and repetitions go; capitals make no
// difference.
func (s *Store) SetTags(id, text string) error {
	var tags []string
	for tag := range strings.SplitSeq(text, ",") {
		tag = strings.Join(strings.Fields(tag), " ")
		same := func(other string) bool { return strings.EqualFold(tag, other) }
		if tag == "" || slices.ContainsFunc(tags, same) {
			continue
		}
		if utf8.RuneCountInString(tag) > LongestTag || len(tags) == MostTags {
			return ErrTags
		}
		tags = append(tags, tag)
	}
	return changed(s.write.Model(&Quiz{}).Where("id = ? AND deleted_at IS NULL", id).UpdateColumn("tags", strings.Join(tags, ",")))
}

// TagList are the tags of a quiz in the order in which they were typed.
func (q *Quiz) TagList() []string {
	if q.Tags == "" {
		return nil
	}
	return strings.Split(q.Tags, ",")
}

// ChangeAssumed changes the JSON of assumed shares by f, which sees what is stored now: changes of several people at
// once are made one after another.
func (s *Store) ChangeAssumed(id string, f func(now []byte) ([]byte, error)) ([]byte, error) {
	var next []byte
	err := s.transact(func(tx *gorm.DB) error {
		var q Quiz
		err := tx.Select("assumed").Where("id = ? AND deleted_at IS NULL", id).First(&q).Error
		if err != nil {
			return notFound(err)
		}
		if next, err = f(q.Assumed); err != nil {
			return err
		}
		return tx.Model(&Quiz{}).Where("id = ?", id).UpdateColumn("assumed", next).Error
	})
	return next, err
}

// changed is the error of an update that must have met a row.
func changed(r *gorm.DB) error {
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNotFound
	}
	return r.Error
}

func isMissing(err error) bool { return errors.Is(err, gorm.ErrRecordNotFound) }
