package store

import (
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"

	"omphalos/core/quiz"
)

// Kinds of revision.
const (
	KindEdit = "edit"
	KindUndo = "undo"
	KindRedo = "redo"
)

// What Undo and Redo return when they have nothing to do.
var (
	ErrNothingDone   = errors.New("there is nothing to take back")
	ErrNothingUndone = errors.New("there is nothing to make again")
)

// ErrSlugTaken is returned when another quiz has the link name.
var ErrSlugTaken = errors.New("another quiz has this link")

// Stale is the error of an edit that was made on an older revision: it says which edits came since.
type Stale struct {
	Since []Revision
}

func (s *Stale) Error() string {
	return fmt.Sprintf("the quiz has changed since: %d edits", len(s.Since))
}

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

// QuizBySlug returns the quiz with this link name.
func (s *Store) QuizBySlug(slug string) (*Quiz, error) {
	var q Quiz
	err := s.read.Where("slug = ? AND deleted_at IS NULL", slug).First(&q).Error
	return &q, notFound(err)
}

// Quizzes returns every quiz that is not deleted, the last edited first.
func (s *Store) Quizzes() ([]Quiz, error) {
	var list []Quiz
	err := s.read.Where("deleted_at IS NULL").Order("updated_at DESC, id").Find(&list).Error
	return list, err
}

// DeleteQuiz hides a quiz; RestoreQuiz brings it back.
func (s *Store) DeleteQuiz(id string) error { return s.setDeleted(id, time.Now().UTC()) }

// RestoreQuiz brings a deleted quiz back.
func (s *Store) RestoreQuiz(id string) error { return s.setDeleted(id, nil) }

func (s *Store) setDeleted(id string, at any) error {
	r := s.write.Model(&Quiz{}).Where("id = ?", id).UpdateColumn("deleted_at", at)
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNotFound
	}
	return r.Error
}

// Edit applies a patch that was made on revision base and stores it as the next revision. An edit on an older revision is
// moved over the edits since, which are returned too; where the two touch the same place it is refused with *Stale. A patch
// that makes no well-formed draft is refused with quiz.Problems.
func (s *Store) Edit(id string, account uint, base int, patch quiz.Patch) (*Quiz, []Revision, error) {
	var since []Revision
	q, err := s.revise(id, account, func(tx *gorm.DB, q *Quiz, r *Revision) (quiz.Patch, error) {
		if base != q.Revision {
			if err := tx.Where("quiz_id = ? AND number > ?", id, base).Order("number").Find(&since).Error; err != nil {
				return nil, err
			}
			moved, ok := rebase(q.Document, patch, since)
			if !ok {
				return nil, &Stale{Since: since}
			}
			patch = moved
		}
		r.Kind, r.UndoBelow = KindEdit, q.UndoHead
		q.UndoHead, q.RedoHead = r.Number, 0
		return patch, nil
	})
	return q, since, err
}

// maxRebase bounds over how many edits an old one is moved.
const maxRebase = 100

// rebase moves a patch over the edits since it was made. text is the draft as it is now.
func rebase(text []byte, patch quiz.Patch, since []Revision) (quiz.Patch, bool) {
	if len(since) > maxRebase {
		return nil, false
	}
	others := make([]quiz.Patch, len(since))
	for i := len(since) - 1; i >= 0; i-- {
		var err error
		if others[i], err = quiz.ReadPatch(since[i].Patch); err != nil {
			return nil, false
		}
		back, err := quiz.ReadPatch(since[i].Inverse)
		if err != nil {
			return nil, false
		}
		edited, err := quiz.Edit(text, back)
		if err != nil {
			return nil, false
		}
		text = edited.Text
	}
	return quiz.Rebase(text, patch, others)
}

// EditsSince returns the edits of a quiz after a revision, oldest first.
func (s *Store) EditsSince(id string, base int) ([]Revision, error) {
	var list []Revision
	err := s.read.Where("quiz_id = ? AND number > ?", id, base).Order("number").Find(&list).Error
	return list, err
}

// Revision returns the number of the last edit of a quiz.
func (s *Store) Revision(id string) (int, error) {
	var q Quiz
	err := s.read.Select("revision").Where("id = ? AND deleted_at IS NULL", id).First(&q).Error
	return q.Revision, notFound(err)
}

// Undo takes the last edit back.
func (s *Store) Undo(id string, account uint) (*Quiz, error) {
	return s.revise(id, account, func(tx *gorm.DB, q *Quiz, r *Revision) (quiz.Patch, error) {
		r.Kind = KindUndo
		if q.UndoHead == 0 {
			return nil, ErrNothingDone
		}
		done, err := loadRevision(tx, q.ID, q.UndoHead)
		if err != nil {
			return nil, err
		}
		if err := tx.Model(done).Update("redo_below", q.RedoHead).Error; err != nil {
			return nil, err
		}
		q.UndoHead, q.RedoHead = done.UndoBelow, done.Number
		return quiz.ReadPatch(done.Inverse)
	})
}

// Redo makes the edit again that was taken back last.
func (s *Store) Redo(id string, account uint) (*Quiz, error) {
	return s.revise(id, account, func(tx *gorm.DB, q *Quiz, r *Revision) (quiz.Patch, error) {
		r.Kind = KindRedo
		if q.RedoHead == 0 {
			return nil, ErrNothingUndone
		}
		undone, err := loadRevision(tx, q.ID, q.RedoHead)
		if err != nil {
			return nil, err
		}
		q.UndoHead, q.RedoHead = undone.Number, undone.RedoBelow
		return quiz.ReadPatch(undone.Patch)
	})
}

func loadRevision(tx *gorm.DB, id string, number int) (*Revision, error) {
	var r Revision
	err := tx.Where("quiz_id = ? AND number = ?", id, number).First(&r).Error
	return &r, notFound(err)
}

// revise runs one step of a draft's history in a transaction: step sets the chains and returns the patch to apply.
func (s *Store) revise(id string, account uint, step func(*gorm.DB, *Quiz, *Revision) (quiz.Patch, error)) (*Quiz, error) {
	var q Quiz
	err := s.write.Transaction(func(tx *gorm.DB) error {
		if err := tx.Where("id = ? AND deleted_at IS NULL", id).First(&q).Error; err != nil {
			return notFound(err)
		}
		r := Revision{QuizID: id, Number: q.Revision + 1, AccountID: account, At: time.Now().UTC()}
		patch, err := step(tx, &q, &r)
		if err != nil {
			return err
		}
		edited, err := quiz.Edit(q.Document, patch)
		if err != nil {
			return err
		}
		if r.Patch, err = json.Marshal(patch); err != nil {
			return err
		}
		if r.Inverse, err = json.Marshal(edited.Inverse); err != nil {
			return err
		}
		q.Document, q.Name, q.Revision, q.Read = edited.Text, edited.Document.Name, r.Number, edited.Document
		if err := tx.Create(&r).Error; err != nil {
			return err
		}
		return tx.Save(&q).Error
	})
	return &q, err
}

// Launch freezes the draft, as it is at revision base, as the next version and makes it the one that runs.
func (s *Store) Launch(id string, account uint, base int, slug string) (*Version, error) {
	var v Version
	err := s.write.Transaction(func(tx *gorm.DB) error {
		var q Quiz
		if err := tx.Where("id = ? AND deleted_at IS NULL", id).First(&q).Error; err != nil {
			return notFound(err)
		}
		if base != q.Revision {
			return &Stale{}
		}
		v = Version{QuizID: id, Number: 1, Revision: q.Revision, Document: q.Document, AccountID: account, At: time.Now().UTC()}
		if err := tx.Model(&Version{}).Where("quiz_id = ?", id).Select("COALESCE(MAX(number), 0) + 1").Scan(&v.Number).Error; err != nil {
			return err
		}
		if err := tx.Create(&v).Error; err != nil {
			return err
		}
		err := tx.Model(&q).UpdateColumns(map[string]any{"live_version": v.Number, "slug": slug}).Error
		if errors.Is(err, gorm.ErrDuplicatedKey) {
			return ErrSlugTaken
		}
		return err
	})
	return &v, err
}

// Version returns a launched version.
func (s *Store) Version(id string, number int) (*Version, error) {
	var v Version
	err := s.read.Where("quiz_id = ? AND number = ?", id, number).First(&v).Error
	return &v, notFound(err)
}

// Versions returns the launched versions without their documents, the newest first.
func (s *Store) Versions(id string) ([]Version, error) {
	var list []Version
	err := s.read.Omit("document").Where("quiz_id = ?", id).Order("number DESC").Find(&list).Error
	return list, err
}
