// Package store keeps accounts, quizzes, their edits and versions, responses and their totals in SQLite or PostgreSQL.
// It is the only package that knows the database. What differs between the two is in sqlite.go and postgres.go.
package store

import (
	"time"

	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Account is someone who can sign in.
type Account struct {
	ID        uint   `gorm:"primaryKey"`
	Email     string `gorm:"uniqueIndex;not null"`
	Name      string
	Password  []byte // argon2id, or bcrypt of earlier programs; empty for one that signs in elsewhere
	CreatedAt time.Time

	Role    string // Owner, Editor or Viewer
	Some    bool   `gorm:"column:chosen_only"` // it sees chosen quizzes alone
	Subject string `gorm:"index"`              // of the provider that it signs in with, "" for none

	Factor     string // secret of its second factor (RFC 6238), "" for none
	FactorStep int64  // time step of the last code that was used
	Recovery   []byte // JSON list of hashes of recovery codes

	NextFactor      string     // secret of one that is being set up: a code of it has not been typed yet
	NextFactorUntil *time.Time // until when it can be

	Failed      int        // wrong passwords since the last sign-in
	FailedSince *time.Time // when the first of them was tried
}

// Health is a line that is written to see whether the database takes anything.
type Health struct {
	ID uint `gorm:"primaryKey"`
	At time.Time
}

// Session is a sign-in; only the hash of its token is stored.
type Session struct {
	Hash      string `gorm:"primaryKey"`
	AccountID uint   `gorm:"not null;index"`
	Account   Account
	ExpiresAt time.Time

	ID     string `gorm:"index"` // names it in lists
	At     time.Time
	SeenAt time.Time
	Agent  string // the browser, in words
	Waits  bool   // for the code of a second factor: it signs in to nothing yet
	Tries  int    // wrong codes, while it waits

	Failed      int        // wrong passwords that were tried before this sign-in, until they have been seen
	FailedSince *time.Time // when the first of them was
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

// Link is a name under which respondents find a quiz. Names that it had before lead on to the one it has now.
type Link struct {
	Slug   string `gorm:"primaryKey"`
	QuizID string `gorm:"not null;index"`
	At     time.Time
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
	EditID    string `gorm:"uniqueIndex:once,priority:2"` // made at the click: an edit that is sent twice is stored once
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

// Version is a launched document. It never changes.
type Version struct {
	QuizID    string `gorm:"primaryKey"`
	Number    int    `gorm:"primaryKey;autoIncrement:false"`
	Revision  int
	Document  []byte
	AccountID uint
	At        time.Time
	Again     int // the version whose content it brings back; 0 for a launch of the draft
}

// Response is one finished walk. One that keeps nothing has only its outcome, its day and the random id of its walk.
//
// The index by_place holds all that a filter of Leads asks for: choosing among a million responses reads it alone.
type Response struct {
	// ID is the walk's: finishing twice makes one response.
	ID        string `gorm:"primaryKey;index:by_place,priority:5"`
	QuizID    string `gorm:"not null;index:by_place,priority:1"`
	Version   int    `gorm:"index:by_place,priority:7"`
	Kept      bool   `gorm:"index:by_place,priority:2"`
	Outcome   string `gorm:"index:by_place,priority:6"`
	Verdict   string // deciding line: 1-based number, 0 or branch
	Reason    string // in words, as it was when decided
	Scores    []byte // JSON object of score.Columns to cells
	Answers   []byte // JSON object of question id to walk.Answer
	Labels    []byte // JSON object of question id to choice id to label, of answers that came from tables
	Name      string
	Email     string
	Contact   []byte // JSON object of contact field id to text
	Consent   string // the wording agreed to; "" when not
	ConsentAt *time.Time
	Source    string `gorm:"index:by_place,priority:9"`
	Device    string `gorm:"index:by_place,priority:10"`
	Country   string `gorm:"index:by_place,priority:11"`
	Language  string `gorm:"index:by_place,priority:12"`
	Way       string `gorm:"index:by_place,priority:14"` // how the quiz was reached: one of the Way constants
	Marks     string `gorm:"index:by_place,priority:13"` // its answers for filters: see marksOf
	WasLead   bool   // it had an email address that is forgotten
	ImportID  string // of the import that it came with; "" for one that was answered here
	Aside     bool   `gorm:"index:by_place,priority:3"` // it is set aside
	Suspect   string // why: it looks like a program's; "" for a respondent's
	Params    []byte // JSON object
	Day       string `gorm:"index:by_place,priority:8"` // YYYY-MM-DD in the quiz's time zone, when it was finished
	StartedAt time.Time
	At        time.Time `gorm:"index:by_place,priority:4"` // when it was finished

	BeforeSplit bool `gorm:"not null;default:false"` // it was on its way when the split test began that ran when it was finished

	Cap        int    `gorm:"-"` // of the quiz, when it has one: how many responses are taken at most
	Invitation string `gorm:"-"` // that it answers; it answers none but once
	Mails      []Mail `gorm:"-"` // messages that it brings about: their ids, recipients, and when they are due

	Walked Walked `gorm:"-"` // of a walk that keeps nothing: it is added to the tallies, and to no row

	Given map[string]walk.Answer `gorm:"-"` // Answers before they were written; nil when they come from the database
}

// Walked is what tells finished walks apart in figures.
type Walked struct{ Source, Device, Country, Language, Way string }

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

// DataTable is a list kept next to a quiz: places, addresses, products. It changes without a launch.
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
