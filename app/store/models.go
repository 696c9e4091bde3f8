// Package store keeps accounts, quizzes, their edits and versions, and responses in SQLite. It is the only package that
// knows the database.
package store

import (
	"time"

	"omphalos/core/quiz"
)

// Account is somebody who can sign in.
type Account struct {
	ID        uint   `gorm:"primaryKey"`
	Email     string `gorm:"uniqueIndex;not null"`
	Name      string
	Password  []byte // bcrypt
	CreatedAt time.Time
}

// Session is a sign-in; only the hash of its token is stored.
type Session struct {
	Hash      string `gorm:"primaryKey"`
	AccountID uint   `gorm:"not null;index"`
	Account   Account
	ExpiresAt time.Time
}

// Secret is a key that the server made for itself.
type Secret struct {
	Name  string `gorm:"primaryKey"`
	Value []byte
}

// Quiz is a draft and what runs of it.
type Quiz struct {
	ID          string `gorm:"primaryKey"`
	Name        string
	Document    []byte  // the draft's JSON
	Revision    int     // number of the last edit
	UndoHead    int     // revision that Undo takes back; 0 is none
	RedoHead    int     // revision that Redo makes again; 0 is none
	Slug        *string `gorm:"uniqueIndex"`
	LiveVersion int     // 0: never launched
	Assumed     []byte  // JSON of the shares of answers that the team assumes (reach.Assumption)
	CreatedAt   time.Time
	UpdatedAt   time.Time
	DeletedAt   *time.Time `gorm:"index"`

	Read *quiz.Document `gorm:"-"` // the document as an edit has just read it; nil when it comes from the database
}

// Revision is one edit of a draft: the patch, the patch that undoes it, and the links of the undo and redo chains.
type Revision struct {
	QuizID    string `gorm:"primaryKey"`
	Number    int    `gorm:"primaryKey;autoIncrement:false"`
	Kind      string // edit, undo, redo
	Patch     []byte
	Inverse   []byte
	UndoBelow int // what Undo took back before this edit was made
	RedoBelow int // what Redo would make again after this one, while this one is undone
	AccountID uint
	At        time.Time
}

// Version is a launched document. It never changes.
type Version struct {
	QuizID    string `gorm:"primaryKey"`
	Number    int    `gorm:"primaryKey;autoIncrement:false"`
	Revision  int
	Document  []byte
	AccountID uint
	At        time.Time
}

// Response is one finished walk. One that keeps nothing has only its outcome, its day and the random id of its walk.
type Response struct {
	ID        string `gorm:"primaryKey"` // the walk's id: finishing twice makes one response
	QuizID    string `gorm:"not null;index:by_quiz,priority:1"`
	Version   int
	Kept      bool
	Outcome   string
	Verdict   string // deciding line: 1-based number, 0 or branch
	Reason    string // in words, as it was when decided
	Scores    []byte // JSON object of score.Columns to cells
	Answers   []byte // JSON object of question id to walk.Answer
	Name      string
	Email     string
	Contact   []byte // JSON object of contact field id to text
	Consent   string // the wording agreed to; "" when not
	ConsentAt *time.Time
	Source    string
	Suspect   string // why it is kept aside: it looks like a program's; "" for a respondent's
	Params    []byte // JSON object
	StartedAt time.Time
	At        time.Time `gorm:"index:by_quiz,priority:2"` // when it was finished
}

// Picture is one image of the library, in the sizes that pages ask for.
type Picture struct {
	ID        string `gorm:"primaryKey"` // hash of what was uploaded, so that the same picture is kept once
	Name      string
	Alt       string
	Credit    string
	Width     int
	Height    int
	CreatedAt time.Time
}

// PictureSize is a picture at one width, encoded.
type PictureSize struct {
	PictureID string `gorm:"primaryKey"`
	Width     int    `gorm:"primaryKey;autoIncrement:false"`
	Type      string // image/jpeg or image/png
	Data      []byte
}

// DataTable is a list kept beside a quiz: places, addresses, products. It changes without a launch.
type DataTable struct {
	QuizID    string `gorm:"primaryKey"`
	Name      string `gorm:"primaryKey"`
	Number    int    // of the last change
	Columns   []byte // JSON list of names; the first column is the key
	Rows      []byte // JSON list of lists of cells
	UpdatedAt time.Time
}

// DataTableChange is a table as it was after one change.
type DataTableChange struct {
	QuizID    string `gorm:"primaryKey"`
	Name      string `gorm:"primaryKey"`
	Number    int    `gorm:"primaryKey;autoIncrement:false"`
	Columns   []byte
	Rows      []byte
	AccountID uint
	At        time.Time
}

// Miss is a key that a table was asked for and did not have.
type Miss struct {
	QuizID string `gorm:"primaryKey"`
	Name   string `gorm:"primaryKey"`
	Key    string `gorm:"primaryKey"`
	Count  int
	At     time.Time
}
