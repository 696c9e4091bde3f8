package engine

import (
	"maps"
	"net/url"
	"slices"
	"strings"

	"omphalos/app/store/documents"
	"omphalos/core/fact"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// A rehearsal is a walk through a draft of which nothing is kept: its place is in its token alone. The pages are those
// that respondents get; endings are shown, not followed.

// Draft is what a rehearsal walks.
type Draft struct {
	Quiz  *documents.Quiz // its document, at its revision
	Home  string          // address of the pages
	Shown bool            // to someone without an account: every page says that nothing is kept
}

// Rehearsal is someone's place in a draft.
type Rehearsal struct {
	s *session
}

// draft makes a draft ready, once for each revision. The error is quiz.Problems while it cannot be walked.
func (e *Engine) draft(d Draft) (*Source, error) {
	tables, err := e.store.Documents.TablesState(d.Quiz.ID)
	if err != nil {
		return nil, err
	}
	key := sourceKey{quiz: d.Quiz.ID, slug: d.Home, tables: tables, revision: d.Quiz.Revision}
	return e.sources.Get(key, func() (*Source, int, error) {
		doc, err := quiz.ReadStored(d.Quiz.Document)
		if err != nil {
			return nil, 0, err
		}
		tables, err := e.store.Documents.Tables(d.Quiz.ID)
		if err != nil {
			return nil, 0, err
		}
		s, err := newSource(d.Quiz.ID, d.Home, 0, doc, tables)
		if err != nil {
			return nil, 0, err
		}
		for _, one := range s.All() {
			one.Frames, one.Note = "'self'", d.Shown
		}
		return s, sourceWeight * len(d.Quiz.Document) * len(doc.Languages()), nil
	})
}

// Rehearse finds the place of a token in a draft as it is now; "" begins again. Answers that the draft no longer takes
// are left out. ErrLost for a token that cannot be read.
func (e *Engine) Rehearse(d Draft, token string) (*Rehearsal, error) {
	src, err := e.draft(d)
	if err != nil {
		return nil, err
	}
	p := &Place{ID: "example", Began: e.now().UnixMilli(), Answers: map[string]walk.Answer{}}
	if token != "" {
		if p, err = e.sealer.openRehearsal(d.Quiz.ID, token); err != nil {
			return nil, lost{src}
		}
	}
	r := &Rehearsal{&session{e: e, Source: src.inLanguage(p.Language), p: p, visit: &Visit{Quiet: true}}}
	r.fit()
	if token == "" && src.Doc.Intro == nil {
		p.At = r.s.next(p)
	}
	return r, nil
}

// fit drops answers that the draft no longer takes, and leaves a page that is no longer there.
func (r *Rehearsal) fit() {
	d, p := r.s.Doc, r.s.p
	for id, a := range p.Answers {
		i := d.Question(id)
		if i < 0 {
			delete(p.Answers, id)
			continue
		}
		fields := a.Fields(&d.Questions[i])
		again, err := r.s.read(&d.Questions[i], p, url.Values(fields))
		if err != nil || again.Blank() != a.Blank() {
			delete(p.Answers, id)
		} else {
			p.Answers[id] = again
		}
	}
	switch {
	case p.At == "" && d.Intro == nil, p.At == atEnd && r.s.walk.Advance(r.s.input(p)).Pending >= 0,
		p.At == atContact && (d.Contact == nil || d.Contact.Place != quiz.ContactBefore),
		p.At == atAfter && (d.Contact == nil || d.Contact.Place != quiz.ContactAfter),
		!strings.HasPrefix(p.At, ".") && p.At != "" && d.Question(p.At) < 0:
		p.At, p.Failed, p.Typed, p.Review = "", nil, nil, false
		p.At = r.s.next(p)
	}
}

// Page is the page that the rehearsal is on.
func (r *Rehearsal) Page(back bool) (*Reply, error) {
	if back {
		r.s.goBack()
	}
	return r.s.show()
}

// Post takes what a page was sent.
func (r *Rehearsal) Post(form url.Values) (*Reply, error) {
	s := r.s
	if s.p.setLanguage(s.Source, form.Get(langField)) {
		s.storeAnswers(form)
		return s.leadTo(*s.p)
	}
	return s.take(form)
}

// Token is that of the place.
func (r *Rehearsal) Token() (string, error) { return r.s.seal() }

// Doc is the document as it is walked: with the answers that come from tables, in the language of the pages.
func (r *Rehearsal) Doc() *quiz.Document { return r.s.Doc }

// Walk is the document made ready for walking.
func (r *Rehearsal) Walk() *walk.Compiled { return r.s.walk }

// Tables are those next to the quiz.
func (r *Rehearsal) Tables() fill.Tables { return r.s.beside }

// Style is the theme's own style sheet, and its stamp.
func (r *Rehearsal) Style() string { return r.s.Look.Style }

// Input is what has been answered so far, by whom it is pretended to be.
func (r *Rehearsal) Input() walk.Input { return r.s.input(r.s.p) }

// At is the question that the rehearsal is at; -1 on the opening page, at the contact step and at the end.
func (r *Rehearsal) At() int { return r.s.Doc.Question(r.s.p.At) }

// Ended reports whether the ending is shown.
func (r *Rehearsal) Ended() bool { return r.s.p.At == atEnd }

// Contact is what the contact step was given, by field.
func (r *Rehearsal) Contact() map[string]string { return r.s.p.contactRemembered() }

// Pretended is who is pretended to be there, and when; what is unknown is what it would be here and now. The language is
// that of the pages; rules see it too.
func (r *Rehearsal) Pretended() fact.Visit {
	p := r.s.p
	return fact.Visit{Visitor: p.Visitor, Today: p.Today, Time: p.Time, Params: p.Params}
}

// Pretend sets who is pretended to be there.
func (r *Rehearsal) Pretend(who fact.Visit) {
	p := r.s.p
	p.Visitor, p.Time = who.Visitor, who.Time
	p.Today, p.Params, r.s.token = who.Today, maps.Clone(who.Params), ""
	if p.Language = ""; who.Visitor.Language != "" {
		for _, l := range r.s.own.Languages {
			if primary, _, _ := strings.Cut(l.Code, "-"); strings.EqualFold(primary, who.Visitor.Language) {
				p.Language = l.Code
			}
		}
	}
}

// GoTo goes to a question by position, with these answers to those before it, or with -1 to the ending.
func (r *Rehearsal) GoTo(question int, answers map[string]walk.Answer) {
	p := r.s.p
	p.Answers, p.Failed, p.Typed, p.Review, r.s.token = maps.Clone(answers), nil, nil, false, ""
	if p.Answers == nil {
		p.Answers = map[string]walk.Answer{}
	}
	if p.At = atEnd; question >= 0 {
		p.At = r.s.Doc.Questions[question].ID
	}
}

// Answered lists the positions of the questions that were asked and answered so far.
func (r *Rehearsal) Answered() []int {
	var out []int
	for _, id := range r.s.walk.Advance(r.Input()).Path {
		if i := r.s.Doc.Question(id); i >= 0 && (r.At() < 0 || i < r.At() || r.has(id)) {
			out = append(out, i)
		}
	}
	return slices.Compact(out)
}

func (r *Rehearsal) has(id string) bool { _, given := r.s.p.Answers[id]; return given }

// rememberContact keeps what the contact step was given, where no response does.
func (p *Place) rememberContact(reply *contactReply) {
	if reply == nil {
		return
	}
	if p.Known == nil {
		p.Known = map[string]string{}
	}
	for id, value := range reply.Fields {
		p.Known[contactPrefix+id] = value
	}
	p.Known[consentField] = reply.Consent
}

func (p *Place) contactRemembered() map[string]string {
	out := map[string]string{}
	for name, value := range p.Known {
		if id, field := strings.CutPrefix(name, contactPrefix); field {
			out[id] = value
		}
	}
	return out
}
