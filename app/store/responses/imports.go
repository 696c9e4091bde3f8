package responses

import (
	"errors"
	"slices"
	"sync/atomic"
	"time"

	"golang.org/x/sync/errgroup"

	"omphalos/app/store/database"
)

// Import is a table of past responses that was imported, and can be taken out again as a whole.
type Import struct {
	ID        string `gorm:"primaryKey"`
	QuizID    string `gorm:"index"`
	Name      string // of the file
	Count     int    // responses that were stored
	AccountID uint
	At        time.Time
}

// BringIn stores past responses as one import. A response that is there already is not stored again; count is how many
// were new.
func (s *Store) BringIn(in *Import, list []*Submission) (count int, err error) {
	in.At = s.Now().UTC()
	var all errgroup.Group
	all.SetLimit(maxBatch) // they share the wait for the disk
	var stored atomic.Int64
	for _, r := range list {
		r.QuizID, r.ImportID = in.QuizID, in.ID
		all.Go(func() error {
			fresh, err := s.Submit(*r)
			if fresh {
				stored.Add(1)
			}
			return err
		})
	}
	err = all.Wait()
	if in.Count = int(stored.Load()); in.Count == 0 {
		return 0, err
	}
	return in.Count, errors.Join(err, s.Write.Create(in).Error) // what is in can be taken out
}

// Present returns how many of these responses are stored already.
func (s *Store) Present(quizID string, list []*Submission) (int, error) {
	n := 0
	for part := range slices.Chunk(list, 500) {
		ids := make([]string, len(part))
		for i, r := range part {
			ids[i] = r.ID
		}
		var there int64
		known := s.Read.Model(&Response{}).Where("quiz_id = ? AND id IN ?", quizID, ids)
		if err := known.Count(&there).Error; err != nil {
			return 0, err
		}
		n += int(there)
	}
	return n, nil
}

// Imports returns the imports of a quiz, the newest first.
func (s *Store) Imports(quizID string) ([]Import, error) {
	var list []Import
	err := s.Read.Where("quiz_id = ?", quizID).Order("at DESC, id").Find(&list).Error
	return list, err
}

// TakeOut deletes all responses of an import, which leave the figures. ErrNotFound where there is none of the id.
func (s *Store) TakeOut(quizID, id string) error {
	var in Import
	if err := s.Read.Where("quiz_id = ? AND id = ?", quizID, id).Take(&in).Error; err != nil {
		return database.NotFound(err)
	}
	var ids []string
	if err := s.Read.Model(&Response{}).
		Where("quiz_id = ? AND import_id = ?", quizID, id).
		Pluck("id", &ids).
		Error; err != nil {
		return err
	}
	if err := s.deleteResponses(quizID, ids); err != nil {
		return err
	}
	if err := s.Write.Delete(&in).Error; err != nil {
		return err
	}
	return s.EraseTraces()
}
