// Package respond is what respondents get: one question a page, the contact step, and the ending or the redirect. Every
// page is a plain form that works without scripts and within a frame on another site.
package respond

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Room answers /q/SLUG.
type Room struct {
	Store  *store.Store
	sealer *sealer
	mu     sync.RWMutex
	live   map[string]*version // by slug
	known  map[versionKey]*version
}

type versionKey struct {
	quiz   string
	number int
}

// New makes the room; its key for sealing places is kept in the database.
func New(s *store.Store) (*Room, error) {
	key, err := s.Secret("places")
	if err != nil {
		return nil, err
	}
	seal, err := newSealer(key)
	return &Room{Store: s, sealer: seal, live: map[string]*version{}, known: map[versionKey]*version{}}, err
}

// Forget drops what is remembered of which version runs: call it after a launch, a deletion or a restoration.
func (r *Room) Forget() {
	r.mu.Lock()
	defer r.mu.Unlock()
	clear(r.live)
}

// Routes adds the addresses of the room.
func (r *Room) Routes(g gin.IRouter) {
	g.GET("/q/:slug", r.get)
	g.POST("/q/:slug", r.post)
	g.GET("/q/:slug/end/:place", r.end)
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
	if v, err = newVersion(q, stored); err != nil {
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
		return v, r.begin(c, v)
	}
	p, err := r.sealer.open(v.QuizID, token)
	if err == nil && p.Version != v.Number {
		var q *store.Quiz
		if q, err = r.Store.QuizBySlug(v.Slug); err == nil {
			v, err = r.version(q, p.Version)
		}
	}
	if err != nil {
		r.write(c, http.StatusBadRequest, v.draw("lost", screen{V: v, Title: "Your place was lost"}))
		return nil, nil
	}
	return v, p
}

func (r *Room) begin(c *gin.Context, v *version) *place {
	p := &place{ID: store.NewID() + store.NewID(), Version: v.Number, Began: time.Now().Unix(), Answers: map[string]walk.Answer{},
		Visitor: walk.Visitor{Language: language(c.GetHeader("Accept-Language")), Device: device(c.GetHeader("User-Agent"))}}
	query := c.Request.URL.Query()
	for _, name := range v.Doc.Params {
		if value := query.Get(name); value != "" {
			if p.Params == nil {
				p.Params = map[string]string{}
			}
			p.Params[name] = clip(value)
		}
	}
	if p.Source = clip(query.Get("utm_source")); p.Source == "" {
		if u, err := url.Parse(c.GetHeader("Referer")); err == nil && u.Host != c.Request.Host {
			p.Source = clip(u.Hostname())
		}
	}
	if v.Doc.Intro == nil {
		p.At = r.next(v, p)
	}
	return p
}

func clip(s string) string {
	if len(s) > 200 {
		return strings.ToValidUTF8(s[:200], "")
	}
	return s
}

// language is the first language of an Accept-Language header, without its region.
func language(header string) string {
	first, _, _ := strings.Cut(header, ",")
	first, _, _ = strings.Cut(first, ";")
	first, _, _ = strings.Cut(strings.TrimSpace(first), "-")
	if len(first) < 2 || len(first) > 3 {
		return ""
	}
	return strings.ToLower(first)
}

func device(agent string) string {
	switch {
	case agent == "":
		return ""
	case strings.Contains(agent, "iPad") || strings.Contains(agent, "Tablet"):
		return "tablet"
	case strings.Contains(agent, "Mobi"):
		return "phone"
	}
	return "desktop"
}

// next is the page after the one that p is on: the question that follows on the walk, the contact step, or the end.
func (r *Room) next(v *version, p *place) string {
	res := v.walk.Advance(p.input())
	from := slices.Index(res.Path, p.At)
	if from+1 < len(res.Path) && (from >= 0 || p.At == "") {
		return res.Path[from+1]
	}
	if res.Pending >= 0 {
		return v.Doc.Questions[res.Pending].ID
	}
	if asksContact(v.Doc, res) {
		return atContact
	}
	return atEnd
}

func asksContact(d *quiz.Document, res *walk.Result) bool {
	o := d.Outcome(res.Outcome)
	return d.Contact != nil && d.Contact.Place == quiz.ContactBefore && len(d.Contact.Fields) > 0 && o != nil && o.Keeps()
}

// back is the page before the one that p is on, and false on the first.
func (r *Room) back(v *version, p *place) (string, bool) {
	res := v.walk.Advance(p.input())
	i := slices.Index(res.Path, p.At)
	if i < 0 {
		i = len(res.Path)
	}
	if i > 0 {
		return res.Path[i-1], true
	}
	return "", v.Doc.Intro != nil && p.At != ""
}

func (r *Room) get(c *gin.Context) {
	v, p := r.find(c, c.Query("w"))
	if v == nil {
		return
	}
	r.show(c, v, p)
}

// show writes the page that p is on.
func (r *Room) show(c *gin.Context, v *version, p *place) {
	token, err := r.sealer.seal(v.QuizID, *p)
	if err != nil {
		page.Fail(c, http.StatusInternalServerError, "This quiz cannot be shown", "Please try again in a moment.")
		return
	}
	if p.At == "" && v.intro != nil {
		r.write(c, http.StatusOK, v.intro.fill(token, "", 0))
		return
	}
	back := ""
	if step, ok := r.back(v, p); ok {
		back, err = r.sealer.seal(v.QuizID, p.at(step))
		if err != nil {
			page.Fail(c, http.StatusInternalServerError, "This quiz cannot be shown", "Please try again in a moment.")
			return
		}
	}
	i := v.Doc.Question(p.At)
	s := screen{V: v, Token: token, Done: "1000"}
	if back != "" {
		s.Back = "?w=" + back
	}
	if i < 0 {
		r.write(c, http.StatusOK, v.draw("contact", v.contact(s, p)))
		return
	}
	done := v.done(p, i)
	if a := p.Answers[p.At]; p.Failed == nil && a.Blank() && back != "" {
		r.write(c, http.StatusOK, v.asks[i].fill(token, back, done))
		return
	}
	s.Done = fmt.Sprint(done)
	r.write(c, http.StatusOK, v.draw("ask", v.ask(s, i, p.Answers[p.At], p.Failed)))
}

// done is how much of the walk is behind question i, of a thousand: the questions before it on this walk, against these
// and the ones that may still come.
func (v *version) done(p *place, i int) int {
	res := v.walk.Advance(p.input())
	before := slices.Index(res.Path, p.At)
	if before < 0 {
		before = len(res.Path)
	}
	return 1000 * (before + 1) / (before + 1 + len(v.Doc.Questions) - i)
}

// write sends a respondent's page: it may be framed by any site and may post a form that leads to any site.
func (r *Room) write(c *gin.Context, status int, body []byte) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", "default-src 'none'; style-src 'self'; img-src 'self'; font-src 'self'; script-src 'self'; base-uri 'none'; form-action 'self' http: https:; frame-ancestors *")
	h.Del("X-Frame-Options")
	h.Set("Referrer-Policy", "same-origin") // the place in the address is nobody else's business
	h.Set("Cache-Control", "no-store")
	c.Data(status, "text/html; charset=utf-8", body)
}

// maxForm bounds what a page posts.
const maxForm = 1 << 20

func (r *Room) post(c *gin.Context) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, maxForm)
	if err := c.Request.ParseForm(); err != nil {
		page.Fail(c, http.StatusBadRequest, "The form could not be read", "Go back and send it again.")
		return
	}
	form := c.Request.PostForm
	token := form.Get("w")
	v, p := r.find(c, token)
	if v == nil {
		return
	}
	if token == "" { // a form without a place: a page from another site, or one cut short
		r.write(c, http.StatusBadRequest, v.draw("lost", screen{V: v, Title: "Your place was lost"}))
		return
	}
	var reply *contactReply
	switch i := v.Doc.Question(p.At); {
	case i >= 0:
		q := &v.Doc.Questions[i]
		a, err := walk.Parse(q, func(field string) []string { return form[field] })
		if err == nil {
			err = walk.Check(q, a)
		}
		if err != nil {
			p.keepTyped(q, form)
			p.Failed = fieldErrorOf(err)
			r.goTo(c, v, *p)
			return
		}
		p.Answers[q.ID] = a
	case p.At == atContact:
		var failed *fieldError
		if reply, failed = v.readContact(form); failed != nil {
			p.Failed, p.Typed = failed, typedContact(form)
			r.goTo(c, v, *p)
			return
		}
	}
	p.Failed, p.Typed = nil, nil
	step := atEnd
	if p.At != atContact {
		step = r.next(v, p)
	}
	if step == atEnd {
		r.finish(c, v, p, reply)
		return
	}
	r.goTo(c, v, p.at(step))
}

// keepTyped keeps an answer that could not be taken, so that it can be mended and is not lost.
func (p *place) keepTyped(q *quiz.Question, form url.Values) {
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
	if len(q.Choices) == 0 {
		a.Text = clip(form.Get(q.ID))
	}
	p.Answers[q.ID] = a
}

func fieldErrorOf(err error) *fieldError {
	var field *walk.FieldError
	if errors.As(err, &field) {
		return &fieldError{field.Field, field.Message}
	}
	return &fieldError{Message: err.Error()}
}

func (r *Room) goTo(c *gin.Context, v *version, p place) {
	token, err := r.sealer.seal(v.QuizID, p)
	if err != nil {
		page.Fail(c, http.StatusInternalServerError, "This quiz cannot be shown", "Please try again in a moment.")
		return
	}
	c.Redirect(http.StatusSeeOther, "/q/"+v.Slug+"?w="+token)
}

// finish stores the response and leads to the outcome. A walk that has finished before keeps its first response and ends
// where that one ended.
func (r *Room) finish(c *gin.Context, v *version, p *place, reply *contactReply) {
	if first, err := r.Store.Response(p.ID); err == nil {
		if first.Kept {
			var answers map[string]walk.Answer
			if json.Unmarshal(first.Answers, &answers) == nil {
				p.Answers = answers
			}
		}
		r.lead(c, v, p)
		return
	}
	res := v.walk.Walk(p.input())
	f := Finished{ID: p.ID, QuizID: v.QuizID, Version: v.Number, Began: time.Unix(p.Began, 0), At: time.Now(), Input: p.input(), Source: p.Source}
	if reply != nil {
		f.Name, f.Email, f.Contact, f.Consent = reply.Name, reply.Email, reply.Fields, reply.Consent
	}
	response, err := Response(v.Doc, res, f)
	if err == nil {
		err = r.Store.Submit(response)
	}
	if err != nil {
		page.Fail(c, http.StatusServiceUnavailable, "Your answers could not be stored", "Please go back and send them again.")
		return
	}
	r.lead(c, v, p)
}

// lead sends the respondent on: to the address of a redirect, else to the ending page.
func (r *Room) lead(c *gin.Context, v *version, p *place) {
	res := v.walk.Walk(p.input())
	if o := v.Doc.Outcome(res.Outcome); o != nil && o.Ending != nil && o.Ending.Kind == quiz.EndRedirect {
		source := fill.Source{Doc: v.Doc, Input: p.input(), Result: res, Lead: p.ID}
		if address, err := fill.ParseAddress(o.Ending.URL); err == nil {
			if to, err := address.Fill(source.Lookup); err == nil {
				c.Header("Referrer-Policy", "no-referrer")
				c.Redirect(http.StatusSeeOther, to)
				return
			}
		}
	}
	token, err := r.sealer.seal(v.QuizID, p.at(atEnd))
	if err != nil {
		page.Fail(c, http.StatusInternalServerError, "Your result cannot be shown", "Your answers are stored.")
		return
	}
	c.Redirect(http.StatusSeeOther, "/q/"+v.Slug+"/end/"+token)
}

// end shows the ending page.
func (r *Room) end(c *gin.Context) {
	v, p := r.find(c, c.Param("place"))
	if v == nil {
		return
	}
	if p.At != atEnd {
		r.goTo(c, v, *p)
		return
	}
	res := v.walk.Walk(p.input())
	o := v.Doc.Outcome(res.Outcome)
	source := fill.Source{Doc: v.Doc, Input: p.input(), Result: res, Lead: p.ID}
	s := screen{V: v, Done: "1000", Outcome: o, Title: fill.Text(first(o.Heading, o.Title()), source.Lookup, fill.Plain),
		Text: page.Markdown(fill.Text(o.Text, source.Lookup, fill.EscapeMarkdown))}
	if o.Ending != nil {
		for _, b := range o.Ending.Buttons {
			if address, err := fill.ParseAddress(b.URL); err == nil {
				if to, err := address.Fill(source.Lookup); err == nil {
					s.Buttons = append(s.Buttons, quiz.Button{Label: b.Label, URL: to})
				}
			}
		}
	}
	r.write(c, http.StatusOK, v.draw("end", s))
}

func first(texts ...string) string {
	for _, t := range texts {
		if t != "" {
			return t
		}
	}
	return ""
}
