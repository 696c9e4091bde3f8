// Package engine takes one respondent from a link to a response. Each step takes a source and a token, and returns a
// page to show or a response to store. It doesn’t depend on HTTP. Previews use the same engine with sources that store
// nothing.
package engine

import (
	"errors"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"time"

	"omphalos/app/cache"
	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Options of an engine.
type Options struct {
	Now     func() time.Time                      // the clock; nil is the machine's
	Prepare func(s *Source) (pages any, size int) // makes pages ahead, once for each source; size in bytes
	Patient bool                                  // no one is too fast: for tests under load
	Origin  string                                // of the server, as others reach it, such as https://quiz.larkmoor.example; "" is not known
}

// Engine leads respondents.
type Engine struct {
	store   *store.Store
	now     func() time.Time
	prepare func(s *Source) (any, int)
	sealer  *sealer
	guard   *guard
	origin  string
	heads   *cache.Cache[headKey, *head]
	sources *cache.Cache[sourceKey, *Source]
}

// New makes an engine; its key for sealing tokens is kept in the database.
func New(s *store.Store, o Options) (*Engine, error) {
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.Prepare == nil {
		o.Prepare = func(*Source) (any, int) { return nil, 0 }
	}
	key, err := s.Secret("places")
	if err != nil {
		return nil, err
	}
	seal, err := newSealer(key)
	e := &Engine{
		store:   s,
		now:     o.Now,
		prepare: o.Prepare,
		sealer:  seal,
		guard:   &guard{take: s.Attempts.Take},
		origin:  strings.TrimSuffix(o.Origin, "/"),
		heads:   cache.New[headKey, *head](headMemory),
		sources: cache.New[sourceKey, *Source](sourceMemory),
	}
	e.guard.off = o.Patient
	return e, err
}

// Memory that sources take at most, in bytes.
const (
	headMemory   = 4 << 20
	sourceMemory = 128 << 20
	headSize     = 512
	sourceWeight = 16 // bytes of memory that a byte of a document's text takes once it is compiled, about
)

// headKey is what the running version of a link depends on: the link, and the state of the store. A request that
// reads an old state keeps it under the old key only.
type headKey struct {
	slug  string
	state database.State
}

// head is what runs at a link.
type head struct {
	quizID  string
	slug    string // that the quiz has now
	version int
	tables  string // their state
	access  responses.Access
	stated  string // the access as text
}

// framesOf are the sites that may frame a quiz, as frame-ancestors names them (Content Security Policy 3, 6.4.2.1).
func framesOf(a responses.Access) string {
	if len(a.Frames) == 0 {
		return "*"
	}
	return "'self' " + strings.Join(a.Frames, " ")
}

// sourceKey is all that a source depends on: nothing has to be forgotten when one of them changes.
type sourceKey struct {
	quiz    string
	slug    string
	version int
	tables  string
	access  string

	revision int // of a draft that is rehearsed
}

// head finds what runs at a link. Errors: store.ErrNotFound.
func (e *Engine) head(slug string) (*head, error) {
	return e.heads.Get(headKey{slug, e.store.State()}, func() (*head, int, error) {
		q, err := e.store.Documents.QuizBySlug(slug)
		if err == nil && q.LiveVersion == 0 {
			err = database.ErrNotFound
		}
		if err != nil {
			return nil, 0, err
		}
		tables, err := e.store.Documents.TablesState(q.ID)
		if err != nil {
			return nil, 0, err
		}
		access, err := responses.AccessOf(q)
		h := &head{
			quizID:  q.ID,
			slug:    *q.Slug,
			version: q.LiveVersion,
			tables:  tables,
			access:  access,
			stated:  string(q.Access),
		}
		return h, headSize + len(q.Access), err
	})
}

// source prepares a launched version, once for all who ask.
func (e *Engine) source(h *head, version int) (*Source, error) {
	return e.sources.Get(
		sourceKey{quiz: h.quizID, slug: h.slug, version: version, tables: h.tables, access: h.stated},
		func() (*Source, int, error) {
			v, err := e.store.Documents.Version(h.quizID, version)
			if err != nil {
				return nil, 0, err
			}
			tables, err := e.store.Documents.Tables(h.quizID)
			if err != nil {
				return nil, 0, err
			}
			d, err := quiz.Read(v.Document)
			if err != nil {
				return nil, 0, err
			}
			s, err := newSource(h.quizID, "/q/"+h.slug, version, d, tables)
			if err != nil {
				return nil, 0, err
			}
			s.own.stores = true
			size := sourceWeight * len(v.Document) * len(d.Languages())
			for _, t := range tables {
				size += t.Size()
			}
			for _, one := range s.All() {
				one.stores, one.Frames = true, framesOf(h.access)
				one.Shared, one.Origin = h.access.Shared, e.origin
				var prepared int
				one.Prepared, prepared = e.prepare(one)
				size += prepared
			}
			return s, size, nil
		},
	)
}

// Visit is one request of a respondent, as far as the engine needs to know it.
type Visit struct {
	Slug     string
	Token    string // "" for who comes again
	Query    url.Values
	Accept   string // Accept-Language
	Visitor  walk.Visitor
	Referrer string // host of the page that led here, "" for none or this one
	Browser  string // id of its session cookie, "" where there is none
	Fresh    string // the id that it is given now, "" where it has one
	Address  netip.Addr
	Quiet    bool // no one looks at the answer: nothing is counted
	Back     bool // to the page before
}

// ErrLost is returned for a token that cannot be read.
var ErrLost = errors.New("the place in the quiz is lost")

// session is a respondent's place in a source.
type session struct {
	e *Engine
	*Source
	p      *Place
	visit  *Visit
	token  string            // that p was read from, "" where p has changed since
	given  map[string]string // what the contact step was given, by field
	copied bool              // the token was another browser's: p has begun again
}

// home finds the source that runs at the link of a visit.
func (e *Engine) home(slug string) (*head, *Source, error) {
	h, err := e.head(slug)
	if err != nil {
		return nil, nil, err
	}
	s, err := e.source(h, h.version)
	return h, s, err
}

// enter finds the place of a visit; without a token, or with one of another browser, it is a new one.
func (e *Engine) enter(v *Visit) (*session, error) {
	h, err := e.head(v.Slug)
	if err != nil {
		return nil, err
	}
	if v.Token == "" {
		return e.enterAnew(h, v, nil)
	}
	s, err := e.source(h, h.version)
	if err != nil {
		return nil, err
	}
	token, err := e.held(h.quizID, v.Token)
	if err != nil && !errors.Is(err, errToken) {
		return nil, err
	}
	p, err := e.sealer.openPlace(h.quizID, token)
	if err != nil {
		return nil, lost{s.inLanguage(s.prefers(v.Accept))}
	}
	if p.isOf(v.Browser) {
		return e.resume(h, s, v, p, v.Token)
	}
	out, err := e.enterAnew(h, v, p) // a copied address: it begins again, with its source kept
	if err == nil {
		out.copied = true
	}
	return out, err
}

// isOf reports whether a walk belongs to a browser, by the id of its session cookie. Where cookies are blocked the
// address alone decides.
func (p *Place) isOf(browser string) bool {
	return p.Browser == browser || p.Browser == "" && len(p.Answers) == 0
}

// resume continues at a place, in the version that it began.
func (e *Engine) resume(h *head, s *Source, v *Visit, p *Place, token string) (*session, error) {
	if p.Version != s.Number {
		var err error
		if s, err = e.source(h, p.Version); err != nil {
			return nil, err
		}
	}
	if p.setLanguage(s, v.Query.Get("lang")) {
		token = ""
	}
	return &session{e: e, Source: s.inLanguage(p.Language), p: p, visit: v, token: token}, nil
}

// lost is ErrLost with the source whose pages say so.
type lost struct{ s *Source }

func (l lost) Error() string        { return ErrLost.Error() }
func (l lost) Is(target error) bool { return target == ErrLost }

// startPlace makes a new place; copied is one of another browser, of which the source is kept.
func (e *Engine) startPlace(s *Source, v *Visit, copied *Place) (*session, error) {
	p := &Place{
		ID:       database.NewID() + database.NewID(),
		Version:  s.Number,
		Began:    e.now().UnixMilli(),
		Answers:  map[string]walk.Answer{},
		Visitor:  v.Visitor,
		Language: s.prefers(v.Accept),
		Source:   clip(v.Query.Get("utm_source")),
		Kit:      v.Query.Has("kit"),
		Way:      wayOf(v.Query),
	}
	for _, name := range s.Doc.Params {
		if value := v.Query.Get(name); value != "" {
			p.keepParam(name, clip(value))
		}
	}
	if len(v.Query) > 0 {
		s.prefill(p, v.Query)
	}
	if p.Source == "" {
		p.Source = clip(v.Referrer)
	}
	if copied != nil {
		p.Source, p.Params = copied.Source, copied.Params
		p.setLanguage(s, copied.Language)
	}
	var again retakeToken
	if text := v.Query.Get("again"); text != "" && e.sealer.open(s.QuizID, text, &again) == nil {
		p.Takes = again.Takes + 1
		p.Source, p.Way, p.Kit = again.Source, again.Way, p.Kit || again.Kit
		for name, value := range again.Params {
			if p.Params[name] == "" && slices.Contains(s.Doc.Params, name) {
				p.keepParam(name, value)
			}
		}
		p.setLanguage(s, again.Language)
	}
	p.setLanguage(s, v.Query.Get("lang"))
	if s.Doc.Intro == nil {
		p.At = s.next(p)
	}
	out := &session{e: e, Source: s.inLanguage(p.Language), p: p, visit: v}
	out.tally(tallies.StageView, "")
	out.reach()
	return out, nil
}

// wayOf is how a link says that it is reached; an earlier kit did not say, and most were within the page.
func wayOf(query url.Values) string {
	way := query.Get("kit")
	switch {
	case way == tallies.WayOver || way == tallies.WayEdge:
		return way
	case query.Has("kit"):
		return tallies.WayPage
	case query.Has("qr"):
		return tallies.WayQR
	}
	return ""
}

// way is how the respondent has reached the quiz.
func (p *Place) way() string {
	switch {
	case p.Invite != "":
		return tallies.WayInvite
	case p.Way != "":
		return p.Way
	}
	return tallies.WayLink
}

func (p *Place) keepParam(name, value string) {
	if p.Params == nil {
		p.Params = map[string]string{}
	}
	p.Params[name] = value
}

// tally counts a step of the way.
func (s *session) tally(stage, at string) {
	if s.visit.Quiet || !s.stores {
		return
	}
	e := tallies.Event{
		QuizID:   s.QuizID,
		Version:  s.Number,
		Day:      s.today(),
		Source:   s.p.Source,
		Device:   s.p.Visitor.Device,
		Country:  s.p.Visitor.Country,
		Language: s.p.Visitor.Language,
		Way:      s.p.way(),
		Stage:    stage,
		Place:    at,
	}
	if stage == tallies.StageStep {
		e.After = tallies.Lasting(s.e.now().Sub(s.p.began()))
	}
	s.e.store.Responses.Tally(e)
	if stage == tallies.StageStart && s.beforeSplit() {
		s.e.store.Responses.Tally(tallies.Event{
			QuizID: e.QuizID, Version: e.Version, Day: e.Day, Stage: tallies.StageStartBefore, Bare: true,
		})
	}
}

// beforeSplit reports whether the first page was opened before the split test began that runs now.
func (s *session) beforeSplit() bool {
	h, err := s.e.head(s.visit.Slug)
	return err == nil && h.access.Split != nil && s.p.began().Before(h.access.Split.Since.Truncate(time.Millisecond))
}

// reach counts the question that the place stands at, the first time that it does.
func (s *session) reach() {
	i := s.Doc.Question(s.p.At)
	if i < s.p.Reached {
		return
	}
	s.p.Reached = i + 1
	s.tally(tallies.StageStep, s.p.At)
}

// today is the calendar day in the quiz's time zone.
func (s *session) today() string { return s.e.now().In(s.zone).Format(time.DateOnly) }

// prefill takes answers and contact fields from the link's parameters of the same name; what cannot be an answer is
// left out. They are shown filled in, and still asked.
func (s *Source) prefill(p *Place, query url.Values) {
	for i := range s.Doc.Questions {
		q := &s.Doc.Questions[i]
		given := false
		a, err := kind.Read(q, func(field string) []string {
			given = given || query.Has(field)
			return query[field]
		})
		if given && err == nil && !a.Blank() {
			if p.Before == nil {
				p.Before = map[string]walk.Answer{}
			}
			p.Before[q.ID] = a
		}
	}
	if s.Doc.Contact == nil {
		return
	}
	for _, f := range s.Doc.Contact.Fields {
		if value := query.Get(f.ID); value != "" && s.Doc.Question(f.ID) < 0 {
			if p.Known == nil {
				p.Known = map[string]string{}
			}
			p.Known[contactPrefix+f.ID] = clip(value)
		}
	}
}

// maxClip is how many characters are kept of what a link or a field says next to the answers.
const maxClip = 200

// clip keeps the beginning of a text, by characters.
func clip(s string) string {
	n := 0
	for i := range s {
		if n == maxClip {
			return s[:i]
		}
		n++
	}
	return s
}
