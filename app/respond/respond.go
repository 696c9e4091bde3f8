// Package respond is what respondents get: the questions, the contact step, and the ending or the redirect. Every page is a
// plain form that works without scripts and within a frame on another site.
package respond

import (
	"errors"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Room answers /q/SLUG.
type Room struct {
	Store   *store.Store
	Locator *Locator
	guard   guard
	sealer  *sealer
	mu      sync.RWMutex
	live    map[string]*version // by slug
	known   map[versionKey]*version
}

type versionKey struct {
	quiz   string
	number int
}

// New makes the room; its key for sealing places is kept in the database.
func New(s *store.Store, l *Locator) (*Room, error) {
	key, err := s.Secret("places")
	if err != nil {
		return nil, err
	}
	seal, err := newSealer(key)
	return &Room{Store: s, Locator: l, sealer: seal, live: map[string]*version{}, known: map[versionKey]*version{}}, err
}

// Patient lets walks pass that are faster than people and many from one address: for tests under load.
func (r *Room) Patient() { r.guard.off = true }

// Forget drops what is remembered of which version runs and of its tables: call it after a launch, a deletion, a restoration or
// a change of a table.
func (r *Room) Forget() {
	r.mu.Lock()
	defer r.mu.Unlock()
	clear(r.live)
	clear(r.known)
}

// Routes adds the addresses of the room.
func (r *Room) Routes(g gin.IRouter) {
	g.GET("/q/:slug", r.get)
	g.POST("/q/:slug", r.post)
	g.GET("/q/:slug/end/:place", r.end)
	g.GET("/q/:slug/result/:place", r.result)
	g.GET("/q/:slug/look/:stamp", r.style)
	g.GET("/q/:slug/tag/:place", r.tag)
}

// current returns the version that runs at the slug.
func (r *Room) current(slug string) (*version, error) {
	r.mu.RLock()
	v := r.live[slug]
	r.mu.RUnlock()
	if v != nil {
		return v, nil
	}
	q, err := r.Store.QuizBySlug(slug)
	if err != nil {
		return nil, err
	}
	if v, err = r.version(q, q.LiveVersion); err != nil {
		return nil, err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.live[slug] = v
	return v, nil
}

// version returns any launched version, prepared once.
func (r *Room) version(q *store.Quiz, number int) (*version, error) {
	key := versionKey{q.ID, number}
	r.mu.RLock()
	v := r.known[key]
	r.mu.RUnlock()
	if v != nil && v.Slug == *q.Slug {
		return v, nil
	}
	stored, err := r.Store.Version(q.ID, number)
	if err != nil {
		return nil, err
	}
	tables, err := r.Store.Tables(q.ID)
	if err != nil {
		return nil, err
	}
	if v, err = newVersion(q, stored, tables); err != nil {
		return nil, err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.known[key] = v
	return v, nil
}

// A form that could not be taken is answered like one that was, by a redirect to its page, so that Back and reload never
// ask to send it again.

// find returns the version and the place that a request is about. Without a place it is a new respondent's. When there
// is nothing to find it answers and returns nil.
func (r *Room) find(c *gin.Context, token string) (*version, *place) {
	v, err := r.current(c.Param("slug"))
	if err != nil {
		if !errors.Is(err, store.ErrNotFound) {
			page.Fail(c, http.StatusInternalServerError, "This quiz cannot be shown", "Please try again in a moment.")
			return nil, nil
		}
		page.Fail(c, http.StatusNotFound, "There is no quiz here", "The link may have a slip in it, or the quiz has ended.")
		return nil, nil
	}
	if token == "" {
		p := r.begin(c, v)
		return v.in(p.Language), p
	}
	p, err := r.sealer.open(v.QuizID, token)
	if err == nil && p.Version != v.Number {
		var q *store.Quiz
		if q, err = r.Store.QuizBySlug(v.Slug); err == nil {
			v, err = r.version(q, p.Version)
		}
	}
	if err != nil {
		r.lost(c, v.in(v.prefers(c.GetHeader("Accept-Language"))))
		return nil, nil
	}
	p.speak(v, c.Query("lang"))
	return v.in(p.Language), p
}

func (r *Room) lost(c *gin.Context, v *version) {
	s := v.screen("", "")
	s.Title = v.Look.say("lost")
	r.write(c, http.StatusBadRequest, v.draw("lost", s))
}

func (r *Room) begin(c *gin.Context, v *version) *place {
	p := &place{ID: store.NewID() + store.NewID(), Version: v.Number, Began: time.Now().Unix(), Answers: map[string]walk.Answer{},
		Visitor: walk.Visitor{Country: r.Locator.Country(c.Request), Language: firstLanguage(c.GetHeader("Accept-Language")), Device: device(c.GetHeader("User-Agent"))}}
	p.Language = v.prefers(c.GetHeader("Accept-Language"))
	query := c.Request.URL.Query()
	for _, name := range v.Doc.Params {
		if value := query.Get(name); value != "" {
			if p.Params == nil {
				p.Params = map[string]string{}
			}
			p.Params[name] = clip(value)
		}
	}
	if len(query) > 0 {
		v.prefill(p, query)
	}
	if p.Source = clip(query.Get("utm_source")); p.Source == "" {
		if u, err := url.Parse(c.GetHeader("Referer")); err == nil && u.Host != c.Request.Host {
			p.Source = clip(u.Hostname())
		}
	}
	if again, err := r.sealer.open(v.QuizID, query.Get("again")); err == nil {
		p.Takes = again.Takes + 1
		p.speak(v, again.Language)
	}
	p.speak(v, query.Get("lang"))
	if v.Doc.Intro == nil {
		p.At = v.next(p)
	}
	return p
}

// prefill takes answers and contact fields from the link's parameters of the same name; what cannot be an answer is left out.
// They are shown filled in, and still asked.
func (v *version) prefill(p *place, query url.Values) {
	for i := range v.Doc.Questions {
		q := &v.Doc.Questions[i]
		given := false
		a, err := walk.Parse(q, func(field string) []string {
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
	if v.Doc.Contact == nil {
		return
	}
	for _, f := range v.Doc.Contact.Fields {
		if value := query.Get(f.ID); value != "" && v.Doc.Question(f.ID) < 0 {
			if p.Known == nil {
				p.Known = map[string]string{}
			}
			p.Known[contactPrefix+f.ID] = clip(value)
		}
	}
}

func clip(s string) string {
	if len(s) > 200 {
		return strings.ToValidUTF8(s[:200], "")
	}
	return s
}

func (r *Room) get(c *gin.Context) {
	v, p := r.find(c, c.Query("w"))
	if v == nil {
		return
	}
	token := c.Query("w")
	if c.Query("lang") != "" { // the place has another language now
		token = ""
	}
	r.show(c, v, p, token)
}

// show writes the page that p is on; token is p sealed, "" where it has not been sealed yet.
func (r *Room) show(c *gin.Context, v *version, p *place, token string) {
	var err error
	if token == "" {
		if token, err = r.sealer.seal(v.QuizID, *p); err != nil {
			page.Fail(c, http.StatusInternalServerError, "This quiz cannot be shown", "Please try again in a moment.")
			return
		}
	}
	if p.At == "" && v.intro != nil {
		r.writeReady(c, v.intro, token, "", 0)
		return
	}
	if p.At == "" && v.Doc.Intro != nil {
		r.write(c, http.StatusOK, v.draw("intro", v.opening(v.screen(token, "0"), p)))
		return
	}
	back := ""
	res := v.walk.Advance(p.input())
	if step, ok := v.back(p, res); ok && p.At != atAfter {
		back, err = r.sealer.seal(v.QuizID, p.at(step))
		if err != nil {
			page.Fail(c, http.StatusInternalServerError, "This quiz cannot be shown", "Please try again in a moment.")
			return
		}
	}
	s := v.screen(token, "1000")
	if back != "" {
		s.Back = "?w=" + back
	}
	i := v.Doc.Question(p.At)
	if i < 0 {
		r.write(c, http.StatusOK, v.draw("contact", v.contact(s, p)))
		return
	}
	g := v.groupOf(i)
	done := v.done(res, g.from)
	s.Done = itoa(done)
	if p.Review {
		s.Review = v.review(p, g)
		s.Title = v.Look.say("review")
		r.write(c, http.StatusOK, v.draw("reviewed", s))
		return
	}
	_, answered := p.Answers[p.At]
	_, before := p.Before[p.At]
	if p.Failed == nil && !answered && !before && back != "" && v.asks[i] != nil {
		r.writeReady(c, v.asks[i], token, back, done)
		return
	}
	list := v.asked(p, g)
	if len(list) == 0 {
		list = []int{i}
	}
	r.write(c, http.StatusOK, v.draw("ask", v.ask(s, p, list)))
}

// pageHeaders are those of a respondent's page: it may be framed by any site and may post a form that leads to any site.
func pageHeaders(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", "default-src 'none'; style-src 'self'; img-src 'self'; font-src 'self'; script-src 'self'; connect-src 'self'; frame-src 'self'; base-uri 'none'; form-action 'self' http: https:; frame-ancestors *")
	h.Del("X-Frame-Options")
	h.Set("Referrer-Policy", "same-origin") // the place in the address is nobody else's business
	h.Set("Cache-Control", "no-store")
}

func (r *Room) write(c *gin.Context, status int, body []byte) {
	pageHeaders(c)
	c.Data(status, "text/html; charset=utf-8", body)
}

// writeReady sends a page written ahead, compressed ahead where the browser takes that.
func (r *Room) writeReady(c *gin.Context, page ready, token, back string, done int) {
	pageHeaders(c)
	h := c.Writer.Header()
	h.Set("Vary", "Accept-Encoding")
	if strings.Contains(c.GetHeader("Accept-Encoding"), "gzip") {
		h.Set("Content-Encoding", "gzip")
		c.Data(http.StatusOK, "text/html; charset=utf-8", page.gzip(token, back, done))
		return
	}
	c.Data(http.StatusOK, "text/html; charset=utf-8", page.fill(token, back, done))
}

// style sends the theme's own style sheet. Its address changes when it does.
func (r *Room) style(c *gin.Context) {
	v, err := r.current(c.Param("slug"))
	if err != nil || v.Look.Style == "" {
		c.Status(http.StatusNotFound)
		return
	}
	c.Header("Cache-Control", "public, max-age=86400")
	c.Data(http.StatusOK, "text/css; charset=utf-8", []byte(v.Look.Style))
}

func (r *Room) goTo(c *gin.Context, v *version, p place) {
	token, err := r.sealer.seal(v.QuizID, p)
	if err != nil {
		page.Fail(c, http.StatusInternalServerError, "This quiz cannot be shown", "Please try again in a moment.")
		return
	}
	c.Redirect(http.StatusSeeOther, "/q/"+v.Slug+"?w="+token)
}

// retakes is how often a quiz may be taken again: -1 always.
func retakes(d *quiz.Document) int {
	if d.Settings.Retakes == nil {
		return -1
	}
	return *d.Settings.Retakes
}
