package responses

import (
	"errors"
	"slices"

	"omphalos/app/store/database"
	"omphalos/app/store/tallies"
)

// DeleteResponse erases a response of a quiz: its answers, its contact fields, and what it added to the tallies.
func (s *Store) DeleteResponse(quizID, id string) error {
	if err := s.deleteResponse(quizID, id); err != nil {
		return err
	}
	return s.EraseTraces()
}

func (s *Store) deleteResponse(quizID, id string) error {
	return s.InTurn(func(tx *database.Transaction, add *tallies.Sums) error {
		a := newArrivals(tx, add, s.Now())
		return errors.Join(deleteOne(a, quizID, id), a.settle())
	})
}

// deleteResponses deletes many; those that are gone already are left out.
func (s *Store) deleteResponses(quizID string, ids []string) error {
	for part := range slices.Chunk(ids, forgetBatch) {
		err := s.InTurn(func(tx *database.Transaction, add *tallies.Sums) error {
			a := newArrivals(tx, add, s.Now())
			for _, id := range part {
				if err := deleteOne(a, quizID, id); err != nil && !errors.Is(err, database.ErrNotFound) {
					return err
				}
			}
			return a.settle()
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// deleteOne deletes a response, and takes back what came of it.
func deleteOne(a *arrivals, quizID, id string) error {
	was, err := countedResponse(a.tx, id)
	if err != nil {
		return err
	}
	if was.QuizID != quizID || !was.Kept {
		return database.ErrNotFound
	}
	row := a.tx.QueryRow("SELECT name, params FROM responses WHERE id = ?", id) // whom it names
	if err := row.Scan(&was.Name, &was.Params); err != nil {
		return err
	}
	if err := a.arrive(was, nil); err != nil {
		return err
	}
	_, err = a.tx.Exec("DELETE FROM responses WHERE id = ?", id)
	return err
}
