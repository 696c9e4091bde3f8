package engine

import (
	"crypto/sha256"
	"encoding/base32"
	"errors"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"omphalos/app/store/tallies"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Reply is what a respondent gets: a page, or an address to go to.
type Reply struct {
	To       string // an address: on this site, or of a redirect
	Away     bool   // To is another site's: it need not know where they come from
	Page     string // name of the page
	Screen   Screen
	Source   *Source
	Prepared int    // question of a page of Source that was made ahead, Intro for the opening page, or NotPrepared
	Token    string // for a page that was made ahead
	Done     int    // of a thousand
	Lost     bool   // the token could not be read
}

// Intro stands for the opening page where a question's position stands for its page.
const Intro = -2

// NotPrepared says that a page is drawn now.
const NotPrepared = -1

func pageReply(name string, s Screen) *Reply {
	return &Reply{Page: name, Screen: s, Prepared: NotPrepared}
}

func redirectReply(address string) *Reply { return &Reply{To: address, Prepared: NotPrepared} }

// Fields that a page's form has next to its questions; ids of questions never begin with ".".
const (
	shownField = ".shown" // ids of the questions that the page showed
	lookField  = ".look"  // a script asks what the page would be with these answers
	skipField  = ".skip"
	langField  = ".lang" // a button that chooses a language
)

// asLost answers a token that could not be read with a page that says so.
func asLost(r *Reply, err error) (*Reply, error) {
	var l lost
	if !errors.As(err, &l) {
		return r, err
	}
	s := Screen{S: l.s}
	s.Title = l.s.Look.say("lost")
	out := pageReply("lost", s)
	out.Lost = true
	return out, nil
}

// Get shows the page that a visit is on.
func (e *Engine) Get(v *Visit) (*Reply, error) {
	s, err := e.enter(v)
	if err != nil {
		return asShut(nil, err)
	}
	if v.Back {
		s.goBack()
	}
	return s.show()
}

// unlock lets someone begin who typed the passphrase.
func (e *Engine) unlock(v *Visit, passphrase string) (*Reply, error) {
	h, err := e.head(v.Slug)
	if err != nil {
		return nil, err
	}
	s, err := e.admit(h, v, nil, passphrase)
	if err != nil {
		return asShut(nil, err)
	}
	return s.leadTo(*s.p)
}

// goBack goes to the page before.
func (s *session) goBack() {
	if step, ok := s.back(s.p, s.walk.Advance(s.input(s.p))); ok {
		*s.p, s.token = s.p.withStep(step), ""
	}
}

// Post takes what a page was sent and leads on. A form that can't be accepted is answered like one that was, by an
// address, so that Back and reload never ask to send it again.
func (e *Engine) Post(v *Visit, form url.Values) (*Reply, error) {
	if v.Token == "" && form.Has(passField) {
		return e.unlock(v, form.Get(passField))
	}
	s, err := e.enter(v)
	if err != nil {
		return asShut(nil, err)
	}
	if v.Token == "" { // a form without a place: a page from another site, or one cut short
		return asLost(nil, lost{s.Source})
	}
	if s.copied {
		return s.leadTo(*s.p) // what was sent is not theirs
	}
	s.token = ""
	s.p.Trapped = s.p.Trapped || form.Get(Trap) != ""
	if s.p.setLanguage(s.Source, form.Get(langField)) { // the same page again, with what was answered on it
		s.storeAnswers(form)
		return s.leadTo(*s.p)
	}
	return s.take(form)
}

// take takes the answers of a page and continues from it.
func (s *session) take(form url.Values) (*Reply, error) {
	first := len(s.p.Answers) == 0
	if first {
		s.bind()
	}
	switch i := s.Doc.Question(s.p.At); {
	case i >= 0 && s.p.Review: // right and wrong was shown; it continues
	case i >= 0:
		reply, err := s.answers(s.groupOf(i), form)
		if first && len(s.p.Answers) > 0 {
			s.tally(tallies.StageStart, "")
			if err := s.useInvitation(); err != nil {
				return nil, err
			}
		}
		if reply != nil || err != nil {
			return reply, err
		}
		if s.Doc.Settings.Review == "each_page" && len(s.review(s.p, s.groupOf(i))) > 0 {
			next := *s.p
			next.Failed, next.Typed, next.Review = nil, nil, true
			return s.leadTo(next)
		}
	case s.p.At == atContact || s.p.At == atAfter:
		return s.takeContact(form)
	}
	s.p.Failed, s.p.Typed = nil, nil
	if step := s.next(s.p); step != atEnd {
		*s.p = s.p.withStep(step)
		s.reach()
		return s.leadTo(*s.p)
	}
	return s.finish(nil)
}

// bind makes a walk, from its first answer on, the one of the browser that gave it. Two browsers that begin at one
// copied address are two walks; a form that one of them sends twice is one.
func (s *session) bind() {
	if s.visit.Browser == "" || s.p.Browser != "" {
		return
	}
	sum := sha256.Sum256([]byte(s.p.ID + "\x00" + s.visit.Browser))
	s.p.ID, s.p.Browser = strings.ToLower(base32.StdEncoding.EncodeToString(sum[:15])), s.visit.Browser
}

func (s *session) takeContact(form url.Values) (*Reply, error) {
	reply, failed := s.readContact(form, s.p)
	if failed != nil {
		s.p.Failed, s.p.Typed = failed, typedContact(form)
		return s.leadTo(*s.p)
	}
	if s.p.At == atAfter {
		return s.after(reply)
	}
	return s.finish(reply)
}

// leadTo sends the browser to a place.
func (s *session) leadTo(p Place) (*Reply, error) {
	token, err := s.sealed(&p)
	if err == nil && s.long(token) {
		s.p, s.token = &p, token
		return s.show()
	}
	return redirectReply(s.Home + "?w=" + token), err
}

// seal returns the token of the place.
func (s *session) seal() (string, error) {
	if s.token != "" {
		return s.token, nil
	}
	var err error
	s.token, err = s.sealed(s.p)
	return s.token, err
}

// show is the page that the place is on.
func (s *session) show() (*Reply, error) {
	token, err := s.seal()
	if err != nil {
		return nil, err
	}
	if s.p.At == atEnd {
		return s.end()
	}
	if s.p.At == "" && s.Doc.Intro != nil {
		if s.SameIntro() && s.stores {
			return &Reply{Source: s.Source, Prepared: Intro, Token: token}, nil
		}
		return pageReply("intro", s.Opening(token, s.p)), nil
	}
	res := s.walk.Advance(s.input(s.p))
	_, hasBack := s.back(s.p, res)
	hasBack = hasBack && !s.long(token) // the browser's own way back is left
	screen := Screen{S: s.Source, Token: token, Done: "1000"}
	if hasBack {
		screen.Back = "?w=" + token + "&back=1"
	}
	i := s.Doc.Question(s.p.At)
	if i < 0 {
		return pageReply("contact", s.contact(screen, s.p)), nil
	}
	g := s.groupOf(i)
	done := s.progressPermille(res, g.from)
	screen.Done = strconv.Itoa(done)
	if s.p.Review {
		screen.Review = s.review(s.p, g)
		screen.Title = s.Look.say("review")
		return pageReply("reviewed", screen), nil
	}
	_, answered := s.p.Answers[s.p.At]
	_, before := s.p.Before[s.p.At]
	if s.p.Failed == nil && !answered && !before && hasBack && s.stores && s.SameForAll(i) {
		return &Reply{Source: s.Source, Prepared: i, Token: token, Done: done}, nil
	}
	list := s.askedQuestions(s.p, g)
	if len(list) == 0 {
		list = []int{i}
	}
	return pageReply("ask", s.Ask(screen, s.p, list)), nil
}

// answers reads what a page sent. It replies itself where the page is not done: with what is wrong, or with the
// questions that the answers bring up on the same page.
func (s *session) answers(g group, form url.Values) (*Reply, error) {
	p := s.p
	shown := s.shownOn(g, form)
	failed := s.readAll(g, shown, form)
	// What is wrong with a question that is asked no more does not matter.
	list := s.askedQuestions(p, g)
	for _, f := range failed {
		id, _, _ := strings.Cut(f.Field, ".")
		if slices.Contains(list, s.Doc.Question(id)) && p.Failed == nil {
			p.Failed = f
		}
	}
	fresh := slices.ContainsFunc(list, func(i int) bool { return !slices.Contains(shown, s.Doc.Questions[i].ID) })
	if form.Get(lookField) != "" {
		p.Failed = nil
		return s.show()
	}
	if p.Failed != nil || fresh && g.to-g.from > 1 {
		return s.leadTo(*p)
	}
	return nil, nil
}

// shownOn lists the ids of the questions that a page showed. A form that does not say is taken to have shown what the
// page asks, and what the form answers.
func (s *session) shownOn(g group, form url.Values) []string {
	shown := strings.Fields(form.Get(shownField))
	if len(shown) > 0 {
		return shown
	}
	for _, i := range s.askedQuestions(s.p, g) {
		shown = append(shown, s.Doc.Questions[i].ID)
	}
	for name := range form {
		if id, _, _ := strings.Cut(name, "."); id != "" && !slices.Contains(shown, id) && s.Doc.Question(id) >= 0 {
			shown = append(shown, id)
		}
	}
	return shown
}

// readAll reads the answers to the questions that a page showed into the place, and returns what is wrong.
func (s *session) readAll(g group, shown []string, form url.Values) []*walk.FieldError {
	p := s.p
	p.Failed, p.Typed = nil, map[string]string{}
	var failed []*walk.FieldError
	for i := g.from; i < g.to; i++ {
		q := &s.Doc.Questions[i]
		if !slices.Contains(shown, q.ID) {
			continue
		}
		a, err := s.read(q, p, form)
		if err == nil {
			err = kind.Check(q, a)
		}
		if err != nil {
			p.keepTyped(q, form)
			failed = append(failed, fieldErrorOf(q, err))
			continue
		}
		p.Answers[q.ID] = a
	}
	return failed
}

// storeAnswers keeps what a page was sent without asking whether it is complete.
func (s *session) storeAnswers(form url.Values) {
	p := s.p
	p.Failed, p.Typed = nil, map[string]string{}
	i := s.Doc.Question(p.At)
	if i < 0 {
		p.Typed = typedContact(form)
		return
	}
	if p.Review {
		return
	}
	shown := strings.Fields(form.Get(shownField))
	g := s.groupOf(i)
	for i := g.from; i < g.to; i++ {
		q := &s.Doc.Questions[i]
		if !slices.Contains(shown, q.ID) {
			continue
		}
		if a, err := s.read(q, p, form); err == nil && kind.Check(q, a) == nil && !a.Blank() {
			p.Answers[q.ID] = a
		} else {
			p.keepTyped(q, form)
		}
	}
}

// read reads the answer to one question; a telephone number is written as E.164 has it.
func (s *Source) read(q *quiz.Question, p *Place, form url.Values) (walk.Answer, error) {
	listed := *q
	listed.ChoicesFrom = nil // the table's lines are its choices here
	a, err := kind.Read(&listed, func(field string) []string { return form[field] })
	if err == nil && kind.Of(q).About().Phone && a.Text != "" {
		number, bad := E164(a.Text, p.Visitor.Country)
		if bad != nil {
			return a, &walk.FieldError{Field: q.ID, Code: "phone"}
		}
		a.Text = number
	}
	return a, err
}

// keepTyped keeps an answer that could not be taken, so that it can be fixed and is not lost.
func (p *Place) keepTyped(q *quiz.Question, form url.Values) {
	var a walk.Answer
	for _, v := range form[q.ID] {
		if q.Choice(v) >= 0 {
			a.Picks = append(a.Picks, v)
		}
	}
	for _, r := range q.Rows {
		if v := form.Get(q.ID + "." + r.ID); q.Choice(v) >= 0 {
			if a.Rows == nil {
				a.Rows = map[string]string{}
			}
			a.Rows[r.ID] = v
		}
	}
	delete(p.Answers, q.ID)
	if !a.Blank() {
		if p.Before == nil {
			p.Before = map[string]walk.Answer{}
		}
		p.Before[q.ID] = a
	} else if len(q.Choices) == 0 {
		p.Typed[q.ID] = atMost(form.Get(q.ID), maxTyped)
	}
	if other := form.Get(q.ID + ".other"); other != "" {
		p.Typed[q.ID+".other"] = atMost(other, maxTyped)
	}
}

// maxTyped is how many characters come back of what could not be taken, to be fixed where it was typed: twice what
// any field takes.
const maxTyped = 20_000

// atMost keeps the first n characters of a text.
func atMost(text string, n int) string {
	runes := []rune(text)
	return string(runes[:min(n, len(runes))])
}

func fieldErrorOf(q *quiz.Question, err error) *walk.FieldError {
	var field *walk.FieldError
	if errors.As(err, &field) {
		return field
	}
	return &walk.FieldError{Field: q.ID, Code: "type"}
}
