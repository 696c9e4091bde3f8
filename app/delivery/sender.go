package delivery

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"time"

	smtp "github.com/wneessen/go-mail"
	"golang.org/x/sync/errgroup"

	"omphalos/app/engine"
	"omphalos/app/often"
	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/app/words"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// waits are how long it is waited after each attempt that failed: together about a day.
var waits = []time.Duration{
	20 * time.Second, 2 * time.Minute, 10 * time.Minute, time.Hour, 3 * time.Hour, 6 * time.Hour, 13 * time.Hour,
}

const (
	attemptTime = 30 * time.Second
	batch       = 50 // mails that are sent over one connection
	lookEvery   = time.Second
	jitter      = 0.1 // of a wait, up or down
	saidLength  = 300
	// unconfirmedLife is how long it is waited for a confirmation.
	unconfirmedLife = 30 * 24 * time.Hour
)

// Sender sends the mails that are due.
type Sender struct {
	Store    *store.Store
	Settings Settings
	Origin   string // of the server, for links; "" where that is not known
	Now      func() time.Time
	Log      *slog.Logger // may be nil

	once  sync.Once
	links *engine.Links
	fault error
}

// Run sends until the context ends, and then the mail that it is sending. Without settings mails wait.
func (s *Sender) Run(ctx context.Context) {
	if !s.Settings.On() {
		return
	}
	often.Every(ctx, lookEvery, s.Log, "mail", func() error { return s.Send(ctx) })
}

// atOnce is how many connections send: a mail that takes long keeps no other waiting.
const atOnce = 4

// Send sends what is due by now, over a few connections.
func (s *Sender) Send(ctx context.Context) error {
	list, err := s.Store.Deliveries.DueMails(batch)
	if err != nil || len(list) == 0 {
		return err
	}
	turns := make(chan *deliveries.Mail)
	var all errgroup.Group
	for range min(atOnce, len(list)) {
		all.Go(func() error {
			line := &line{settings: &s.Settings}
			defer line.close()
			var failed error
			for m := range turns {
				failed = errors.Join(failed, s.one(line, m))
			}
			return failed
		})
	}
	for i := range list {
		if ctx.Err() != nil { // the server ends: the rest is due next time
			break
		}
		turns <- &list[i]
	}
	close(turns)
	return all.Wait()
}

// one makes one attempt and stores how it ended.
func (s *Sender) one(line *line, m *deliveries.Mail) error {
	send, err := s.ready(m)
	if err != nil || !send {
		return err
	}
	l, err := ReadLetter(m.Content)
	if err != nil {
		return fmt.Errorf("mail %s: %w", m.ID, err)
	}
	m.Attempts++
	failed := s.attempt(line, m, l)
	s.settle(m, failed)
	return s.Store.Deliveries.SettleMail(m)
}

// ready writes what a mail says, if that has not been done, and reports whether it is to be sent now.
func (s *Sender) ready(m *deliveries.Mail) (bool, error) {
	if m.Agreed {
		if send, err := s.stillAgreed(m); err != nil || !send {
			return false, err
		}
	}
	if m.Content != nil {
		return true, nil
	}
	l, err := s.compose(m)
	switch {
	case database.IsNotFound(err): // what it is about has been deleted
		return false, s.Store.Deliveries.DropMail(m.ID)
	case err != nil:
		m.State, m.Said = deliveries.DeliveryFailed, "Couldn’t create the email: "+quiz.Shorten(err.Error(), saidLength)
		return false, s.Store.Deliveries.SettleMail(m)
	}
	m.Content, err = l.JSON()
	return err == nil, err
}

// stillAgreed looks whether someone who agreed still does, and has confirmed it where the quiz asks for that.
func (s *Sender) stillAgreed(m *deliveries.Mail) (bool, error) {
	q, err := s.Store.Documents.Quiz(m.QuizID)
	if database.IsNotFound(err) {
		return false, s.Store.Deliveries.DropMail(m.ID)
	}
	if err != nil {
		return false, err
	}
	access, err := responses.AccessOf(q)
	if err != nil {
		return false, err
	}
	who, err := s.Store.Deliveries.OnList(m.QuizID, m.Recipients)
	switch {
	case database.IsNotFound(err):
		return true, nil // it goes to someone else than who agreed: the team
	case err != nil:
		return false, err
	case who.Left != nil:
		m.State, m.Said = deliveries.MailDropped, "The recipient has unsubscribed."
		return false, s.Store.Deliveries.SettleMail(m)
	case access.Confirm && who.Confirmed == nil:
		if m.State = deliveries.MailUnconfirmed; s.Now().Sub(m.At) > unconfirmedLife {
			m.State = deliveries.MailDropped
		}
		m.Said = "The recipient hasn’t confirmed their subscription."
		return false, errors.Join(s.Store.Deliveries.SettleMail(m), s.askToConfirm(q, who))
	}
	return true, nil
}

// askToConfirm sends the mail that asks someone to confirm that they agreed: once for each time that they did.
func (s *Sender) askToConfirm(q *documents.Quiz, who *deliveries.Agreed) error {
	at, err := s.link(engine.ToConfirm, q.ID, who.Email)
	if err != nil || at == "" {
		return err
	}
	markdown := fmt.Sprintf("You answered “%s” and agreed to this:\n\n> %s\n\nIf that’s right, please [confirm "+
		"your subscription](%s).\n\n"+
		"If this wasn’t you, ignore this email. You won’t get any others.",
		fill.EscapeMarkdown(q.Name), fill.EscapeMarkdown(who.Wording), at)
	content, err := Note("Please confirm: "+q.Name, markdown, s.Origin).JSON()
	if err != nil {
		return err
	}
	return s.Store.Deliveries.QueueMail(&deliveries.Mail{
		QuizID: q.ID, ResponseID: who.ResponseID, Recipients: who.Email, Content: content,
		MessageID: deliveries.ConfirmMail + q.ID + ":" + who.ResponseID,
	})
}

// link is the address of a link in a letter, "" where no one knows how this server is reached.
func (s *Sender) link(what, quizID, email string) (string, error) {
	s.once.Do(func() { s.links, s.fault = engine.NewLinks(s.Store) })
	if s.fault != nil || s.Origin == "" {
		return "", s.fault
	}
	token, err := s.links.To(what, quizID, email)
	return strings.TrimSuffix(s.Origin, "/") + "/m/" + quizID + "/" + token, err
}

// compose writes the message of a response, from what is stored now.
func (s *Sender) compose(m *deliveries.Mail) (*Letter, error) {
	r, err := s.Store.Responses.Response(m.ResponseID)
	if err != nil {
		return nil, err
	}
	s.once.Do(func() { s.links, s.fault = engine.NewLinks(s.Store) })
	around := Around{Origin: s.Origin}
	if s.Origin != "" {
		around.Lead = LeadAddress(s.Origin, m.QuizID, r.ID)
	}
	if m.Agreed {
		if around.Leave, err = s.link(engine.ToLeave, m.QuizID, m.Recipients); err != nil {
			return nil, err
		}
		if around.Leave == "" {
			return nil, errNoLeaving
		}
	}
	source, err := SourceOf(s.Store, r)
	if err != nil {
		return nil, err
	}
	if s.links != nil && s.Origin != "" {
		source.File = func(id string) string {
			return strings.TrimSuffix(s.Origin, "/") + s.links.File(r.QuizID, id, r.Outcome, r.ID)
		}
	}
	at := source.Doc.Message(m.MessageID)
	if at < 0 {
		return nil, fmt.Errorf("version %d has no message %q", r.Version, m.MessageID)
	}
	message := &source.Doc.Messages[at]
	if message.To == quiz.ToRespondent {
		source.Doc = inLanguage(source.Doc, r.Language)
	}
	return Compose(message, source, around), nil
}

// errNoLeaving keeps a mail back that its recipient could not unsubscribe from.
var errNoLeaving = errors.New("the server does not know its own address (--url), so the unsubscribe link can’t " +
	"be written")

// LeadAddress is where a response stands in Leads.
func LeadAddress(origin, quizID, responseID string) string {
	return strings.TrimSuffix(origin, "/") + "/quizzes/" + quizID + "/leads?lead=" + responseID
}

// SourceOf is what texts are filled from for a response, by the version that it belongs to.
func SourceOf(s *store.Store, r *responses.Response) (fill.Source, error) {
	a, err := s.Responses.Answered(r)
	if err != nil {
		return fill.Source{}, err
	}
	c, err := walk.New(a.Doc)
	if err != nil {
		return fill.Source{}, err
	}
	in := a.InputIn(a.Doc.Zone())
	return fill.Source{Doc: a.Doc, Input: in, Result: c.Walk(in), Lead: r.ID, Contact: a.Contact}, nil
}

// inLanguage is a document in the language of someone, where it has it.
func inLanguage(d *quiz.Document, language string) *quiz.Document {
	primary := func(code string) string { p, _, _ := strings.Cut(strings.ToLower(code), "-"); return p }
	codes := d.Languages()
	at := slices.IndexFunc(codes, func(code string) bool { return primary(code) == primary(language) })
	if at < 1 {
		return d
	}
	return words.InLanguage(d, codes[at])
}

// attempt sends a letter. It has a time of its own and is not given up when the server ends.
func (s *Sender) attempt(line *line, m *deliveries.Mail, l *Letter) error {
	msg, err := s.envelope(m, l)
	if err != nil {
		return &refusal{err}
	}
	return line.send(msg)
}

// refusal is a failure that trying again does not mend.
type refusal struct{ error }

func (r *refusal) Unwrap() error { return r.error }

// settle decides what becomes of a mail.
func (s *Sender) settle(m *deliveries.Mail, failed error) {
	if failed == nil {
		m.State, m.Said = deliveries.DeliverySent, ""
		return
	}
	m.Said = quiz.Shorten(failed.Error(), saidLength)
	var never *refusal
	if errors.As(failed, &never) || m.Attempts > len(waits) {
		m.State = deliveries.DeliveryFailed
		return
	}
	wait := waits[m.Attempts-1]
	m.Next = s.Now().UTC().Add(time.Duration(float64(wait) * (1 + jitter*(2*rand.Float64()-1))))
}

// line is a connection to the server that is made when it is first needed, and made again after a failure.
type line struct {
	settings *Settings
	client   *smtp.Client
	failed   error // it could not be made: nothing of this turn can be sent
}

func (l *line) send(msg *smtp.Msg) error {
	ctx, cancel := context.WithTimeout(context.Background(), attemptTime)
	defer cancel()
	if l.failed != nil {
		return l.failed
	}
	if l.client == nil {
		client, err := l.settings.client()
		if err == nil {
			err = client.DialWithContext(ctx)
		}
		if err != nil {
			l.failed = err
			return err
		}
		l.client = client
	}
	err := l.client.Send(msg)
	if err == nil {
		return nil
	}
	var sent *smtp.SendError
	if errors.As(err, &sent) && isRefusal(sent) {
		err = &refusal{err}
	}
	l.close()
	return err
}

// isRefusal reports whether the server said no permanently (a code from 500 on, RFC 5321 4.2.1) to this mail.
func isRefusal(e *smtp.SendError) bool {
	return !e.IsTemp() && e.ErrorCode() >= 500
}

func (l *line) close() {
	if l.client != nil {
		_ = l.client.Close() // what was taken is taken
		l.client = nil
	}
}
