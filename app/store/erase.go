package store

import (
	"errors"

	"gorm.io/gorm"
)

// PurgeQuiz erases a deleted quiz with everything that came of it: afterwards nothing of it is left in the files of
// the database. It takes its turn among the responses, so that none of the quiz comes after it.
func (s *Store) PurgeQuiz(id string) error {
	err := s.Responses.alone(func() error {
		return s.transact(func(tx *gorm.DB) error {
			var q Quiz
			if err := tx.Where("id = ? AND deleted_at IS NOT NULL", id).First(&q).Error; err != nil {
				return notFound(err)
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
	return s.bumpState(s.eraseTraces())
}

// PurgeOld purges what has been in the bin for longer than BinLife, and every line that is of no use any more.
func (s *Store) PurgeOld() error {
	var ids []string
	old := s.read.Model(&Quiz{}).Where("deleted_at < ?", s.now().UTC().Add(-BinLife))
	if err := old.Pluck("id", &ids).Error; err != nil {
		return err
	}
	var errs []error
	for _, id := range ids {
		errs = append(errs, s.PurgeQuiz(id))
	}
	errs = append(errs, s.Responses.ForgetOld(), s.Deliveries.dropOldDeliveries(), s.Deliveries.dropOldMails())
	errs = append(errs, s.People.dropOldJournal(), s.dropOldCopies(), s.People.dropOldTries(), s.People.dropOldBuckets())
	for _, k := range catalogue {
		if k.Until != "" {
			errs = append(errs, s.write.Where(k.Until+" < ?", s.now().UTC()).Delete(k.Of).Error)
		}
	}
	errs = append(errs, dropOldRepeats(s.write, s.now().UTC()))
	return errors.Join(errs...)
}
