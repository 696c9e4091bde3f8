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
		if err := deleteOne(tx, add, quizID, id); err != nil {
			return err
		}
		return dropWords(tx, quizID, id)
	})
}

// deleteResponses deletes many; those that are gone already are left out.
func (s *Store) deleteResponses(quizID string, ids []string) error {
	for part := range slices.Chunk(ids, forgetBatch) {
		err := s.InTurn(func(tx *database.Transaction, add *tallies.Sums) error {
			for _, id := range part {
				if err := deleteOne(tx, add, quizID, id); err != nil && !errors.Is(err, database.ErrNotFound) {
					return err
				}
			}
			return dropWords(tx, quizID, part...)
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// deleteOne deletes a response, but for its words, and undoes what it added to the tallies.
func deleteOne(tx *database.Transaction, add *tallies.Sums, quizID, id string) error {
	r, err := countedResponse(tx, id)
	if err != nil {
		return err
	}
	if r.QuizID != quizID || !r.Kept {
		return database.ErrNotFound
	}
	f, err := factsOf(r)
	if err != nil {
		return err
	}
	add.Response(f, -1)
	for _, of := range ofResponses {
		if _, err := tx.Exec("DELETE FROM "+of+" WHERE response_id = ?", id); err != nil {
			return err
		}
	}
	who := Response{}
	row := tx.QueryRow(tx.Dialect.Bind("SELECT name, email, params FROM responses WHERE id = ?"), id)
	if err := row.Scan(&who.Name, &who.Email, &who.Params); err != nil {
		return err
	}
	if err := dropNaming(tx, quizID, personOf(&who)); err != nil {
		return err
	}
	_, err = tx.Exec("DELETE FROM responses WHERE id = ?", id)
	return err
}
