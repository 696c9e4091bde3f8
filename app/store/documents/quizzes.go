package documents

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"gorm.io/gorm"

	"omphalos/app/cache"
	"omphalos/app/store/database"
	"omphalos/core/quiz"
)

// Store keeps quizzes: drafts with their edits, versions, tables, pictures, and what they are reached by.
type Store struct {
	*database.DB
	objects Objects // of pictures; nil for none
	memory  *cache.Cache[versionKey, *quiz.Document]
}

// New keeps quizzes in a database, and pictures among the objects; without these, in the database too.
func New(db *database.DB, objects Objects) *Store {
	return &Store{DB: db, objects: objects, memory: cache.New[versionKey, *quiz.Document](documentMemory)}
}

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
	q := &Quiz{ID: database.NewID(), Name: name, Document: text}
	return q, s.Write.Create(q).Error
}

// Quiz returns a quiz that is not deleted.
func (s *Store) Quiz(id string) (*Quiz, error) {
	var q Quiz
	err := s.Read.Where("id = ? AND deleted_at IS NULL", id).First(&q).Error
	return &q, database.NotFound(err)
}

// Quizzes returns every quiz that is not deleted, the last edited first.
func (s *Store) Quizzes() ([]Quiz, error) {
	var list []Quiz
	err := s.Read.Where("deleted_at IS NULL").Order("updated_at DESC, id").Find(&list).Error
	return list, err
}

// DeleteQuiz hides a quiz; RestoreQuiz brings it back. While it is hidden, other quizzes can take the names of its
// links.
func (s *Store) DeleteQuiz(id string) error {
	return s.BumpState(
		database.Changed(s.Write.Model(&Quiz{}).Where("id = ?", id).UpdateColumn("deleted_at", s.Now().UTC())),
	)
}

// RestoreQuiz brings a deleted quiz back. Where another quiz has taken its link meanwhile it gets a name next to that.
func (s *Store) RestoreQuiz(id string) error {
	return s.BumpState(s.Transact(func(tx *gorm.DB) error {
		var q Quiz
		if err := tx.Where("id = ?", id).First(&q).Error; err != nil {
			return database.NotFound(err)
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
		now := s.Now().UTC()
		at = &now
	}
	return database.Changed(
		s.Write.Model(&Quiz{}).Where("id = ? AND deleted_at IS NULL", id).UpdateColumn("archived_at", at),
	)
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
	return database.Changed(
		s.Write.Model(&Quiz{}).Where("id = ? AND deleted_at IS NULL", id).UpdateColumn("tags", strings.Join(tags, ",")),
	)
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
	err := s.Transact(func(tx *gorm.DB) error {
		var q Quiz
		err := tx.Select("assumed").Where("id = ? AND deleted_at IS NULL", id).First(&q).Error
		if err != nil {
			return database.NotFound(err)
		}
		if next, err = f(q.Assumed); err != nil {
			return err
		}
		return tx.Model(&Quiz{}).Where("id = ?", id).UpdateColumn("assumed", next).Error
	})
	return next, err
}

// Quiz is a draft and what runs of it.
type Quiz struct {
	ID          string `gorm:"primaryKey"`
	Name        string
	Document    []byte // the draft's JSON
	Revision    int    // number of the last edit
	Slug        *string
	LiveVersion int        // 0: never launched
	Assumed     []byte     // JSON of the shares of answers that the team assumes (reach.Assumption)
	Access      []byte     // JSON of who may reach it (Access)
	KeepDays    int        // for how many days responses are kept; 0 is permanently
	KeepWhat    string     // what goes then: ForgetContact or ForgetAll
	Tags        string     // by which the team finds it, with commas between them
	ArchivedAt  *time.Time // it stands apart in the list; nothing else changes
	CreatedAt   time.Time
	UpdatedAt   time.Time
	DeletedAt   *time.Time `gorm:"index"`

	Read *quiz.Document `gorm:"-"` // the document as an edit has just read it; nil when it comes from the database
}

// PurgeDay is when a deleted quiz goes permanently.
func (q *Quiz) PurgeDay() time.Time {
	if q.DeletedAt == nil {
		return time.Time{}
	}
	return q.DeletedAt.Add(BinLife)
}

// BinLife is how long a deleted quiz can be brought back before it is purged with all that came of it.
const BinLife = 30 * 24 * time.Hour

// Bin returns the deleted quizzes, the last deleted first.
func (s *Store) Bin() ([]Quiz, error) {
	var list []Quiz
	err := s.Read.Omit("document").Where("deleted_at IS NOT NULL").Order("deleted_at DESC, id").Find(&list).Error
	return list, err
}

// Link is a name under which respondents find a quiz. Names that it had before lead on to the one it has now.
type Link struct {
	Slug   string `gorm:"primaryKey"`
	QuizID string `gorm:"not null;index"`
	At     time.Time
}

// TablesState names the state of the tables next to a quiz.
func (s *Store) TablesState(quizID string) (string, error) {
	var list []DataTable
	if err := s.Read.Select("name", "number").Where("quiz_id = ?", quizID).Order("name").Find(&list).Error; err != nil {
		return "", err
	}
	var b strings.Builder
	for _, t := range list {
		fmt.Fprintf(&b, "%s %d;", t.Name, t.Number)
	}
	return b.String(), nil
}
