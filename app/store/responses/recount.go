package responses

import (
	"database/sql"
	"errors"

	"gorm.io/gorm/clause"

	"omphalos/app/store/database"
	"omphalos/app/store/tallies"
)

// endedStages are the stages of responses: a recount makes their tallies from these.
var endedStages = []string{tallies.StageEnd, tallies.StageAside, tallies.StagePast, tallies.StageEndBefore}

// Recount makes the tallies of finished walks of a quiz again from its responses. Views, starts and steps stay as they
// were counted: no response tells of them. It reads within the write transaction, so that no response comes in
// between.
func (s *Store) Recount(quizID string) error {
	return s.InTurn(func(tx *database.Transaction, add *tallies.Sums) error {
		for _, table := range []string{"stage_tallies", "version_day_tallies", "slice_tallies"} {
			for _, stage := range endedStages {
				if _, err := tx.Exec("DELETE FROM "+table+" WHERE quiz_id = ? AND stage = ?", quizID, stage); err != nil {
					return err
				}
			}
		}
		if _, err := tx.Exec("DELETE FROM answer_tallies WHERE quiz_id = ?", quizID); err != nil {
			return err
		}
		if err := tallies.RecallForgotten(tx, quizID); err != nil {
			return err
		}
		rows, err := tx.Query("SELECT "+countedColumns+" FROM responses WHERE quiz_id = ?", quizID)
		if err != nil {
			return err
		}
		defer rows.Close()
		for rows.Next() {
			r, err := scanCounted(rows.Scan)
			if err != nil {
				return err
			}
			f, err := factsOf(r, nil)
			if err != nil {
				return err
			}
			add.Response(f, 1)
		}
		return rows.Err()
	})
}

// countedColumns are those of a response that its facts are read from, in the order of scanCounted.
const countedColumns = "quiz_id, version, kept, outcome, answers, email, was_lead, " +
	"source, device, country, language, way, suspect, day, started_at, at, import_id, before_split"

func scanCounted(scan func(...any) error) (*Response, error) {
	var r Response
	err := scan(
		&r.QuizID,
		&r.Version,
		&r.Kept,
		&r.Outcome,
		&r.Answers,
		&r.Email,
		&r.WasLead,
		&r.Source,
		&r.Device,
		&r.Country,
		&r.Language,
		&r.Way,
		&r.Suspect,
		&r.Day,
		&r.StartedAt,
		&r.At,
		&r.ImportID,
		&r.BeforeSplit,
	)
	return &r, err
}

// countedResponse reads what a response has brought about, as it is when its turn comes. Errors: ErrNotFound.
func countedResponse(tx *database.Transaction, id string) (*reading, error) {
	r, err := scanCounted(tx.QueryRow("SELECT "+countedColumns+" FROM responses WHERE id = ?", id).Scan)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, database.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	r.ID = id
	return read(Submission{Response: r})
}

// tallyFirst makes the tallies of a database that has responses and none: one of a program that kept none.
func (s *Store) tallyFirst() error {
	var tallied, answered []string
	if err := s.Read.Model(&tallies.StageTally{}).Limit(1).Pluck("quiz_id", &tallied).Error; err != nil ||
		len(tallied) > 0 {
		return err
	}
	if err := s.Read.Model(&Response{}).Limit(1).Pluck("quiz_id", &answered).Error; err != nil ||
		len(answered) == 0 {
		return err
	}
	_, err := s.RecountAll()
	return err
}

// partImports recounts quizzes whose imported responses stand in the figures of those who took the quiz, as they did in
// earlier programs. A line for each says that it is done, also where an import has no responses left.
func (s *Store) partImports() error {
	var quizzes []string
	counted := s.Read.Model(&tallies.StageTally{}).Select("quiz_id").Where("stage = ?", tallies.StagePast)
	err := s.Read.Model(&Import{}).Distinct("quiz_id").Where("quiz_id NOT IN (?)", counted).
		Pluck("quiz_id", &quizzes).Error
	if err != nil {
		return err
	}
	for _, id := range quizzes {
		done := &tallies.StageTally{QuizID: id, Stage: tallies.StagePast}
		err = errors.Join(err, s.Recount(id), s.Write.Clauses(clause.OnConflict{DoNothing: true}).Create(done).Error)
	}
	return err
}

// RecountAll recounts every quiz that has responses, deleted ones too, and returns how many quizzes these are.
func (s *Store) RecountAll() (int, error) {
	var quizzes []string
	if err := s.Read.Model(&Response{}).Distinct("quiz_id").Pluck("quiz_id", &quizzes).Error; err != nil {
		return 0, err
	}
	for _, id := range quizzes {
		if err := s.Recount(id); err != nil {
			return 0, err
		}
	}
	return len(quizzes), nil
}
