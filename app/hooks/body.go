package hooks

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"omphalos/app/delivery"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/core/check"
	"omphalos/core/fill"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/score"
	"omphalos/core/walk"
)

// message is the body of a delivery.
type message struct {
	Type      string         `json:"type"`
	Timestamp string         `json:"timestamp"`
	Data      map[string]any `json:"data"`
}

// errNotFor is returned for a response that a hook's condition does not hold for.
var errNotFor = errors.New("the webhook’s condition doesn’t match")

// body writes what a delivery tells of, as it is now. ErrNotFound where that no longer exists, errNotFor where the hook
// is not told of it.
func (s *Sender) body(d *deliveries.Delivery, h *deliveries.Hook) ([]byte, error) {
	m := message{d.Event, d.At.UTC().Format(time.RFC3339), map[string]any{"quiz": d.QuizID}}
	var err error
	switch d.Event {
	case deliveries.EventTest:
		m.Data["hook"] = d.HookID
		err = s.example(h, m.Data)
	case deliveries.EventLaunched:
		var q *documents.Quiz
		if q, err = s.Store.Documents.Quiz(d.QuizID); err == nil {
			m.Data["version"], m.Data["name"] = q.LiveVersion, q.Name
		}
	default:
		err = s.response(d, h, m.Data)
	}
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	w := json.NewEncoder(&out)
	w.SetEscapeHTML(false)
	err = w.Encode(m)
	return bytes.TrimSuffix(out.Bytes(), []byte("\n")), err
}

// filled is an object in any case: anyone who reads it need not ask whether there is one.
func filled(m map[string]string) map[string]string {
	if m == nil {
		return map[string]string{}
	}
	return m
}

// response writes a response, and for an event of a deal what came of it.
func (s *Sender) response(d *deliveries.Delivery, h *deliveries.Hook, data map[string]any) error {
	r, err := s.Store.Responses.Response(d.ResponseID)
	if err != nil {
		return err
	}
	a, err := s.Store.Responses.Answered(r)
	if err != nil {
		return fmt.Errorf("response %s: %w", r.ID, err)
	}
	if ok, err := s.matches(h, r); err != nil || !ok {
		return errors.Join(err, errNotFor)
	}
	write(a, h, data)
	if d.Event == deliveries.EventDeal {
		deal, err := s.Store.Responses.DealOf(r.ID)
		if err != nil {
			return err
		}
		data["deal"] = map[string]string{"state": deal.State, "amount": deal.Amount, "currency": deal.Currency}
	}
	return nil
}

// write writes what is told of a response.
func write(a *responses.Answered, h *deliveries.Hook, data map[string]any) {
	o := a.Doc.Outcome(a.Outcome)
	for name, value := range map[string]any{
		"id": a.ID, "version": a.Version, "outcome": a.Outcome, "qualified": o != nil && o.Qualified,
		"scores": filled(a.Scores), "answers": check.GivenAnswers(a.Doc, a.Answers),
		"contact": filled(a.Contact), "params": filled(a.Params),
		"source": a.Source, "at": a.At.UTC().Format(time.RFC3339),
	} {
		data[name] = value
	}
	if h.Labels {
		data["labels"] = labels(a)
	}
}

// questionText is a question in words, with what was answered.
type questionText struct {
	Question string `json:"question"`
	Answer   string `json:"answer"`
}

// labels are the words that belong to the ids of a response.
func labels(a *responses.Answered) map[string]any {
	scores, answers, contact := map[string]string{}, map[string]questionText{}, map[string]string{}
	for id := range a.Scores {
		if id != "path" && id != "verdict" && id != "outcome" {
			scores[id] = a.Doc.FactName(id)
		}
	}
	for i := range a.Doc.Questions {
		q := &a.Doc.Questions[i]
		if answer, ok := a.Answers[q.ID]; ok && !answer.Blank() {
			answers[q.ID] = questionText{q.Title(), answer.Words(q)}
		}
	}
	if a.Doc.Contact != nil {
		for _, f := range a.Doc.Contact.Fields {
			if a.Contact[f.ID] != "" {
				contact[f.ID] = quiz.FirstOf(f.Label, f.ID)
			}
		}
	}
	return map[string]any{
		"outcome": a.Doc.OutcomeName(a.Outcome), "reason": a.Reason, "scores": scores, "answers": answers, "contact": contact,
	}
}

// matches reports whether a hook is told of a response: whether its condition holds for it.
func (s *Sender) matches(h *deliveries.Hook, r *responses.Response) (bool, error) {
	if len(h.Condition) == 0 {
		return true, nil
	}
	var when rule.Condition
	if err := json.Unmarshal(h.Condition, &when); err != nil {
		return false, err
	}
	source, err := delivery.SourceOf(s.Store, r)
	if err != nil {
		return false, err
	}
	c, err := walk.New(source.Doc)
	if err != nil {
		return false, err
	}
	return when.Holds(c.Facts(source.Input)), nil
}

// example writes an invented person who went through the quiz, as it is live or else as it stands.
func (s *Sender) example(h *deliveries.Hook, data map[string]any) error {
	q, err := s.Store.Documents.Quiz(h.QuizID)
	if err != nil {
		return err
	}
	var doc *quiz.Document
	if q.LiveVersion > 0 {
		doc, err = s.Store.Documents.VersionDocument(q.ID, q.LiveVersion)
	} else {
		doc, err = quiz.ReadStored(q.Document)
	}
	if err != nil {
		return err
	}
	data["example"] = true
	c, err := walk.New(doc)
	if err != nil || len(doc.Questions) == 0 {
		return nil // a draft that no one can go through yet: the test arrives all the same
	}
	today := s.Now().In(doc.Zone()).Format(time.DateOnly)
	in := walk.Input{Answers: exampleAnswers(doc, today), Today: today}
	c.Finish(&in)
	res := c.Walk(in)
	given := map[string]walk.Answer{}
	for _, id := range res.Path {
		given[id] = in.Answers[id]
	}
	scores, cells := map[string]string{}, score.Cells(doc, res)
	for i, column := range score.Columns(doc) {
		scores[column] = cells[i]
	}
	write(&responses.Answered{
		Response: &responses.Response{
			ID: "example", Version: q.LiveVersion, Outcome: res.Outcome, Source: "example", At: s.Now(), Reason: res.Say(doc),
		},
		Doc: doc, Answers: given, Scores: scores, Contact: fill.ExampleContact(doc),
	}, h, data)
	return nil
}

// exampleAnswers answers questions that could be left blank too: the first choice, or what an invented person types.
func exampleAnswers(doc *quiz.Document, today string) map[string]walk.Answer {
	out := map[string]walk.Answer{}
	for i := range doc.Questions {
		q := &doc.Questions[i]
		about, must := kind.Of(q).About(), *q
		must.Required = true
		switch {
		case about.Day:
			out[q.ID] = walk.Answer{Text: today}
		case about.Example != "" && about.Typed:
			out[q.ID] = walk.Answer{Text: about.Example}
		case kind.OfOne(q) || about.Scale:
			out[q.ID] = kind.Of(q).First(&must)
		}
	}
	return out
}
