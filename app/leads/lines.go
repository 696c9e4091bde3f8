package leads

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"omphalos/app/page"
	"omphalos/app/store/database"
	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/check"
	"omphalos/core/fact"
	"omphalos/core/fill"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// lead is a line of the table.
type lead struct {
	*responses.Answered
	Mark  page.Mark
	Cells []cell // by column that is shown
	Who   string
	When  string
	Deal  responses.Deal
}

// DealSays is what came of it, in words.
func (l lead) DealSays() string {
	if l.Deal.Amount == "" {
		return l.Deal.State
	}
	amount, err := rule.ParseNumber(l.Deal.Amount)
	if err != nil || l.Deal.Currency == "" { // as it was imported
		return strings.TrimSpace(l.Deal.State + ", " + l.Deal.Currency + " " + l.Deal.Amount)
	}
	return l.Deal.State + ", " + fill.Money(amount, l.Deal.Currency, "en")
}

// lines makes the table's lines of responses. Among its columns are the scales of the versions that these belong to.
func (h *Handler) lines(v *view, responses []responses.Response) error {
	var ids, titles []string
	for i := range responses {
		a, err := h.Store.Responses.Answered(&responses[i])
		if err != nil {
			return err
		}
		for k := range a.Doc.Scales {
			s := &a.Doc.Scales[k]
			if !slices.Contains(ids, s.ID) {
				ids, titles = append(ids, s.ID), append(titles, s.Title())
			}
		}
		l := newLead(v.Draft, a)
		if l.Deal, err = h.Store.Responses.DealOf(a.ID); err != nil {
			return err
		}
		v.Leads = append(v.Leads, l)
	}
	v.columns(v.kept, ids, titles)
	for i := range v.Leads {
		for _, c := range v.Columns {
			if c.Shown {
				v.Leads[i].Cells = append(v.Leads[i].Cells, v.Leads[i].cell(c))
			}
		}
	}
	return nil
}

// score is the value of a scale.
func (l *lead) score(scale string) string {
	text := l.Scores["scale."+scale]
	if n, err := rule.ParseNumber(text); err == nil {
		return n.Round(2).String()
	}
	return text
}

func newLead(d *workbench.Draft, a *responses.Answered) lead {
	l := lead{Answered: a, Mark: d.Mark(a.Outcome), Who: "no contact details", When: d.Moment(a.At)}
	if d.Doc.Outcome(a.Outcome) == nil {
		l.Mark.Name = a.Doc.OutcomeName(a.Outcome)
	}
	switch {
	case a.Name != "" && a.Email != "":
		l.Who = a.Name + " · " + a.Email
	case a.Name != "" || a.Email != "":
		l.Who = a.Name + a.Email
	}
	return l
}

// person is one response in full.
type person struct {
	lead
	Lines  []answerLine
	Took   string
	Agreed string // when, "" for never
	Tried  []triedLine
	Keep   string // the patch that keeps them as a check, without their contact details
	Mails  []string
}

// triedLine is a verdict line that was tried for someone.
type triedLine struct {
	Line   int
	Text   string
	Failed string // what did not hold; "" for the line that decided
}

type answerLine struct {
	Number   int
	Question string
	Answer   string
	Points   string
}

// person reads one response by the version that it answered; nil when it is not there, or not this quiz's.
func (h *Handler) person(d *workbench.Draft, id string) (*person, error) {
	r, err := h.Store.Responses.Response(id)
	if database.IsNotFound(err) || err == nil && (r.QuizID != d.Quiz.ID || !r.Kept) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	a, err := h.Store.Responses.Answered(r)
	if err != nil {
		return nil, err
	}
	c, err := walk.New(a.Doc)
	if err != nil {
		return nil, err
	}
	p := &person{lead: newLead(d, a), Took: duration(r.At.Sub(r.StartedAt))}
	if r.ConsentAt != nil {
		p.Agreed = d.Moment(*r.ConsentAt)
	}
	if p.Deal, err = h.Store.Responses.DealOf(a.ID); err != nil {
		return nil, err
	}
	if p.Mails, err = h.mails(d, a); err != nil {
		return nil, err
	}
	p.trace(d, c, a)
	for i := range a.Doc.Questions {
		q := &a.Doc.Questions[i]
		answer, asked := a.Answers[q.ID]
		if !asked || kind.Of(q).About().Silent {
			continue
		}
		p.Lines = append(p.Lines, answerLine{i + 1, q.Title(), answer.Words(q), points(c, i, answer)})
	}
	return p, nil
}

// mails says of each message that someone brought about how it went.
func (h *Handler) mails(d *workbench.Draft, a *responses.Answered) ([]string, error) {
	list, err := h.Store.Deliveries.MailsOf(a.ID)
	var out []string
	for _, m := range list {
		name := m.MessageID
		if i := a.Doc.Message(m.MessageID); i >= 0 {
			name = a.Doc.Messages[i].Title()
		}
		out = append(out, fmt.Sprintf("“%s” to %s: %s", name, strings.Join(m.To(), ", "), d.MailState(&m)))
	}
	return out, err
}

// points are what an answer gave, in words.
func points(c *walk.Compiled, question int, a walk.Answer) string {
	var out []string
	for j, n := range c.Effect(question, a).Points {
		if n.Sign() != 0 {
			out = append(out, c.Doc.Scales[j].Title()+" "+signed(n))
		}
	}
	return strings.Join(out, ", ")
}

func signed(n rule.Number) string {
	s := strings.Replace(n.String(), "-", "−", 1)
	if n.Sign() > 0 {
		s = "+" + s
	}
	return s
}

func duration(d time.Duration) string {
	d = d.Round(time.Second)
	if d < time.Minute {
		return fmt.Sprintf("%d s", d/time.Second)
	}
	if d%time.Minute == 0 {
		return fmt.Sprintf("%d min", d/time.Minute)
	}
	return fmt.Sprintf("%d min %d s", d/time.Minute, d%time.Minute/time.Second)
}

// trace tells how the verdict lines of the version decided, and keeps the person as a check where the draft takes their
// answers.
func (p *person) trace(d *workbench.Draft, c *walk.Compiled, a *responses.Answered) {
	in := inputOf(d, a)
	lines, _ := c.Trace(in)
	for _, t := range lines {
		verdict := &a.Doc.Verdicts[t.Line-1]
		p.Tried = append(p.Tried, triedLine{t.Line, a.Doc.VerdictSentence(verdict), t.Failed(a.Doc)})
	}
	draft, err := walk.New(d.Doc)
	if err != nil || !draft.Takes(a.Answers) {
		return
	}
	kept := check.Keep(d.Doc, in, draft.Walk(in))
	kept.Visitor, kept.Params = fact.Visitor{}, nil
	for id, g := range kept.Answers { // what someone typed is theirs
		if i := d.Doc.Question(id); i >= 0 && g.Text != "" && !kind.OfOne(&d.Doc.Questions[i]) {
			delete(kept.Answers, id)
		}
	}
	p.Keep = quiz.JSON(workbench.AddTo("/checks", kept))
}
