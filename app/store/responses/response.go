package responses

import (
	"time"

	"omphalos/app/store/deliveries"
	"omphalos/app/store/tallies"
	"omphalos/core/walk"
)

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

	// BeforeSplit says that it had begun before the split test that ran when it was finished.
	BeforeSplit bool `gorm:"not null;default:false"`
}

// Submission is a response as it comes, with what is known of it then alone.
type Submission struct {
	*Response
	Given map[string]walk.Answer // its answers, before they were written; nil where they are to be read

	Limit      int               // how many responses the quiz takes; 0 is any number
	Invitation string            // that it answers; it answers none but once
	Mails      []deliveries.Mail // that it brings about: their ids, recipients, and when they are due
	Walked     tallies.Walked    // of a walk that keeps nothing: it is added to the tallies, and to no row
}
