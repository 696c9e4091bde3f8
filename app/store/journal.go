package store

import (
	"time"
)

// JournalLine is something that someone did. It names accounts and quizzes, and no respondents.
type JournalLine struct {
	ID        uint      `gorm:"primaryKey"`
	At        time.Time `gorm:"index"`
	AccountID uint      `gorm:"index"`
	Account   string    // its email address, which stays when the account goes
	Verb      string    // such as edited, launched, exported
	QuizID    string    `gorm:"index"`
	Quiz      string    // its name then
	Detail    string
	Count     int // how often, within together
}

// Verbs that are written once for a while of doing them.
const VerbEdited = "edited"

// VerbReset is the verb of a new password by a link that was mailed.
const VerbReset = "set a new password by a reset link"

// together is how long edits of one person in one quiz are one line.
const together = 10 * time.Minute

// journalLife is how long lines are kept.
const journalLife = 2 * 366 * 24 * time.Hour

// Note writes a line.
func (s *People) Note(l JournalLine) error {
	l.At, l.Count = s.now().UTC(), 1
	if l.Verb == VerbEdited {
		var last JournalLine
		err := s.read.Where("account_id = ? AND quiz_id = ?", l.AccountID, l.QuizID).
			Where("verb = ? AND at > ?", l.Verb, l.At.Add(-together)).
			Order("id DESC").
			Take(&last).
			Error
		if err == nil {
			again := map[string]any{"count": last.Count + 1, "quiz": l.Quiz}
			return s.write.Model(&JournalLine{}).Where("id = ?", last.ID).UpdateColumns(again).Error
		}
		if !isMissing(err) {
			return err
		}
	}
	return s.write.Create(&l).Error
}

// JournalFilter chooses lines; what is zero chooses all.
type JournalFilter struct {
	Account uint
	Verb    string
	Quiz    string
	Before  uint // lines under this number
}

// Journal returns the newest lines that a filter chooses.
func (s *People) Journal(f JournalFilter, n int) ([]JournalLine, error) {
	q := s.read.Order("id DESC").Limit(n)
	if f.Account != 0 {
		q = q.Where("account_id = ?", f.Account)
	}
	if f.Verb != "" {
		q = q.Where("verb = ?", f.Verb)
	}
	if f.Quiz != "" {
		q = q.Where("quiz_id = ?", f.Quiz)
	}
	if f.Before != 0 {
		q = q.Where("id < ?", f.Before)
	}
	var list []JournalLine
	return list, q.Find(&list).Error
}

// JournalVerbs are the verbs that were written.
func (s *People) JournalVerbs() ([]string, error) {
	var list []string
	err := s.read.Model(&JournalLine{}).Distinct("verb").Order("verb").Pluck("verb", &list).Error
	return list, err
}

func (s *People) dropOldJournal() error {
	return s.write.Where("at < ?", s.now().UTC().Add(-journalLife)).Delete(&JournalLine{}).Error
}
