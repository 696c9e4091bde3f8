package messages

import (
	"html/template"
	"net/http"
	"regexp"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/delivery"
	"omphalos/app/page"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/walk"
)

// preview shows a message of the draft as it arrives, in a frame without scripts.
func (h *Handler) preview(c *gin.Context) {
	v, _ := h.Bench.Count(c) // without a count someone without answers is shown
	if v == nil {
		return
	}
	header := c.Writer.Header()
	header.Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; img-src 'self'; "+
		"base-uri 'none'; form-action 'none'; frame-ancestors 'self'")
	header.Set("X-Frame-Options", "SAMEORIGIN")
	header.Set("Cache-Control", "no-store")
	l := h.compose(v, c.Query("m"), c.Query("of"))
	if l == nil {
		// 404 would stand in the console as a fault.
		c.String(http.StatusOK, "Fix the problems listed below to see the preview.")
		return
	}
	mail := arrives{l, h.senderAddress(), quiz.FirstOf(l.ReplyTo, h.replies()), template.HTML(letterHTML(l))}
	c.Data(http.StatusOK, "text/html; charset=utf-8", page.Execute(templates, "arrives", mail))
}

// arrives is a mail with what stands above it in a mailbox.
type arrives struct {
	*delivery.Letter
	From    string
	Answers string // where replies go
	Shown   template.HTML
}

var within = regexp.MustCompile(`cid:([0-9a-f]+)@pictures`)

// letterHTML is the HTML of a letter with its pictures where the library has them.
func letterHTML(l *delivery.Letter) string {
	return within.ReplaceAllString(l.HTML, "/media/$1?w=640")
}

// compose writes a message of the draft for the respondent of a response, or without one for an example of whom it is
// for. It is nil where there is none of the id, or the draft cannot be walked.
func (h *Handler) compose(v *workbench.Counted, id, of string) *delivery.Letter {
	d := v.Doc
	i := d.Message(id)
	c, err := walk.New(d)
	if i < 0 || err != nil {
		return nil
	}
	file := func(string) string { return "#" }
	source := fill.Source{Doc: d, Lead: "example", Contact: fill.ExampleContact(d), File: file}
	around := delivery.Around{Origin: h.Origin, Lead: delivery.LeadAddress(h.Origin, v.Quiz.ID, "example")}
	if r := h.response(v.Quiz.ID, of); r != nil {
		real, err := delivery.SourceOf(h.Store, r)
		if err != nil {
			return nil
		}
		source.Input, source.Lead, source.Contact = real.Input, r.ID, real.Contact
		around.Lead = delivery.LeadAddress(h.Origin, v.Quiz.ID, r.ID)
	} else {
		source.Input = walk.Input{Answers: map[string]walk.Answer{}}
		for _, s := range v.Sent {
			if s.ID == id && s.Witness != nil {
				source.Input = reach.InputOf(d, s.Witness)
			}
		}
	}
	source.Result = c.Walk(source.Input)
	if d.Messages[i].Agreed {
		around.Leave = strings.TrimSuffix(h.Origin, "/") + "/m/example"
	}
	return delivery.Compose(&d.Messages[i], source, around)
}

// response is one of the quiz, nil where there is none of the id.
func (h *Handler) response(quizID, id string) *responses.Response {
	if id == "" {
		return nil
	}
	r, err := h.Store.Responses.Response(id)
	if err != nil || r.QuizID != quizID || !r.Kept {
		return nil
	}
	return r
}

// newLogged says how a mail went.
func newLogged(draft *workbench.Draft, m deliveries.Mail) logEntry {
	l := logEntry{Mail: m, When: draft.Moment(m.At)}
	if m.State == deliveries.DeliveryWaiting {
		l.Then = draft.Moment(m.Next)
	}
	if letter, err := delivery.ReadLetter(m.Content); err == nil {
		l.Subject, l.Text = letter.Subject, letter.Text
	}
	return l
}
