// Package store keeps accounts, quizzes, their edits and versions, and responses in SQLite. It is the only package that
// knows the database.
package store

import "time"

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
	CreatedAt   time.Time
	UpdatedAt   time.Time
	DeletedAt   *time.Time `gorm:"index"`
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
	Params    []byte // JSON object
	StartedAt time.Time
	At        time.Time `gorm:"index:by_quiz,priority:2"` // when it was finished
}
