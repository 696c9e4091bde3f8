package deliveries

import (
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"omphalos/app/store/attempts"
	"omphalos/app/store/database"
)

// Store keeps what is on its way: mails, webhook events, places of walks that are too long for an address, and
// who is on a mailing list.
type Store struct {
	*database.DB
	Attempts *attempts.Store
}

// New keeps what is on its way in a database.
func New(db *database.DB, attempts *attempts.Store) *Store { return &Store{db, attempts} }

// States of a mail, next to those that it shares with deliveries: waiting, sent and failed.
const (
	MailAside       = "aside"       // its response is set aside
	MailUnconfirmed = "unconfirmed" // anyone who agreed has not confirmed it yet
	MailDropped     = "dropped"     // there is a reason not to send it, which Said says
)

// Mail is one email on its way. That of a message is written in the transaction that stores its response, and what it
// says when it is first sent, from what is stored then. Its id is part of its Message-ID: the same at every attempt.
type Mail struct {
	ID         string `gorm:"primaryKey"`
	QuizID     string `gorm:"index"`
	ResponseID string `gorm:"uniqueIndex:cause,priority:1"`
	MessageID  string `gorm:"uniqueIndex:cause,priority:2"` // of the document; else a kind and an id
	Recipients string // with commas between them
	Agreed     bool   // it goes to those who agreed alone, and can be unsubscribed from
	Content    []byte // JSON of what it says, as it was sent first; nil before
	At         time.Time
	Next       time.Time `gorm:"index:mail_due,priority:2"`
	State      string    `gorm:"index:mail_due,priority:1"`
	Attempts   int
	Said       string // how the last attempt ended
}

// JoinRecipients writes email addresses as Recipients has them; To reads them.
func JoinRecipients(list []string) string { return strings.Join(list, ",") }

// To are the recipients.
func (m *Mail) To() []string { return strings.Split(m.Recipients, ",") }

// TriedMail begins the MessageID of a mail by which someone of the team tries a message. It goes though the message is
// paused.
const TriedMail = "try:"

// ConfirmMail begins the MessageID of the mail that asks someone to confirm that they agreed.
const ConfirmMail = "confirm:"

// ofMessages chooses the mails of the quiz's own messages, of those that belong to a response.
const ofMessages = "(mails.response_id <> '' AND mails.message_id NOT LIKE '" + TriedMail + "%'" +
	" AND mails.message_id NOT LIKE '" + ConfirmMail + "%')"

// PausedMessage is a message that is not sent for now; with no id all of the quiz are.
type PausedMessage struct {
	QuizID    string `gorm:"primaryKey"`
	MessageID string `gorm:"primaryKey"`
}

// QueueMail puts a mail of the program itself on its way: what it says is in it. One of a cause that is there already
// is not put again.
func (s *Store) QueueMail(m *Mail) error { return queueMail(s.Write, m, s.Now().UTC()) }

func queueMail(tx *gorm.DB, m *Mail, now time.Time) error {
	m.ID, m.At, m.State = database.NewID()+database.NewID(), now, DeliveryWaiting
	if m.Next.IsZero() {
		m.Next = now
	}
	return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(m).Error
}

// DueOfQuiz is how many mails of one quiz are due at once: thousands of one campaign keep no other waiting.
const DueOfQuiz = 12

// DueMails returns what is to be sent by now: the program's own mails first, such as a link to choose another password,
// then some of each quiz, the longest due first; nothing that is paused, or that another server is sending.
func (s *Store) DueMails(n int) ([]Mail, error) {
	var list []Mail
	due := s.Read.Model(&Mail{}).Select("mails.*, ROW_NUMBER() OVER (PARTITION BY quiz_id ORDER BY next, id) AS place").
		Where("state = ? AND next <= ?", DeliveryWaiting, s.Now().UTC()).
		Where(`NOT EXISTS (SELECT 1 FROM paused_messages p WHERE p.quiz_id = mails.quiz_id
			AND p.message_id IN ('', mails.message_id) AND ` + ofMessages + ")")
	err := s.Read.Table("(?) AS due", due).Where("quiz_id = '' OR place <= ?", DueOfQuiz).
		Order("CASE WHEN quiz_id = '' THEN 0 ELSE 1 END, next, id").Limit(n).Find(&list).Error
	if err != nil {
		return nil, err
	}
	return claimed(s.DB, list, func(m *Mail) string { return m.ID })
}

// ClaimFor is how long a server that takes something up has for it: longer than all its attempts at once take. One that
// ends meanwhile leaves it to the others.
const ClaimFor = 5 * time.Minute

// claimed are those of a list that is due, mails or deliveries, which no other server is at. On a file there is none.
// It waits for no other transaction that writes: what another one is claiming is passed over.
func claimed[T any](s *database.DB, list []T, id func(*T) string) (mine []T, err error) {
	if !s.Dialect.Shared || len(list) == 0 {
		return list, nil
	}
	ids := make([]string, len(list))
	for i := range list {
		ids[i] = id(&list[i])
	}
	now := s.Now().UTC()
	var taken []string
	err = s.Write.Transaction(func(tx *gorm.DB) error {
		free := tx.Model(new(T)).Clauses(clause.Locking{Strength: "UPDATE", Options: "SKIP LOCKED"}).
			Where("id IN ? AND state = ? AND next <= ?", ids, DeliveryWaiting, now)
		if err := free.Pluck("id", &taken).Error; err != nil || len(taken) == 0 {
			return err
		}
		return tx.Model(new(T)).Where("id IN ?", taken).UpdateColumn("next", now.Add(ClaimFor)).Error
	})
	return slices.DeleteFunc(list, func(one T) bool { return !slices.Contains(taken, id(&one)) }), err
}

// SettleMail stores how an attempt ended. One that was deleted meanwhile stays deleted.
//
// What the program wrote itself goes as soon as it is sent: it may hold a link to choose another password.
func (s *Store) SettleMail(m *Mail) error {
	if m.QuizID == "" && m.State != DeliveryWaiting {
		m.Content = nil
	}
	return s.Write.Model(m).Select("content", "next", "state", "attempts", "said").UpdateColumns(m).Error
}

// Mails returns the newest mails of a quiz, or of one of its messages.
func (s *Store) Mails(quizID, messageID string, n int) ([]Mail, error) {
	var list []Mail
	q := s.Read.Where("quiz_id = ? AND "+ofMessages, quizID)
	if messageID != "" {
		q = q.Where("message_id = ?", messageID)
	}
	err := q.Order("at DESC, id").Limit(n).Find(&list).Error
	return list, err
}

// MailsOf returns the mails of messages that a response brought about.
func (s *Store) MailsOf(responseID string) ([]Mail, error) {
	var list []Mail
	err := s.Read.Where("response_id = ? AND "+ofMessages, responseID).Order("at, id").Find(&list).Error
	return list, err
}

// Mail returns a mail of a quiz.
func (s *Store) Mail(quizID, id string) (*Mail, error) {
	var m Mail
	err := s.Read.Where("quiz_id = ? AND id = ?", quizID, id).Take(&m).Error
	return &m, database.NotFound(err)
}

// MailCounts are how many mails of each message of a quiz are in each state.
func (s *Store) MailCounts(quizID string) (map[string]map[string]int, error) {
	var rows []struct {
		MessageID, State string
		N                int
	}
	err := s.Read.Model(&Mail{}).Select("message_id, state, count(*) AS n").
		Where("quiz_id = ? AND "+ofMessages, quizID).Group("message_id, state").Scan(&rows).Error
	out := map[string]map[string]int{}
	for _, r := range rows {
		if out[r.MessageID] == nil {
			out[r.MessageID] = map[string]int{}
		}
		out[r.MessageID][r.State] = r.N
	}
	return out, err
}

// WaitingMails is how many mails are on their way.
func (s *Store) WaitingMails() (int64, error) {
	var n int64
	err := s.Read.Model(&Mail{}).Where("state = ?", DeliveryWaiting).Count(&n).Error
	return n, err
}

// ResendMail puts a mail on its way again, under the same id.
func (s *Store) ResendMail(quizID, id string) error {
	r := s.Write.Model(&Mail{}).Where("quiz_id = ? AND id = ?", quizID, id).
		UpdateColumns(map[string]any{"state": DeliveryWaiting, "next": s.Now().UTC(), "attempts": 0})
	if r.Error == nil && r.RowsAffected == 0 {
		return database.ErrNotFound
	}
	return r.Error
}

// DropMail forgets one that has nothing left to tell of.
func (s *Store) DropMail(id string) error {
	return s.Write.Where("id = ?", id).Delete(&Mail{}).Error
}

// PauseMessage holds a message of a quiz back, or lets it continue; "" stands for all.
func (s *Store) PauseMessage(quizID, messageID string, pause bool) error {
	p := PausedMessage{quizID, messageID}
	if pause {
		return s.Write.Clauses(clause.OnConflict{DoNothing: true}).Create(&p).Error
	}
	return s.Write.Delete(&p).Error
}

// PausedMessages are the ids of the messages of a quiz that are held back.
func (s *Store) PausedMessages(quizID string) (map[string]bool, error) {
	var list []PausedMessage
	err := s.Read.Where("quiz_id = ?", quizID).Find(&list).Error
	out := map[string]bool{}
	for _, p := range list {
		out[p.MessageID] = true
	}
	return out, err
}

// mailLife is how long mails that have ended are listed.
const mailLife = 90 * 24 * time.Hour

// ContentLife is how long what they said is kept: a letter holds what someone answered.
const ContentLife = 7 * 24 * time.Hour

// OwnLife is how long the program tries to send a mail of its own: the links in them end sooner.
const OwnLife = 24 * time.Hour

// DropOldMails drops mails that ended long ago, and before that what they said.
func (s *Store) DropOldMails() error {
	own := s.Write.Where("quiz_id = '' AND state = ? AND at < ?", DeliveryWaiting, s.Now().UTC().Add(-OwnLife))
	if err := own.Delete(&Mail{}).Error; err != nil {
		return err
	}
	said := s.Write.Model(&Mail{}).Where("state NOT IN ? AND at < ? AND content IS NOT NULL",
		[]string{DeliveryWaiting, MailAside}, s.Now().UTC().Add(-ContentLife))
	if err := said.UpdateColumn("content", nil).Error; err != nil {
		return err
	}
	old := s.Now().UTC().Add(-mailLife)
	ended := s.Write.Where("state NOT IN ? AND at < ?", []string{DeliveryWaiting, MailAside}, old)
	return ended.Delete(&Mail{}).Error
}

// InsertMail is what a response's messages are written with, on the connection of the writer.
const InsertMail = `INSERT INTO mails
	(id, quiz_id, response_id, message_id, recipients, agreed, at, next, state, attempts, said)
	VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, 0, '') ON CONFLICT DO NOTHING`

// Release sends the mails of a response that was set aside.
func Release(tx *database.Transaction, responseID string, now time.Time) error {
	_, err := tx.Exec(
		`UPDATE mails SET state = ?, next = CASE WHEN next < ? THEN ? ELSE next END
		WHERE response_id = ? AND state = ?`,
		DeliveryWaiting, now, now, responseID, MailAside)
	return err
}
