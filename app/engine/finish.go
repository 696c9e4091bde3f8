package engine

import (
	"encoding/json"
	"errors"
	"strings"

	"omphalos/app/store/database"
	"omphalos/app/store/responses"
	"omphalos/core/fill"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// ErrNotStored is returned when couldn’t store the answers: they can be sent again.
var ErrNotStored = errors.New("couldn’t store the answers")

// finish stores the response and leads to the outcome. A walk that has been kept before stays as it was and ends
// where it ended; one that kept nothing can still become a lead, by Back and another answer.
func (s *session) finish(reply *contactReply) (*Reply, error) {
	res := s.walk.Walk(s.input(s.p))
	if !s.stores {
		s.p.rememberContact(reply)
		if s.asksContact(res, quiz.ContactAfter) {
			return s.leadTo(s.p.withStep(atAfter))
		}
		return s.lead()
	}
	now := s.e.now()
	f := Finished{ID: s.p.ID, QuizID: s.QuizID, Version: s.Number, Began: s.p.began(), At: now, Day: s.today(),
		Input: s.input(s.p), Source: s.p.Source, Way: s.p.way(), Labels: s.own.labels(s.p)}
	f.Suspect = s.e.guard.suspect(s.visit.Address, s.p.Trapped, now.Sub(f.Began), len(res.Path))
	if reply != nil {
		s.given = reply.Fields
		f.Name, f.Email, f.Contact, f.Consent = reply.Name, reply.Email, reply.Fields, reply.Consent
	}
	fresh := false
	response, err := Response(s.own.Doc, res, f)
	if err == nil {
		response.Limit, response.Invitation = s.cap(), s.p.Invite
		response.Mails, response.BeforeSplit = s.mails(res, reply, s.p.ID), s.beforeSplit()
		fresh, err = s.e.store.Responses.Submit(*response)
	}
	switch {
	case errors.Is(err, database.ErrFull):
		return redirectReply(s.Home), nil // where it says that all places are taken
	case errors.Is(err, responses.ErrUsed):
		query, err := s.e.Invitation(s.QuizID, s.p.Invite)
		return redirectReply(s.Home + "?" + query), err
	}
	if err != nil {
		return nil, errors.Join(ErrNotStored, err)
	}
	if !fresh {
		again, err := s.asStored()
		if err != nil {
			return nil, err
		}
		if again {
			return s.lead()
		}
	}
	if fresh && response.Kept {
		s.miss(res)
	}
	if s.asksContact(res, quiz.ContactAfter) {
		return s.leadTo(s.p.withStep(atAfter))
	}
	return s.lead()
}

// cap is how many responses the quiz takes at most; 0 is any number.
func (s *session) cap() int {
	h, err := s.e.head(s.visit.Slug)
	if err != nil {
		return 0 // it has been deleted meanwhile: the response is taken
	}
	return h.access.Limit()
}

// asStored takes over the answers of a walk that was finished before, and reports whether they had been kept: then the
// response that is stored decides.
func (s *session) asStored() (bool, error) {
	stored, err := s.e.store.Responses.Response(s.p.ID)
	if err != nil || !stored.Kept {
		return false, err
	}
	var answers map[string]walk.Answer
	if err := json.Unmarshal(stored.Answers, &answers); err != nil {
		return false, err
	}
	s.p.Answers = answers
	return true, nil
}

// labels are what answers that come from tables are called now: the tables change without a launch.
func (s *Source) labels(p *Place) map[string]map[string]string {
	var out map[string]map[string]string
	for i := range s.Doc.Questions {
		q := &s.Doc.Questions[i]
		if q.ChoicesFrom == nil {
			continue
		}
		for _, id := range p.Answers[q.ID].Picks {
			at := q.Choice(id)
			if at < 0 {
				continue
			}
			if out == nil {
				out = map[string]map[string]string{}
			}
			if out[q.ID] == nil {
				out[q.ID] = map[string]string{}
			}
			out[q.ID][id] = q.Choices[at].Title()
		}
	}
	return out
}

// after adds the contact step that stands after the outcome to the response, and leads on.
func (s *session) after(reply *contactReply) (*Reply, error) {
	if !s.stores {
		s.p.rememberContact(reply)
	}
	if reply == nil || !s.stores {
		return s.lead()
	}
	contact, err := json.Marshal(reply.Fields)
	if err == nil {
		add := &responses.Response{
			ID:      s.p.ID,
			Name:    reply.Name,
			Email:   reply.Email,
			Contact: contact,
			Consent: reply.Consent,
		}
		if reply.Consent != "" {
			at := s.e.now().UTC()
			add.ConsentAt = &at
		}
		mails := s.mails(s.walk.Walk(s.input(s.p)), reply, s.p.ID)
		err = s.e.store.Responses.AddContact(add, mails...)
	}
	if err != nil {
		return nil, errors.Join(ErrNotStored, err)
	}
	s.p.Thanks, s.given = true, reply.Fields
	return s.lead()
}

// lead sends the respondent on: to the address of a redirect, else to the ending page.
func (s *session) lead() (*Reply, error) {
	if !s.stores { // a rehearsal shows its endings, and follows none
		return s.leadTo(s.p.withStep(atEnd))
	}
	res := s.walk.Walk(s.input(s.p))
	o := s.Doc.Outcome(res.Outcome)
	if o != nil && o.Ending != nil && o.Ending.Kind == quiz.EndRedirect && o.Ending.Delay == 0 && !s.p.Kit {
		source := s.filled(res)
		if to, _ := s.address(o.Ending, source); to != "" {
			return &Reply{To: to, Away: true, Prepared: NotPrepared}, nil
		}
	}
	token, err := s.sealed(&endToken{s.p.withStep(atEnd)})
	if err == nil && s.long(token) {
		*s.p = s.p.withStep(atEnd)
		return s.end()
	}
	return redirectReply(s.Home + "/end/" + token), err
}

// miss leaves lines for the owner, once for a finish that keeps its answers: tables were asked for keys that they do
// not have. The respondent continues all the same.
func (s *session) miss(res *walk.Result) {
	o := s.Doc.Outcome(res.Outcome)
	if o == nil || o.Ending == nil {
		return
	}
	source := s.filled(res)
	var missed []tableMiss
	switch {
	case o.Ending.Kind == quiz.EndProducts:
		_, missed = s.products(o.Ending, source)
	case o.Ending.Kind == quiz.EndRedirect && !s.isTypedKey(o.Ending.Lookup):
		_, missed = s.address(o.Ending, source)
	}
	for _, m := range missed {
		_ = s.e.store.Documents.Missed(s.QuizID, m.table, m.key)
	}
}

// isTypedKey reports whether a table is asked for what respondents type: that is theirs, and stays with their response.
func (s *Source) isTypedKey(l *quiz.Lookup) bool {
	if l == nil {
		return false
	}
	id := strings.TrimSuffix(strings.TrimPrefix(l.Key, "answer."), ".id")
	i := s.Doc.Question(id)
	if i < 0 {
		return strings.HasPrefix(l.Key, "contact.") || id != l.Key
	}
	return kind.Of(&s.Doc.Questions[i]).About().Typed
}

// tableMiss is a key that a table does not have.
type tableMiss struct{ table, key string }

// address is where a redirect leads; "" where no address can be filled. What a table does not have is returned too.
func (s *Source) address(e *quiz.Ending, source fill.Source) (to string, missed []tableMiss) {
	t := source.Target(e, s.beside)
	if e.Lookup != nil && !t.Found {
		missed = []tableMiss{{e.Lookup.Table, quiz.FirstOf(t.Key, "(blank)")}}
	}
	return t.Address, missed
}

// filled is what texts and addresses are filled from at the end of a walk.
func (s *session) filled(res *walk.Result) fill.Source {
	return fill.Source{
		Doc: s.Doc, Input: s.input(s.p), Result: res, Lead: s.p.ID, Contact: s.contactGiven(),
		File: func(id string) string { return (&Links{s.e.sealer}).File(s.QuizID, id, res.Outcome, s.p.ID) },
	}
}

// contactGiven is what the contact step was given: just now, or before the response was stored. It is read only where
// something looks at it.
func (s *session) contactGiven() map[string]string {
	if !s.stores {
		return s.p.contactRemembered()
	}
	if s.given != nil || !s.asksForContact {
		return s.given
	}
	r, err := s.e.store.Responses.Response(s.p.ID)
	if err != nil || len(r.Contact) == 0 {
		return nil
	}
	if err := json.Unmarshal(r.Contact, &s.given); err != nil {
		return nil
	}
	return s.given
}
