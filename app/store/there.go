package store

// quizzesThere looks up which quizzes exist, within one transaction: nothing is written of a purged one.
type quizzesThere struct {
	tx    *transaction
	known map[string]bool
}

// look returns ErrNotFound for a quiz that is none any more.
func (s *quizzesThere) look(quizID string) error {
	is, known := s.known[quizID]
	if !known {
		found, err := s.tx.strings("SELECT id FROM quizzes WHERE id = ?", quizID)
		if err != nil {
			return err
		}
		is = len(found) > 0
		s.known[quizID] = is
	}
	if !is {
		return ErrNotFound
	}
	return nil
}
