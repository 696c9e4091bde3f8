// Package hooks sends events of quizzes to webhooks, signed as Standard Webhooks requires
// (https://www.standardwebhooks.com). Events are stored in the same transaction as what they report.
package hooks

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/netip"
	"strconv"
	"sync"
	"time"

	standard "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"omphalos/app/delivery"
	"omphalos/app/often"
	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/core/fill"
	"omphalos/core/quiz"
)

// waits are how long it is waited after each attempt that failed, as Standard Webhooks advises: together about 28
// hours.
var waits = []time.Duration{
	5 * time.Second, 5 * time.Minute, 30 * time.Minute, 2 * time.Hour, 5 * time.Hour, 10 * time.Hour, 10 * time.Hour,
}

const (
	jitter     = 0.1 // of a wait, up or down: many that failed together are not tried together again
	failsLong  = 5 * 24 * time.Hour
	batch      = 40 // deliveries that are sent in one turn
	atOnce     = 8
	lookEvery  = time.Second
	saidLength = 300
)

// Sender sends what is due.
type Sender struct {
	Store   *store.Store
	Now     func() time.Time
	Log     *slog.Logger   // may be nil
	Allowed []netip.Prefix // addresses that are not public and may be reached
	client  *http.Client
}

// Run sends until the context ends, and then what it is sending.
func (s *Sender) Run(ctx context.Context) {
	often.Every(ctx, lookEvery, s.Log, "hooks", func() error { return s.Send(ctx) })
}

// Send sends what is due by now, once: a few of each hook.
func (s *Sender) Send(ctx context.Context) error {
	if s.client == nil {
		s.client = client(s.Allowed)
	}
	list, err := s.Store.Deliveries.DueDeliveries(batch)
	if err != nil {
		return err
	}
	var all sync.WaitGroup
	var mu sync.Mutex
	turns := make(chan struct{}, atOnce)
	for i := range list {
		turns <- struct{}{}
		if ctx.Err() != nil { // the server ends: what is under way ends, and the rest is due next time
			break
		}
		all.Go(func() {
			defer func() { <-turns }()
			if failed := s.one(&list[i]); failed != nil {
				mu.Lock()
				err = failed
				mu.Unlock()
			}
		})
	}
	all.Wait()
	return err
}

// one makes one attempt and stores how it ended.
func (s *Sender) one(d *deliveries.Delivery) error {
	h, err := s.Store.Deliveries.Hook(d.QuizID, d.HookID)
	if database.IsNotFound(err) {
		return s.Store.Deliveries.DropDelivery(d.ID)
	}
	if err != nil {
		return err
	}
	if d.Body == nil {
		if d.Body, err = s.body(d, h); database.IsNotFound(err) ||
			errors.Is(err, errNotFor) { // deleted, or not for this hook
			return s.Store.Deliveries.DropDelivery(d.ID)
		} else if err != nil {
			return err
		}
	}
	d.Code, d.Said = s.attempt(d, h)
	d.Attempts++
	on := !h.Off
	s.settle(d, h)
	if err := s.Store.Deliveries.Settle(d, h); err != nil || !on || !h.Off {
		return err
	}
	return s.sayOff(h)
}

// sayOff writes to anyone who made a hook that the program has switched it off.
func (s *Sender) sayOff(h *deliveries.Hook) error {
	q, err := s.Store.Documents.Quiz(h.QuizID)
	if err != nil {
		return err
	}
	who, err := s.Store.People.Account(h.AccountID)
	if database.IsNotFound(err) {
		who, err = s.Store.People.FirstAccount()
	}
	if err != nil {
		return err
	}
	text := fmt.Sprintf("Omphalos has stopped sending events from “%[2]s” to %[1]s. %[3]s\n\n"+
		"Fix the receiving program, then turn the webhook on again in Launch under “Other programs”. Events that are "+
		"waiting will then be sent.",
		fill.EscapeMarkdown(h.URL), fill.EscapeMarkdown(q.Name), fill.EscapeMarkdown(h.Why))
	content, err := delivery.Note("Webhook turned off: "+q.Name, text, "").JSON()
	if err != nil {
		return err
	}
	return s.Store.Deliveries.QueueMail(&deliveries.Mail{
		QuizID: h.QuizID, MessageID: "hook:" + h.ID + ":" + database.NewID(), Recipients: who.Email, Content: content,
	})
}

// settle decides what becomes of a delivery, and of its hook.
func (s *Sender) settle(d *deliveries.Delivery, h *deliveries.Hook) {
	now := s.Now().UTC()
	switch {
	case d.Code >= 200 && d.Code < 300:
		d.State, h.FailingSince = deliveries.DeliverySent, nil
		return
	case d.Code == http.StatusGone: // the receiver wants no more, as Standard Webhooks has it
		d.State, h.Off, h.Why = deliveries.DeliveryFailed, true, "The address replied that it no longer exists (410)."
		return
	case d.Attempts > len(waits) || d.Event == deliveries.EventTest:
		d.State = deliveries.DeliveryFailed
	default:
		wait := waits[d.Attempts-1]
		d.Next = now.Add(time.Duration(float64(wait) * (1 + jitter*(2*rand.Float64()-1))))
	}
	if d.Event == deliveries.EventTest {
		return // a try tells nothing of how it is
	}
	if h.FailingSince == nil {
		h.FailingSince = &now
	} else if now.Sub(*h.FailingSince) >= failsLong {
		h.Off, h.Why = true, "Deliveries have failed for five days."
	}
}

// attempt sends a delivery and returns the status of the answer, 0 for none, and how it ended in words.
// It has a time of its own and is not given up when the server ends.
func (s *Sender) attempt(d *deliveries.Delivery, h *deliveries.Hook) (code int, said string) {
	now := s.Now()
	signed, err := signatures(h, d.ID, now, d.Body)
	if err != nil {
		return 0, err.Error()
	}
	r, err := http.NewRequest(http.MethodPost, h.URL, bytes.NewReader(d.Body))
	if err != nil {
		return 0, err.Error()
	}
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("User-Agent", "Omphalos-Hooks/1")
	r.Header.Set(standard.HeaderWebhookID, d.ID)
	r.Header.Set(standard.HeaderWebhookTimestamp, strconv.FormatInt(now.Unix(), 10))
	r.Header.Set(standard.HeaderWebhookSignature, signed)
	answer, err := s.client.Do(r)
	if err != nil {
		return 0, quiz.Shorten(err.Error(), saidLength)
	}
	defer answer.Body.Close()
	text, _ := io.ReadAll(io.LimitReader(answer.Body, mostRead)) // the status is what counts
	if answer.StatusCode >= 300 && answer.StatusCode < 400 {
		return answer.StatusCode, "The address redirects elsewhere; redirects aren’t followed."
	}
	return answer.StatusCode, quiz.Shorten(string(bytes.ToValidUTF8(text, []byte("?"))), saidLength)
}

// signatures signs with the secret of a hook, and with the one before it for as long as that still counts.
func signatures(h *deliveries.Hook, id string, at time.Time, body []byte) (string, error) {
	secrets := []string{h.Secret}
	if h.OldSecret != "" && h.OldUntil != nil && at.Before(*h.OldUntil) {
		secrets = append(secrets, h.OldSecret)
	}
	all := ""
	for _, secret := range secrets {
		w, err := standard.NewWebhook(secret)
		if err != nil {
			return "", err
		}
		one, err := w.Sign(id, at, body)
		if err != nil {
			return "", err
		}
		if all != "" {
			all += " "
		}
		all += one
	}
	return all, nil
}
