package people

import (
	"time"

	"omphalos/app/store/database"
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
func (s *Store) Note(l JournalLine) error {
	l.At, l.Count = s.Now().UTC(), 1
	if l.Verb == VerbEdited {
		var last JournalLine
		err := s.Read.Where("account_id = ? AND quiz_id = ?", l.AccountID, l.QuizID).
			Where("verb = ? AND at > ?", l.Verb, l.At.Add(-together)).
			Order("id DESC").
			Take(&last).
			Error
		if err == nil {
			again := map[string]any{"count": last.Count + 1, "quiz": l.Quiz}
			return s.Write.Model(&JournalLine{}).Where("id = ?", last.ID).UpdateColumns(again).Error
		}
		if !database.IsMissing(err) {
			return err
		}
	}
	return s.Write.Create(&l).Error
}

// JournalFilter chooses lines; what is zero chooses all.
type JournalFilter struct {
	Account uint
	Verb    string
	Quiz    string
	Before  uint // lines under this number
}

// Journal returns the newest lines that a filter chooses.
func (s *Store) Journal(f JournalFilter, n int) ([]JournalLine, error) {
	q := s.Read.Order("id DESC").Limit(n)
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
func (s *Store) JournalVerbs() ([]string, error) {
	var list []string
	err := s.Read.Model(&JournalLine{}).Distinct("verb").Order("verb").Pluck("verb", &list).Error
	return list, err
}

// DropOldJournal drops lines that have been kept for long enough.
func (s *Store) DropOldJournal() error {
	return s.Write.Where("at < ?", s.Now().UTC().Add(-journalLife)).Delete(&JournalLine{}).Error
}
