package responses

import (
	"errors"
	"slices"
	"time"

	"gorm.io/gorm"

	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/tallies"
)

// ErrUsed is returned for a response to an invitation that has been answered or revoked.
var ErrUsed = errors.New("the invitation has been used or revoked")

// admitted are the responses of a group that are taken. It is asked within the transaction that stores them, by the one
// writer there is: the last place is given once, and an invitation is answered once.
func admitted(tx *database.Transaction, group []submission) ([]submission, error) {
	taken := places{byQuiz: map[string]int{}, ids: map[string]bool{}}
	there := database.Quizzes{Tx: tx, Known: map[string]bool{}}
	out := group[:0:0]
	for _, sub := range group {
		err := there.Look(sub.response.QuizID)
		if err == nil {
			err = admit(tx, sub.response, taken)
		}
		switch {
		case errors.Is(err, database.ErrFull), errors.Is(err, ErrUsed), errors.Is(err, database.ErrNotFound):
			*sub.refused = err
		case err != nil:
			return nil, err
		default:
			out = append(out, sub)
		}
	}
	return out, nil
}

// places are those that are taken while a group is looked at.
type places struct {
	byQuiz map[string]int  // as far as someone asked
	ids    map[string]bool // responses that have one
}

// admit says whether a response is taken. One that looks like a program's takes no place, and one that is there already
// has its own.
func admit(tx *database.Transaction, r *reading, taken places) error {
	if r.Limit > 0 && !r.Aside {
		if err := taken.take(tx, r); err != nil {
			return err
		}
	}
	if r.Invitation == "" {
		return nil
	}
	n, err := database.Affected(tx.Exec(`UPDATE invitations SET finished_at = ?, response_id = ?
		WHERE id = ? AND quiz_id = ? AND revoked_at IS NULL AND (finished_at IS NULL OR response_id = ?)`,
		r.At, r.ID, r.Invitation, r.QuizID, r.ID))
	if err == nil && n == 0 {
		err = ErrUsed
	}
	return err
}

// take gives a response a place, unless it has one.
func (p places) take(tx *database.Transaction, r *reading) error {
	if _, known := p.byQuiz[r.QuizID]; !known {
		n := 0
		const ended = "SELECT COALESCE(SUM(count), 0) FROM stage_tallies WHERE quiz_id = ? AND stage = ?"
		err := tx.QueryRow(ended, r.QuizID, tallies.StageEnd).
			Scan(&n)
		if err != nil {
			return err
		}
		p.byQuiz[r.QuizID] = n
	}
	there := 0
	if err := tx.QueryRow("SELECT COUNT(*) FROM responses WHERE id = ?", r.ID).Scan(&there); err != nil {
		return err
	}
	switch {
	case there > 0, p.ids[r.ID]:
		return nil
	case isFull(p.byQuiz[r.QuizID], r.Limit):
		return database.ErrFull
	}
	p.byQuiz[r.QuizID]++
	p.ids[r.ID] = true
	return nil
}

// isFull reports whether a quiz with so many responses takes no more, with the limit that it has; 0 is none.
func isFull(taken, limit int) bool { return limit > 0 && taken >= limit }

// Shut says why no one may begin a quiz now, or "" when they may: it is paused, it is not open yet or any more, or all
// places are taken.
func (s *Store) Shut(quizID string, a *Access, now time.Time) (why string, err error) {
	if why = a.shut(now); why != "" || a.Limit() == 0 {
		return why, nil
	}
	n, err := s.Places(quizID)
	if err == nil && isFull(n, a.Limit()) {
		why = Full
	}
	return why, err
}

// Places returns how many finished responses of a quiz take a place of its cap.
func (s *Store) Places(quizID string) (int, error) {
	n := 0
	err := s.Read.Model(&tallies.StageTally{}).Select("COALESCE(SUM(count), 0)").
		Where("quiz_id = ? AND stage = ?", quizID, tallies.StageEnd).Scan(&n).Error
	return n, err
}

// Invitation lets one person answer a quiz that only those who are invited may, once.
type Invitation struct {
	ID         string `gorm:"primaryKey"`
	QuizID     string `gorm:"index"`
	Name       string
	Email      string
	Params     []byte // JSON object: further columns of the list, kept like parameters of the link
	At         time.Time
	OpenedAt   *time.Time
	BegunAt    *time.Time
	FinishedAt *time.Time
	RevokedAt  *time.Time
	ResponseID string
}

// State is how far the invitation has come.
func (i *Invitation) State() string {
	switch {
	case i.RevokedAt != nil:
		return "revoked"
	case i.FinishedAt != nil:
		return "finished"
	case i.BegunAt != nil:
		return "begun"
	case i.OpenedAt != nil:
		return "opened"
	}
	return "not opened"
}

// Works reports whether someone may still answer by it.
func (i *Invitation) Works() bool { return i.RevokedAt == nil && i.FinishedAt == nil }

// MaxInvitations is how many people a quiz invites at most.
const MaxInvitations = 20_000

// invitationMail begins the cause of the email that brings an invitation; the invitation's id follows.
const invitationMail = "invitation:"

// MostLetters is how many bytes the emails of one list of invitations may come to: a text of some kilobytes for each of
// 20,000 people would fill the disk.
const MostLetters = 200 << 20

// ErrLetters is returned for more.
var ErrLetters = errors.New("the emails of this list are too large")

// Letter makes the content of the email that brings an invitation; nil is no email.
type Letter func(*Invitation) (content []byte, err error)

// Invite stores invitations, and puts an email on its way to each that letter writes one for, in one transaction. A nil
// letter writes none. Errors: ErrFull for more than MaxInvitations, ErrLetters for more than MostLetters, and those of
// letter.
func (s *Store) Invite(quizID string, list []Invitation, letter Letter) error {
	room := func(db *gorm.DB) error {
		return database.HasRoom(db, &Invitation{}, quizID, len(list), MaxInvitations, database.ErrFull)
	}
	if err := room(s.Read); err != nil {
		return err // before letters are written
	}
	now := s.Now().UTC()
	for i := range list { // a tick apart, so that they stay in the order of the list
		list[i].ID, list[i].QuizID, list[i].At = database.NewID(), quizID, now.Add(time.Duration(i)*database.Tick)
	}
	mails, err := s.invitationMails(quizID, list, letter, now)
	if err != nil {
		return err
	}
	return s.Transact(func(tx *gorm.DB) error {
		if err := room(tx); err != nil {
			return err
		}
		if len(mails) > 0 {
			if err := tx.CreateInBatches(mails, invitationBatch).Error; err != nil {
				return err
			}
		}
		return tx.CreateInBatches(list, invitationBatch).Error
	})
}

// invitationBatch is how many rows one statement writes.
const invitationBatch = 500

// invitationMails writes the emails of invitations that have an address.
func (s *Store) invitationMails(
	quizID string,
	list []Invitation,
	letter Letter,
	now time.Time,
) ([]deliveries.Mail, error) {
	var out []deliveries.Mail
	size := 0
	for i := range list {
		one := &list[i]
		if letter == nil || one.Email == "" {
			continue
		}
		content, err := letter(one)
		if err != nil {
			return nil, err
		}
		if size += len(content); size > MostLetters {
			return nil, ErrLetters
		}
		out = append(out, deliveries.Mail{
			ID: database.NewID() + database.NewID(), QuizID: quizID, MessageID: invitationMail + one.ID,
			Recipients: one.Email, Content: content,
			At: now, Next: now, State: deliveries.DeliveryWaiting,
		})
	}
	return out, nil
}

// dropInvitationMails deletes the emails of invitations that match more conditions, such as a state.
func dropInvitationMails(tx *gorm.DB, list []Invitation, more ...any) error {
	for part := range slices.Chunk(list, invitationBatch) {
		causes := make([]string, len(part))
		for i := range part {
			causes[i] = invitationMail + part[i].ID
		}
		q := tx.Where("response_id = '' AND message_id IN ?", causes)
		if len(more) > 0 {
			q = q.Where(more[0], more[1:]...)
		}
		if err := q.Delete(&deliveries.Mail{}).Error; err != nil {
			return err
		}
	}
	return nil
}

// Invitations returns the invitations of a quiz in the order in which they were made.
func (s *Store) Invitations(quizID string) ([]Invitation, error) {
	var list []Invitation
	err := s.Read.Where("quiz_id = ?", quizID).Order("at, " + s.Dialect.InTurn).Find(&list).Error
	return list, err
}

// Invitation returns one of them. ErrNotFound where there is none.
func (s *Store) Invitation(quizID, id string) (*Invitation, error) {
	var i Invitation
	err := s.Read.Where("quiz_id = ? AND id = ?", quizID, id).Take(&i).Error
	return &i, database.NotFound(err)
}

// MarkInvitation notes that an invitation was opened, or that its walk was begun.
func (s *Store) MarkInvitation(quizID, id string, begun bool) error {
	column := "opened_at"
	if begun {
		column = "begun_at"
	}
	now := s.Now().UTC()
	return s.Write.Model(&Invitation{}).Where("quiz_id = ? AND id = ? AND "+column+" IS NULL", quizID, id).
		UpdateColumn(column, now).Error
}

// RevokeInvitation ends one that has not been answered. Its email is not sent any longer.
func (s *Store) RevokeInvitation(quizID, id string) error {
	return s.Transact(func(tx *gorm.DB) error {
		r := tx.Model(&Invitation{}).Where("quiz_id = ? AND id = ? AND finished_at IS NULL", quizID, id).
			UpdateColumn("revoked_at", s.Now().UTC())
		if r.Error != nil || r.RowsAffected == 0 {
			return r.Error
		}
		return dropInvitationMails(tx, []Invitation{{ID: id}}, "state = ?", deliveries.DeliveryWaiting)
	})
}
