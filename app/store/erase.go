package store

import (
	"errors"
	"slices"
	"time"

	"gorm.io/gorm"
)

// BinLife is how long a deleted quiz can be brought back before it is purged with all that came of it.
const BinLife = 30 * 24 * time.Hour

// PurgeDay is when a deleted quiz goes permanently.
func (q *Quiz) PurgeDay() time.Time {
	if q.DeletedAt == nil {
		return time.Time{}
	}
	return q.DeletedAt.Add(BinLife)
}

// Bin returns the deleted quizzes, the last deleted first.
func (s *Store) Bin() ([]Quiz, error) {
	var list []Quiz
	err := s.read.Omit("document").Where("deleted_at IS NOT NULL").Order("deleted_at DESC, id").Find(&list).Error
	return list, err
}

// PurgeQuiz erases a deleted quiz with everything that came of it: afterwards nothing of it is left in the files of
// the database. It takes its turn among the responses, so that none of the quiz comes after it.
func (s *Store) PurgeQuiz(id string) error {
	err := s.writer.send(submission{alone: func() error {
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
	}})
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
	errs = append(errs, s.ForgetOld(), s.dropOldDeliveries(), s.dropOldMails())
	errs = append(errs, s.dropOldJournal(), s.dropOldCopies(), s.dropOldTries(), s.dropOldBuckets())
	for _, k := range catalogue {
		if k.until != "" {
			errs = append(errs, s.write.Where(k.until+" < ?", s.now().UTC()).Delete(k.of).Error)
		}
	}
	errs = append(errs, dropOldRepeats(s.write, s.now().UTC()))
	return errors.Join(errs...)
}

// DeleteResponse erases a response of a quiz: its answers, its contact fields, and what it added to the tallies.
func (s *Store) DeleteResponse(quizID, id string) error {
	if err := s.deleteResponse(quizID, id); err != nil {
		return err
	}
	return s.eraseTraces()
}

func (s *Store) deleteResponse(quizID, id string) error {
	return s.writer.send(submission{task: func(tx *transaction, add *sums) error {
		if err := deleteOne(tx, add, quizID, id); err != nil {
			return err
		}
		return tx.dropWords(quizID, id)
	}})
}

// deleteResponses deletes many; those that are gone already are left out.
func (s *Store) deleteResponses(quizID string, ids []string) error {
	for part := range slices.Chunk(ids, forgetBatch) {
		err := s.writer.send(submission{task: func(tx *transaction, add *sums) error {
			for _, id := range part {
				if err := deleteOne(tx, add, quizID, id); err != nil && !errors.Is(err, ErrNotFound) {
					return err
				}
			}
			return tx.dropWords(quizID, part...)
		}})
		if err != nil {
			return err
		}
	}
	return nil
}

// deleteOne deletes a response, but for its words, and undoes what it added to the tallies.
func deleteOne(tx *transaction, add *sums, quizID, id string) error {
	r, err := countedResponse(tx, id)
	if err != nil {
		return err
	}
	if r.QuizID != quizID || !r.Kept {
		return ErrNotFound
	}
	f, err := factsOf(r)
	if err != nil {
		return err
	}
	add.response(f, -1)
	for _, of := range ofResponses {
		if _, err := tx.Exec("DELETE FROM "+of+" WHERE response_id = ?", id); err != nil {
			return err
		}
	}
	who := Response{}
	row := tx.QueryRow(tx.dialect.bind("SELECT name, email, params FROM responses WHERE id = ?"), id)
	if err := row.Scan(&who.Name, &who.Email, &who.Params); err != nil {
		return err
	}
	if err := tx.dropNaming(quizID, personOf(&who)); err != nil {
		return err
	}
	_, err = tx.Exec("DELETE FROM responses WHERE id = ?", id)
	return err
}
