package database

// Quizzes looks up which quizzes exist, within one transaction: nothing is written of a purged one.
type Quizzes struct {
	Tx    *Transaction
	Known map[string]bool
}

// Look returns ErrNotFound for a quiz that is none any more.
func (s *Quizzes) Look(quizID string) error {
	is, known := s.Known[quizID]
	if !known {
		found, err := s.Tx.Strings("SELECT id FROM quizzes WHERE id = ?", quizID)
		if err != nil {
			return err
		}
		is = len(found) > 0
		s.Known[quizID] = is
	}
	if !is {
		return ErrNotFound
	}
	return nil
}
