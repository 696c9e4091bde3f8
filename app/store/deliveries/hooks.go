package deliveries

import (
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"omphalos/app/store/database"
)

// Events that a hook can be told of.
const (
	EventFinished = "response.finished" // a response is stored with its answers
	EventLead     = "response.lead"     // it has an email address
	EventDeal     = "deal.changed"
	EventLaunched = "quiz.launched"
	EventTest     = "hook.test" // someone tries the hook
)

// HookEvents are those that can be chosen.
var HookEvents = []string{EventFinished, EventLead, EventDeal, EventLaunched}

// Hook is an address that is told of events of a quiz.
type Hook struct {
	ID           string `gorm:"primaryKey"`
	QuizID       string `gorm:"index"`
	URL          string
	Secret       string // whsec_ and base64, as Standard Webhooks writes it
	OldSecret    string // signs too, until OldUntil
	OldUntil     *time.Time
	Events       string // with commas between them
	Outcomes     string // ids, with commas between them, of those that it is told of; "" is all
	Condition    []byte // JSON of a rule.Condition that holds for those that it is told of; nil is all
	Labels       bool   // what it is told has words next to ids
	Off          bool
	Why          string // it was turned off by the program
	FailingSince *time.Time
	AccountID    uint
	At           time.Time
}

// Wants reports whether the hook is told of an event; outcome is that of the response, "" for an event that is of
// none.
func (h *Hook) Wants(event, outcome string) bool {
	has := func(list, one string) bool { return slices.Contains(strings.Split(list, ","), one) }
	return event == EventTest || has(h.Events, event) && (outcome == "" || h.Outcomes == "" || has(h.Outcomes, outcome))
}

// States of a delivery.
const (
	DeliveryWaiting = "waiting"
	DeliverySent    = "sent"
	DeliveryFailed  = "failed" // it was tried for as long as it is tried
)

// Delivery is one event on its way to a hook. It is written in the transaction that stores what it tells of.
type Delivery struct {
	ID         string `gorm:"primaryKey"` // the message's id, the same at every attempt
	HookID     string `gorm:"index"`
	QuizID     string `gorm:"index"`
	ResponseID string `gorm:"index"` // "" for an event that is of none
	Event      string
	Body       []byte // as it was sent first; nil before
	At         time.Time
	Next       time.Time `gorm:"index:due,priority:2"`
	State      string    `gorm:"index:due,priority:1"`
	Attempts   int
	Code       int    // status of the last answer; 0 for none
	Said       string // how the last attempt ended
}

const secretBytes = 32

func newSecret() (string, error) {
	key := make([]byte, secretBytes)
	_, err := rand.Read(key)
	return "whsec_" + base64.StdEncoding.EncodeToString(key), err
}

// MaxHooks is how many hooks a quiz has.
const MaxHooks = 20

// ErrManyHooks is returned for one more than MaxHooks.
var ErrManyHooks = errors.New("the quiz has reached its limit of webhooks")

// AddHook stores a hook, with a secret of its own unless it has one.
func (s *Store) AddHook(h *Hook) error {
	if h.Secret == "" {
		var err error
		if h.Secret, err = newSecret(); err != nil {
			return err
		}
	}
	h.ID, h.At = database.NewID(), s.Now().UTC()
	return s.Transact(func(tx *gorm.DB) error {
		if err := database.HasRoom(tx, &Hook{}, h.QuizID, 1, MaxHooks, ErrManyHooks); err != nil {
			return err
		}
		return tx.Create(h).Error
	})
}

// Hooks returns the hooks of a quiz, the oldest first.
func (s *Store) Hooks(quizID string) ([]Hook, error) {
	var list []Hook
	err := s.Read.Where("quiz_id = ?", quizID).Order("at, id").Find(&list).Error
	return list, err
}

// Hook returns a hook of a quiz; ErrNotFound where there is none of the id.
func (s *Store) Hook(quizID, id string) (*Hook, error) {
	var h Hook
	err := s.Read.Where("quiz_id = ? AND id = ?", quizID, id).Take(&h).Error
	return &h, database.NotFound(err)
}

// AnyHook returns the hook of an id, of whatever quiz.
func (s *Store) AnyHook(id string) (*Hook, error) {
	var h Hook
	err := s.Read.Where("id = ?", id).Take(&h).Error
	return &h, database.NotFound(err)
}

// SecretOverlap is how long the secret before still signs after a new one was made.
const SecretOverlap = 24 * time.Hour

// RotateSecret gives a hook a new secret, and returns it. The one before signs too for SecretOverlap.
func (s *Store) RotateSecret(quizID, id string) (string, error) {
	h, err := s.Hook(quizID, id)
	if err != nil {
		return "", err
	}
	fresh, err := newSecret()
	if err != nil {
		return "", err
	}
	until := s.Now().UTC().Add(SecretOverlap)
	return fresh, s.Write.Model(h).
		UpdateColumns(map[string]any{"secret": fresh, "old_secret": h.Secret, "old_until": &until}).
		Error
}

// SwitchHook switches a hook on or off. One that is switched on begins with no failure.
func (s *Store) SwitchHook(quizID, id string, off bool) error {
	h, err := s.Hook(quizID, id)
	if err != nil {
		return err
	}
	return s.Write.Model(h).UpdateColumns(map[string]any{"off": off, "why": "", "failing_since": nil}).Error
}

// DropHook deletes a hook with what is on its way to it.
func (s *Store) DropHook(quizID, id string) error {
	return s.Transact(func(tx *gorm.DB) error {
		r := tx.Where("quiz_id = ? AND id = ?", quizID, id).Delete(&Hook{})
		if r.Error == nil && r.RowsAffected == 0 {
			return database.ErrNotFound
		}
		return errors.Join(r.Error, tx.Where("hook_id = ?", id).Delete(&Delivery{}).Error)
	})
}

// NewDelivery is an event on its way to a hook; responseID is "" for one that is of no response.
func NewDelivery(h *Hook, event, responseID string, at time.Time) *Delivery {
	return &Delivery{
		ID: "msg_" + database.NewID() + database.NewID(), HookID: h.ID, QuizID: h.QuizID, ResponseID: responseID,
		Event: event, At: at, Next: at, State: DeliveryWaiting,
	}
}

// TestHook puts a test on its way to a hook.
func (s *Store) TestHook(quizID, id string) error {
	h, err := s.Hook(quizID, id)
	if err != nil {
		return err
	}
	return s.Write.Create(NewDelivery(h, EventTest, "", s.Now().UTC())).Error
}

// Resend puts a delivery on its way again, under the same id.
func (s *Store) Resend(quizID, id string) error {
	r := s.Write.Model(&Delivery{}).Where("quiz_id = ? AND id = ?", quizID, id).
		UpdateColumns(map[string]any{"state": DeliveryWaiting, "next": s.Now().UTC(), "attempts": 0})
	if r.Error == nil && r.RowsAffected == 0 {
		return database.ErrNotFound
	}
	return r.Error
}

// Newest returns the newest deliveries of a quiz.
func (s *Store) Newest(quizID string, n int) ([]Delivery, error) {
	var list []Delivery
	err := s.Read.Where("quiz_id = ?", quizID).Order("at DESC, id").Limit(n).Find(&list).Error
	return list, err
}

// How many deliveries of one hook are due at once, and of one that fails: a receiver that is slow keeps no other
// waiting, however much waits for it.
const (
	dueOfHook    = 4
	dueOfFailing = 1
)

// DueDeliveries returns what is to be sent by now, the longest due first; nothing of hooks that are off, or that
// another server is sending.
func (s *Store) DueDeliveries(n int) ([]Delivery, error) {
	due := s.Read.Model(&Delivery{}).Joins("JOIN hooks ON hooks.id = deliveries.hook_id AND NOT hooks.off").
		Select("deliveries.*, hooks.failing_since, ROW_NUMBER() OVER (PARTITION BY hook_id ORDER BY next) AS place").
		Where("state = ? AND next <= ?", DeliveryWaiting, s.Now().UTC())
	var list []Delivery
	err := s.Read.Table("(?) AS due", due).
		Where(fmt.Sprintf("place <= CASE WHEN failing_since IS NULL THEN %d ELSE %d END", dueOfHook, dueOfFailing)).
		Order("next").Limit(n).Find(&list).Error
	if err != nil {
		return nil, err
	}
	return claimed(s.DB, list, func(d *Delivery) string { return d.ID })
}

// Settle stores how an attempt ended; of a hook it stores since when it fails. A hook that is off in h is switched
// off: no attempt switches one on, as someone may have switched it off meanwhile.
func (s *Store) Settle(d *Delivery, h *Hook) error {
	return s.Transact(func(tx *gorm.DB) error {
		err := tx.Model(d).Select("body", "next", "state", "attempts", "code", "said").UpdateColumns(d).Error
		of := map[string]any{"failing_since": h.FailingSince}
		if h.Off {
			of["off"], of["why"] = true, h.Why
		}
		return errors.Join(err, tx.Model(&Hook{ID: h.ID}).UpdateColumns(of).Error)
	})
}

// Waiting is how many deliveries are on their way.
func (s *Store) Waiting() (int64, error) {
	var n int64
	err := s.Read.Model(&Delivery{}).Where("state = ?", DeliveryWaiting).Count(&n).Error
	return n, err
}

// DropDelivery forgets one that has nothing left to tell of.
func (s *Store) DropDelivery(id string) error {
	return s.Write.Where("id = ?", id).Delete(&Delivery{}).Error
}

// deliveryLife is how long deliveries that have ended are listed.
const deliveryLife = 30 * 24 * time.Hour

// DropOldDeliveries drops those that ended long ago.
func (s *Store) DropOldDeliveries() error {
	return s.Write.Where("state <> ? AND at < ?", DeliveryWaiting, s.Now().UTC().Add(-deliveryLife)).
		Delete(&Delivery{}).
		Error
}

// TellHooks puts an event on its way to the hooks that are told of it, turned off or not, in the transaction of what
// it tells of: of a response with its outcome, or of none.
func (s *Store) TellHooks(tx *gorm.DB, quizID, event, responseID, outcome string) error {
	var list []Hook
	err := tx.Where("quiz_id = ?", quizID).Find(&list).Error
	for i := range list {
		if !list[i].Wants(event, outcome) {
			continue
		}
		err = errors.Join(err, tx.Create(NewDelivery(&list[i], event, responseID, s.Now().UTC())).Error)
	}
	return err
}
