package documents

import (
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

	"omphalos/app/store/database"
)

// Handout is a file that a quiz shares: a checklist, a price list. It changes without a launch.
type Handout struct {
	QuizID string `gorm:"primaryKey"`
	ID     string `gorm:"primaryKey"` // names it in texts
	Name   string // of the file
	Type   string
	Size   int
	Data   []byte
	At     time.Time
}

// HandoutTally is how often a file was fetched from the endings and messages of an outcome.
type HandoutTally struct {
	QuizID    string `gorm:"primaryKey"`
	HandoutID string `gorm:"primaryKey"`
	Outcome   string `gorm:"primaryKey"`
	Count     int
}

// Bounds of what a quiz shares.
const (
	MaxHandouts     = 30
	MaxHandoutBytes = 10 << 20
)

// ErrManyHandouts is returned for one more than MaxHandouts.
var ErrManyHandouts = errors.New("the quiz has reached its limit of files")

// PutHandout stores a file, in place of the one of its id.
func (s *Store) PutHandout(f *Handout) error {
	f.At, f.Size = s.Now().UTC(), len(f.Data)
	return s.Transact(func(tx *gorm.DB) error {
		before := tx.Where("quiz_id = ? AND id = ?", f.QuizID, f.ID).Delete(&Handout{})
		if before.Error != nil {
			return before.Error
		}
		if err := database.HasRoom(tx, &Handout{}, f.QuizID, 1, MaxHandouts, ErrManyHandouts); err != nil {
			return err
		}
		return tx.Create(f).Error
	})
}

// Handouts returns the files of a quiz by their ids, without what is in them.
func (s *Store) Handouts(quizID string) ([]Handout, error) {
	var list []Handout
	err := s.Read.Omit("data").Where("quiz_id = ?", quizID).Order("id").Find(&list).Error
	return list, err
}

// Handout returns a file of a quiz.
func (s *Store) Handout(quizID, id string) (*Handout, error) {
	var f Handout
	err := s.Read.Where("quiz_id = ? AND id = ?", quizID, id).Take(&f).Error
	return &f, database.NotFound(err)
}

// DropHandout deletes a file; how often it was fetched goes with it.
func (s *Store) DropHandout(quizID, id string) error {
	return s.Transact(func(tx *gorm.DB) error {
		r := tx.Where("quiz_id = ? AND id = ?", quizID, id).Delete(&Handout{})
		if r.Error == nil && r.RowsAffected == 0 {
			return database.ErrNotFound
		}
		tally := tx.Where("quiz_id = ? AND handout_id = ?", quizID, id).Delete(&HandoutTally{})
		return errors.Join(r.Error, tally.Error)
	})
}

// Fetched counts that a file was fetched.
func (s *Store) Fetched(quizID, id, outcome string) error {
	const sums = `INSERT INTO handout_tallies (quiz_id, handout_id, outcome, count) VALUES (?, ?, ?, 1)
		ON CONFLICT (quiz_id, handout_id, outcome) DO UPDATE SET count = handout_tallies.count + 1`
	return s.Write.Exec(sums, quizID, id, outcome).Error
}

// HandoutCounts are how often each file of a quiz was fetched, by its id and by outcome.
func (s *Store) HandoutCounts(quizID string) (map[string]map[string]int, error) {
	var list []HandoutTally
	err := s.Read.Where("quiz_id = ?", quizID).Find(&list).Error
	out := map[string]map[string]int{}
	for _, t := range list {
		if out[t.HandoutID] == nil {
			out[t.HandoutID] = map[string]int{}
		}
		out[t.HandoutID][t.Outcome] = t.Count
	}
	return out, err
}

// SizeOf writes a number of bytes for people.
func SizeOf(n int) string {
	if n < 1<<20 {
		return fmt.Sprintf("%d kB", max(1, n>>10))
	}
	return fmt.Sprintf("%.1f MB", float64(n)/(1<<20))
}
