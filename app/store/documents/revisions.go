package documents

import (
	"errors"
	"strconv"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"omphalos/app/store/database"
)

// ErrOvertaken is returned by Swap when the draft is no longer at the revision that the edit was computed on.
var ErrOvertaken = errors.New("the draft has changed in the meantime")

// Next is a draft after an edit, with the revision that made it and where its author's history stands then.
type Next struct {
	Name     string
	Document []byte
	Revision Revision
	History  History
}

// Swap stores the next state of a draft if the draft is still at revision base. All that takes time has been computed
// before: the transaction compares and writes. Errors: ErrOvertaken, ErrNotFound.
func (s *Store) Swap(base int, next *Next) error {
	r := &next.Revision
	r.At = r.At.Truncate(database.Tick)
	return s.Transact(func(tx *gorm.DB) error {
		update := map[string]any{
			"document":   next.Document,
			"name":       next.Name,
			"revision":   r.Number,
			"updated_at": r.At,
		}
		swapped := tx.Model(&Quiz{}).
			Where("id = ? AND revision = ? AND deleted_at IS NULL", r.QuizID, base).
			UpdateColumns(update)
		if err := database.Changed(swapped); errors.Is(err, database.ErrNotFound) {
			return s.whyNotSwapped(tx, r.QuizID)
		} else if err != nil {
			return err
		}
		if err := tx.Create(r).Error; err != nil {
			if errors.Is(err, gorm.ErrDuplicatedKey) { // the same edit, sent twice at once
				return ErrOvertaken
			}
			return err
		}
		if err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&next.History).Error; err != nil {
			return err
		}
		return s.Tell(tx, database.SaidEdit, r.QuizID, strconv.Itoa(r.Number))
	})
}

func (s *Store) whyNotSwapped(tx *gorm.DB, id string) error {
	var n int64
	if err := tx.Model(&Quiz{}).Where("id = ? AND deleted_at IS NULL", id).Count(&n).Error; err != nil {
		return err
	}
	if n == 0 {
		return database.ErrNotFound
	}
	return ErrOvertaken
}

// History returns where someone's Undo and Redo stand in a quiz.
func (s *Store) History(quizID string, account uint) (History, error) {
	h := History{QuizID: quizID, AccountID: account}
	err := s.Read.Where("quiz_id = ? AND account_id = ?", quizID, account).Take(&h).Error
	if database.IsMissing(err) {
		err = nil
	}
	return h, err
}

// RevisionOfEdit returns the revision that an edit made, by the edit's id.
func (s *Store) RevisionOfEdit(quizID, editID string) (*Revision, error) {
	var r Revision
	err := s.Read.Where("quiz_id = ? AND edit_id = ?", quizID, editID).Take(&r).Error
	return &r, database.NotFound(err)
}

// Revision returns one edit of a quiz.
func (s *Store) Revision(quizID string, number int) (*Revision, error) {
	var r Revision
	err := s.Read.Where("quiz_id = ? AND number = ?", quizID, number).Take(&r).Error
	return &r, database.NotFound(err)
}

// EditsSince returns the edits of a quiz after a revision, oldest first, up to those that q holds: of an edit that came
// since q was read, nothing is told.
func (s *Store) EditsSince(q *Quiz, base int) ([]Revision, error) {
	var list []Revision
	err := s.Read.Where("quiz_id = ? AND number > ? AND number <= ?", q.ID, base, q.Revision).
		Order("number").Find(&list).Error
	return list, err
}

// RevisionNow returns the number of the last edit of a quiz.
func (s *Store) RevisionNow(id string) (int, error) {
	var q Quiz
	err := s.Read.Select("revision").Where("id = ? AND deleted_at IS NULL", id).Take(&q).Error
	return q.Revision, database.NotFound(err)
}

// revisionLife is how long an edit of before the live version can be undone.
const revisionLife = 90 * 24 * time.Hour

// DropOldRevisions deletes edits that are older than 90 days and than the live version of their quiz, and returns how
// many.
func (s *Store) DropOldRevisions() (int64, error) {
	live := s.Write.Model(&Version{}).Select("versions.revision").
		Joins("JOIN quizzes ON quizzes.id = versions.quiz_id AND quizzes.live_version = versions.number").
		Where("versions.quiz_id = revisions.quiz_id")
	r := s.Write.Where("at < ? AND number <= (?)", s.Now().UTC().Add(-revisionLife), live).Delete(&Revision{})
	return r.RowsAffected, r.Error
}

// Kinds of revision.
const (
	KindEdit = "edit"
	KindUndo = "undo"
	KindRedo = "redo"
)

// Revision is one edit of a draft: the patch, the patch that undoes it, and its place in its author's history.
type Revision struct {
	QuizID    string `gorm:"primaryKey;uniqueIndex:once,priority:1"`
	Number    int    `gorm:"primaryKey;autoIncrement:false"`
	EditID    string `gorm:"uniqueIndex:once,priority:2"` // made at the click: one that is sent twice is stored once
	Window    string // which window it was made in
	Kind      string
	Cancels   int // of undo and redo: the revision whose effect this one undoes
	Patch     []byte
	Inverse   []byte
	UndoBelow int // what its author's Undo undoes after this one
	RedoBelow int // what its author's Redo makes again after this one
	AccountID uint
	At        time.Time
}

// History is where one person's Undo and Redo stand in a quiz; 0 is nowhere.
type History struct {
	QuizID    string `gorm:"primaryKey"`
	AccountID uint   `gorm:"primaryKey;autoIncrement:false"`
	Undo      int
	Redo      int
}
