package store

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"
)

// What of responses goes when they have been kept long enough.
const (
	ForgetContact = "contact" // name, email address, contact fields, consent and parameters; answers stay
	ForgetAll     = "all"     // everything but what they add to the figures
)

// MostKeptDays is the longest time that can be chosen: ten years.
const MostKeptDays = 3653

// ForgottenTally is what responses that are gone have added to the tallies: figures stay, and a recount adds them.
type ForgottenTally struct {
	QuizID  string `gorm:"primaryKey"`
	Tally   string `gorm:"primaryKey"` // which: stage, day, slice or answer
	Line    string `gorm:"primaryKey"` // JSON list of the line's key
	Measure `       gorm:"embedded"`
}

// ErrKeeping is returned for a time that responses cannot be kept for.
var ErrKeeping = fmt.Errorf("keep responses for 1 to %d days, or permanently", MostKeptDays)

// SetKeeping says how long responses of a quiz are kept, and what goes then; 0 days is permanently.
func (s *Responses) SetKeeping(quizID string, days int, what string) error {
	if days < 0 || days > MostKeptDays || days > 0 && what != ForgetContact && what != ForgetAll {
		return ErrKeeping
	}
	r := s.write.Model(&Quiz{}).Where("id = ? AND deleted_at IS NULL", quizID).
		UpdateColumns(map[string]any{"keep_days": days, "keep_what": what})
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrNotFound
	}
	return s.bumpState(r.Error)
}

// due are the responses of a quiz that were finished before a time and still hold what is to go.
const due = "quiz_id = ? AND kept = ? AND at < ?"

func dueOf(what string) string {
	// Objects of JSON that hold nothing are {} and null.
	if what == ForgetContact {
		return due + " AND (email <> '' OR name <> '' OR consent <> '' OR length(contact) > 4 OR length(params) > 4)"
	}
	return due
}

// Due is of how many responses something is to be forgotten after one time and until another, being then older than so
// many days.
func (s *Responses) Due(quizID string, days int, what string, after, until time.Time) (int, error) {
	var n int64
	err := s.read.Model(&Response{}).Where(dueOf(what), quizID, true, until.AddDate(0, 0, -days).UTC()).
		Where("at >= ?", after.AddDate(0, 0, -days).UTC()).Count(&n).Error
	return int(n), err
}

// ForgetOld carries out for every quiz what is to be forgotten by now. Nothing of it stays in the files of the
// database.
func (s *Responses) ForgetOld() error {
	var list []Quiz
	if err := s.read.Select("id", "keep_days", "keep_what").Where("keep_days > 0").Find(&list).Error; err != nil {
		return err
	}
	var errs []error
	forgotten := 0
	for _, q := range list {
		before := s.now().AddDate(0, 0, -q.KeepDays).UTC()
		n, err := s.forget(q.ID, q.KeepWhat, before)
		invited, failed := s.forgetInvited(q.ID, before)
		forgotten += n + invited
		errs = append(errs, err, failed)
	}
	if forgotten > 0 {
		errs = append(errs, s.eraseTraces())
	}
	return errors.Join(errs...)
}

// forgetBatch is how many responses one transaction forgets: respondents wait no longer than that takes.
const forgetBatch = 500

// forget forgets what of a quiz's responses is older than a time, and returns of how many.
func (s *Responses) forget(quizID, what string, before time.Time) (int, error) {
	all := 0
	for {
		var list []Response
		err := s.read.Where(dueOf(what), quizID, true, before).Order("at, id").Limit(forgetBatch).Find(&list).Error
		if err != nil || len(list) == 0 {
			return all, err
		}
		if err := s.ForgetThese(what, list); err != nil {
			return all, err
		}
		all += len(list)
	}
}

// ForgetThese forgets something of responses, ForgetContact or ForgetAll, as they are in its turn: what was added to
// them since they were read counts.
func (s *Responses) ForgetThese(what string, list []Response) error {
	return s.inTurn(func(tx *transaction, _ *sums) error {
		if what == ForgetContact {
			return forgetContact(tx, list)
		}
		return s.forgetAll(tx, list)
	})
}

// forgetInvited removes names, email addresses and further columns from invitations older than a time, and the mails
// that brought them. Their links still work. It returns how many invitations it changed.
func (s *Responses) forgetInvited(quizID string, before time.Time) (int, error) {
	var list []Invitation
	const named = "quiz_id = ? AND at < ? AND (email <> '' OR name <> '' OR length(params) > 4)"
	err := s.read.Where(named, quizID, before).Find(&list).Error
	if err != nil || len(list) == 0 {
		return 0, err
	}
	ids := make([]string, len(list))
	for i := range list {
		ids[i] = list[i].ID
	}
	return len(list), s.alone(func() error {
		return s.transact(func(tx *gorm.DB) error {
			if err := dropInvitationMails(tx, list); err != nil {
				return err
			}
			for part := range slices.Chunk(ids, invitationBatch) {
				nobody := map[string]any{"name": "", "email": "", "params": nil}
				if err := tx.Model(&Invitation{}).Where("id IN ?", part).UpdateColumns(nobody).Error; err != nil {
					return err
				}
			}
			return nil
		})
	})
}

func idsOf(list []Response) []string {
	out := make([]string, len(list))
	for i := range list {
		out[i] = list[i].ID
	}
	return out
}

func forgetContact(tx *transaction, list []Response) error {
	var lines [][3]string
	var people []person
	for i := range list {
		r := &list[i]
		_, err := tx.Exec(
			`UPDATE responses SET was_lead = (was_lead OR email <> ''), name = '', email = '', contact = NULL, consent = '',
			consent_at = NULL, params = NULL WHERE id = ?`,
			r.ID,
		)
		if err != nil {
			return err
		}
		for _, of := range ofContacts {
			if _, err := tx.Exec("DELETE FROM "+of+" WHERE response_id = ?", r.ID); err != nil {
				return err
			}
		}
		people = append(people, personOf(r))
		r.Name, r.Email, r.Contact = "", "", nil
		lines = append(lines, r.lines(wordsOf(r))...)
	}
	if err := dropWords(tx, list[0].QuizID, idsOf(list)...); err != nil {
		return err
	}
	return errors.Join(writeWords(tx, lines), dropNaming(tx, list[0].QuizID, people...))
}

// forgetAll deletes responses and remembers what they have added to the tallies, which stay as they are.
func (s *Responses) forgetAll(tx *transaction, list []Response) error {
	add := newSums()
	var people []person
	for i := range list {
		r := &list[i]
		people = append(people, personOf(r))
		now, err := countedResponse(tx, r.ID) // in its turn: what someone has added meanwhile counts
		if errors.Is(err, ErrNotFound) {
			continue // someone has deleted it meanwhile
		}
		if err != nil {
			return err
		}
		f, err := factsOf(now)
		if err != nil {
			return err
		}
		if _, err := tx.Exec("DELETE FROM responses WHERE id = ?", r.ID); err != nil {
			return err
		}
		add.response(f, 1)
		for _, of := range ofResponses {
			if _, err := tx.Exec("DELETE FROM "+of+" WHERE response_id = ?", r.ID); err != nil {
				return err
			}
		}
	}
	quizID := list[0].QuizID
	err := errors.Join(dropWords(tx, quizID, idsOf(list)...), dropNaming(tx, quizID, people...))
	if err != nil {
		return err
	}
	lines, err := add.tables(s.writer.known)
	if err != nil {
		return err
	}
	return lines.remember(tx)
}

var addToForgotten = addTo("forgotten_tallies", []string{"quiz_id", "tally", "line"}, measures)

// remember adds the lines to those of responses that are gone.
func (t *tables) remember(tx *transaction) error {
	put := func(quizID, tally string, m Measure, key ...any) error {
		line, err := json.Marshal(key)
		if err == nil {
			_, err = tx.Exec(addToForgotten, quizID, tally, string(line), m.Count, m.Kept, m.Leads)
		}
		return err
	}
	var errs []error
	for k, m := range t.stages {
		errs = append(errs, put(k.QuizID, "stage", m, k.Version, k.Stage, k.Place))
	}
	for k, m := range t.days {
		errs = append(errs, put(k.QuizID, "day", m, k.Day, k.Version, k.Stage))
	}
	for k, m := range t.slices {
		errs = append(errs, put(k.QuizID, "slice", m, k.Kind, k.Value, k.Stage))
	}
	for k, n := range t.answers {
		errs = append(errs, put(k.QuizID, "answer", Measure{Count: n}, k.Version, k.Field, k.Value, k.Outcome))
	}
	return errors.Join(errs...)
}

// recallForgotten adds to the tallies of a quiz what responses that are gone have added.
func recallForgotten(tx *transaction, quizID string) error {
	rows, err := tx.Query("SELECT tally, line, count, kept, leads FROM forgotten_tallies WHERE quiz_id = ?", quizID)
	if err != nil {
		return err
	}
	t := newTables()
	for rows.Next() {
		var tally, line string
		var m Measure
		if err = rows.Scan(&tally, &line, &m.Count, &m.Kept, &m.Leads); err == nil {
			err = t.recall(quizID, tally, line, m)
		}
		if err != nil {
			break
		}
	}
	if err = errors.Join(err, rows.Err(), rows.Close()); err != nil {
		return err
	}
	return t.write(tx)
}

// recall reads one line.
func (t *tables) recall(quizID, tally, line string, m Measure) error {
	var a, b, c, d string
	var version int
	read := func(to ...any) error { return json.Unmarshal([]byte(line), &to) }
	switch tally {
	case "stage":
		err := read(&version, &a, &b)
		t.stages[StageTally{QuizID: quizID, Version: version, Stage: a, Place: b}] = m
		return err
	case "day":
		err := read(&a, &version, &b)
		t.days[DayTally{QuizID: quizID, Day: a, Version: version, Stage: b}] = m
		return err
	case "slice":
		err := read(&a, &b, &c)
		t.slices[SliceTally{QuizID: quizID, Kind: a, Value: b, Stage: c}] = m
		return err
	case "answer":
		err := read(&version, &a, &b, &d)
		t.answers[AnswerTally{QuizID: quizID, Version: version, Field: a, Value: b, Outcome: d}] = m.Count
		return err
	}
	return fmt.Errorf("unknown kind of forgotten count: %q", tally)
}
