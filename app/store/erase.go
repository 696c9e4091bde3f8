package store

import (
	"errors"

	"gorm.io/gorm"

	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/app/store/people"
)

// PurgeQuiz erases a deleted quiz with everything that came of it: afterwards nothing of it is left in the files of
// the database. It takes its turn among the responses, so that none of the quiz comes after it.
func (s *Store) PurgeQuiz(id string) error {
	err := s.Responses.Alone(func() error {
		return s.Transact(func(tx *gorm.DB) error {
			var q documents.Quiz
			if err := tx.Where("id = ? AND deleted_at IS NOT NULL", id).First(&q).Error; err != nil {
				return database.NotFound(err)
			}
			for _, table := range ofQuizzes {
				if err := tx.Where("quiz_id = ?", id).Delete(table).Error; err != nil {
					return err
				}
			}
			return tx.Delete(&q).Error
		})
	})
	if err != nil {
		return err
	}
	return s.BumpState(s.EraseTraces())
}

// PurgeOld purges what has been in the bin for longer than BinLife, and every line that is of no use any more.
func (s *Store) PurgeOld() error {
	var ids []string
	old := s.Read.Model(&documents.Quiz{}).Where("deleted_at < ?", s.Now().UTC().Add(-documents.BinLife))
	if err := old.Pluck("id", &ids).Error; err != nil {
		return err
	}
	var errs []error
	for _, id := range ids {
		errs = append(errs, s.PurgeQuiz(id))
	}
	errs = append(errs, s.Responses.ForgetOld(), s.Deliveries.DropOldDeliveries(), s.Deliveries.DropOldMails())
	errs = append(
		errs,
		s.People.DropOldJournal(),
		s.dropOldCopies(),
		s.Attempts.DropOldCounts(),
		s.Attempts.DropOldBuckets(),
	)
	for _, k := range catalogue {
		if k.Until != "" {
			errs = append(errs, s.Write.Where(k.Until+" < ?", s.Now().UTC()).Delete(k.Of).Error)
		}
	}
	errs = append(errs, people.DropOldRepeats(s.Write, s.Now().UTC()))
	return errors.Join(errs...)
}
