package engine

import (
	"slices"
	"time"

	"omphalos/app/store"
	"omphalos/app/store/deliveries"
	"omphalos/core/colour"
	"omphalos/core/fill"
	"omphalos/core/kind"
	"omphalos/core/message"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// mails are the messages that a finished walk brings about. Where the quiz has a contact step nothing is sent before it
// was given something: reply is what it was given, nil for nothing.
func (s *session) mails(res *walk.Result, reply *contactReply, lead string) []deliveries.Mail {
	own := s.own
	if len(own.Doc.Messages) == 0 || own.asksAtAll() && (reply == nil || len(reply.Fields) == 0) {
		return nil
	}
	who := message.Respondent{Input: s.input(s.p), Result: res, Lead: lead}
	if reply != nil {
		who.Email, who.Contact, who.Agreed = reply.Email, reply.Fields, reply.Consent != ""
	}
	who.Email = quiz.FirstOf(who.Email, AnsweredEmail(own.Doc, res, who.Input))
	return Mails(own.walk, who, own.beside, s.e.now())
}

// Mails are the messages that someone brings about, as they are stored with their response.
func Mails(c *walk.Compiled, who message.Respondent, tables fill.Tables, now time.Time) []deliveries.Mail {
	var out []deliveries.Mail
	for _, sent := range message.Due(c, who, tables) {
		out = append(out, deliveries.Mail{
			MessageID:  sent.Message.ID,
			Recipients: deliveries.JoinRecipients(sent.To),
			Agreed:     sent.Message.Agreed,
			Next:       now.Add(time.Duration(sent.Message.After) * time.Minute).UTC(),
		})
	}
	return out
}

// asksAtAll reports whether the quiz has a contact step.
func (s *Source) asksAtAll() bool {
	c := s.Doc.Contact
	return c != nil && c.Place != quiz.ContactNone && len(c.Fields) > 0
}

// AnsweredEmail is the email address that someone gave as the answer to a question, "" for none.
func AnsweredEmail(d *quiz.Document, res *walk.Result, in walk.Input) string {
	for i := range d.Questions {
		q := &d.Questions[i]
		if kind.Of(q).About().Email && slices.Contains(res.Path, q.ID) && in.Answers[q.ID].Text != "" {
			return in.Answers[q.ID].Text
		}
	}
	return ""
}

// DirectionOf is ltr, rtl, or "" for that of the page.
func DirectionOf(d *quiz.Document) string { return directionOf(d) }

// ReadableColour is the colour of a quiz as it can be read on white.
func ReadableColour(d *quiz.Document) string {
	strong, err := colour.Parse(d.Theme.Colour)
	if err != nil {
		strong, _ = colour.Parse(usualStrong)
	}
	return readable(strong, colour.White).String()
}

// What a link in a letter is for.
const (
	ToLeave   = "leave"   // the list
	ToConfirm = "confirm" // that one agreed
)

// ToFile is what a link to a file is for: the file's id and the outcome follow, with colons before them.
const ToFile = "file"

// File is where someone who ended at an outcome gets a file of a quiz: an address of their own.
func (l *Links) File(quizID, id, outcome, lead string) string {
	token, err := l.To(ToFile+":"+id+":"+outcome, quizID, lead)
	if err != nil {
		return "" // the system has no random bytes: the text shows its fallback
	}
	return "/f/" + quizID + "/" + token
}

// letterToken is what a link in a letter says. An email address is never part of an address in the clear.
type letterToken struct {
	For   string `json:"f"`
	Email string `json:"e"` // of a file the response's id
}

func (letterToken) kind() string { return "letter" }

// Links seals and opens the links of letters.
type Links struct{ sealer *sealer }

// NewLinks makes them with the key that the database keeps.
func NewLinks(s *store.Store) (*Links, error) {
	key, err := s.Secret("places")
	if err != nil {
		return nil, err
	}
	seal, err := newSealer(key)
	return &Links{seal}, err
}

// To is the token of a link for someone.
func (l *Links) To(what, quizID, email string) (string, error) {
	return l.sealer.seal(quizID, &letterToken{what, email})
}

// Open reads the token of a link: what it is for, and for whom. It reports false for one that cannot be read.
func (l *Links) Open(quizID, token string) (what, email string, ok bool) {
	var t letterToken
	err := l.sealer.open(quizID, token, &t)
	return t.For, t.Email, err == nil
}
