package responses

import (
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/app/store/tallies"
)

// What of responses goes when they have been kept long enough.
const (
	ForgetContact = "contact" // name, email address, contact fields, consent and parameters; answers stay
	ForgetAll     = "all"     // everything but what they add to the figures
)

// MostKeptDays is the longest time that can be chosen: ten years.
const MostKeptDays = 3653

// ErrKeeping is returned for a time that responses cannot be kept for.
var ErrKeeping = fmt.Errorf("keep responses for 1 to %d days, or permanently", MostKeptDays)

// SetKeeping says how long responses of a quiz are kept, and what goes then; 0 days is permanently.
func (s *Store) SetKeeping(quizID string, days int, what string) error {
	if days < 0 || days > MostKeptDays || days > 0 && what != ForgetContact && what != ForgetAll {
		return ErrKeeping
	}
	r := s.Write.Model(&documents.Quiz{}).Where("id = ? AND deleted_at IS NULL", quizID).
		UpdateColumns(map[string]any{"keep_days": days, "keep_what": what})
	if r.Error == nil && r.RowsAffected == 0 {
		return database.ErrNotFound
	}
	return s.BumpState(r.Error)
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
func (s *Store) Due(quizID string, days int, what string, after, until time.Time) (int, error) {
	var n int64
	err := s.Read.Model(&Response{}).Where(dueOf(what), quizID, true, until.AddDate(0, 0, -days).UTC()).
		Where("at >= ?", after.AddDate(0, 0, -days).UTC()).Count(&n).Error
	return int(n), err
}

// ForgetOld carries out for every quiz what is to be forgotten by now. Nothing of it stays in the files of the
// database.
func (s *Store) ForgetOld() error {
	var list []documents.Quiz
	if err := s.Read.Select("id", "keep_days", "keep_what").Where("keep_days > 0").Find(&list).Error; err != nil {
		return err
	}
	var errs []error
	forgotten := 0
	for _, q := range list {
		before := s.Now().AddDate(0, 0, -q.KeepDays).UTC()
		n, err := s.forget(q.ID, q.KeepWhat, before)
		invited, failed := s.forgetInvited(q.ID, before)
		forgotten += n + invited
		errs = append(errs, err, failed)
	}
	if forgotten > 0 {
		errs = append(errs, s.EraseTraces())
	}
	return errors.Join(errs...)
}

// forgetBatch is how many responses one transaction forgets: respondents wait no longer than that takes.
const forgetBatch = 500

// forget forgets what of a quiz's responses is older than a time, and returns of how many.
func (s *Store) forget(quizID, what string, before time.Time) (int, error) {
	all := 0
	for {
		var list []Response
		err := s.Read.Where(dueOf(what), quizID, true, before).Order("at, id").Limit(forgetBatch).Find(&list).Error
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
// them since they were read counts. What they have added to the tallies stays there.
func (s *Store) ForgetThese(what string, list []Response) error {
	return s.InTurn(func(tx *database.Transaction, add *tallies.Sums) error {
		a := newArrivals(tx, add, s.Now())
		a.forgotten = tallies.NewSums()
		forget := a.forgetAll
		if what == ForgetContact {
			forget = a.forgetContact
		}
		for i := range list {
			if err := forget(&list[i]); err != nil {
				return err
			}
		}
		if err := a.settle(); err != nil {
			return err
		}
		lines, err := a.forgotten.Tables(s.writer.known)
		if err != nil {
			return err
		}
		return lines.Remember(tx)
	})
}

// forgetInvited removes names, email addresses and further columns from invitations older than a time, and the mails
// that brought them. Their links still work. It returns how many invitations it changed.
func (s *Store) forgetInvited(quizID string, before time.Time) (int, error) {
	var list []Invitation
	const named = "quiz_id = ? AND at < ? AND (email <> '' OR name <> '' OR length(params) > 4)"
	err := s.Read.Where(named, quizID, before).Find(&list).Error
	if err != nil || len(list) == 0 {
		return 0, err
	}
	ids := make([]string, len(list))
	for i := range list {
		ids[i] = list[i].ID
	}
	return len(list), s.Alone(func() error {
		return s.Transact(func(tx *gorm.DB) error {
			if err := dropInvitationMails(tx, list); err != nil {
				return err
			}
			for part := range slices.Chunk(ids, invitationBatch) {
				unnamed := map[string]any{"name": "", "email": "", "params": nil}
				if err := tx.Model(&Invitation{}).Where("id IN ?", part).UpdateColumns(unnamed).Error; err != nil {
					return err
				}
			}
			return nil
		})
	})
}

// forgetContact takes from a response what names its respondent.
func (a *arrivals) forgetContact(r *Response) error {
	const named = "SELECT COALESCE(name, ''), COALESCE(email, ''), contact, COALESCE(consent, ''), params, was_lead" +
		" FROM responses WHERE id = ?"
	err := a.tx.QueryRow(named, r.ID).Scan(&r.Name, &r.Email, &r.Contact, &r.Consent, &r.Params, &r.WasLead)
	if errors.Is(err, sql.ErrNoRows) {
		return nil // someone has deleted it meanwhile
	}
	if err != nil {
		return err
	}
	_, err = a.tx.Exec(
		`UPDATE responses SET was_lead = (was_lead OR email <> ''), name = '', email = '', contact = NULL, consent = '',
		consent_at = NULL, params = NULL WHERE id = ?`,
		r.ID,
	)
	if err != nil {
		return err
	}
	left := *r
	left.WasLead, left.Name, left.Email, left.Contact, left.Consent, left.Params = r.IsLead(), "", "", nil, "", nil
	was, err := read(Submission{Response: r})
	if err != nil {
		return err
	}
	is, err := read(Submission{Response: &left})
	if err != nil {
		return err
	}
	return a.arrive(was, is)
}

// forgetAll deletes a response. One that someone has deleted meanwhile is left out.
func (a *arrivals) forgetAll(r *Response) error {
	was, err := countedResponse(a.tx, r.ID)
	if errors.Is(err, database.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	was.Name, was.Email, was.Params = r.Name, r.Email, r.Params
	if _, err := a.tx.Exec("DELETE FROM responses WHERE id = ?", r.ID); err != nil {
		return err
	}
	return a.arrive(was, nil)
}
