package store

import (
	"errors"
	"slices"
	"sync/atomic"
	"time"

	"golang.org/x/sync/errgroup"
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
func (s *Responses) BringIn(in *Import, list []*Response) (count int, err error) {
	in.At = s.now().UTC()
	var all errgroup.Group
	all.SetLimit(maxBatch) // they share the wait for the disk
	var stored atomic.Int64
	for _, r := range list {
		r.QuizID, r.ImportID = in.QuizID, in.ID
		all.Go(func() error {
			fresh, err := s.Submit(r)
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
	return in.Count, errors.Join(err, s.write.Create(in).Error) // what is in can be taken out
}

// Present returns how many of these responses are stored already.
func (s *Responses) Present(quizID string, list []*Response) (int, error) {
	n := 0
	for part := range slices.Chunk(list, 500) {
		ids := make([]string, len(part))
		for i, r := range part {
			ids[i] = r.ID
		}
		var there int64
		if err := s.read.Model(&Response{}).Where("quiz_id = ? AND id IN ?", quizID, ids).Count(&there).Error; err != nil {
			return 0, err
		}
		n += int(there)
	}
	return n, nil
}

// Imports returns the imports of a quiz, the newest first.
func (s *Responses) Imports(quizID string) ([]Import, error) {
	var list []Import
	err := s.read.Where("quiz_id = ?", quizID).Order("at DESC, id").Find(&list).Error
	return list, err
}

// TakeOut deletes all responses of an import, which leave the figures. ErrNotFound where there is none of the id.
func (s *Responses) TakeOut(quizID, id string) error {
	var in Import
	if err := s.read.Where("quiz_id = ? AND id = ?", quizID, id).Take(&in).Error; err != nil {
		return notFound(err)
	}
	var ids []string
	if err := s.read.Model(&Response{}).
		Where("quiz_id = ? AND import_id = ?", quizID, id).
		Pluck("id", &ids).
		Error; err != nil {
		return err
	}
	if err := s.deleteResponses(quizID, ids); err != nil {
		return err
	}
	if err := s.write.Delete(&in).Error; err != nil {
		return err
	}
	return s.eraseTraces()
}
