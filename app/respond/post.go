package respond

import (
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

func itoa(n int) string { return strconv.Itoa(n) }

// maxForm bounds what a page posts.
const maxForm = 1 << 20

// Fields that a page's form has beside its questions; ids of questions never begin with ".".
const (
	shownField = ".shown" // ids of the questions that the page showed
	lookField  = ".look"  // a script asks what the page would be with these answers
	skipField  = ".skip"
)

func (r *Room) post(c *gin.Context) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, maxForm)
	if err := parse(c.Request); err != nil {
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
		r.lost(c, v)
		return
	}
	if form.Get(trap) != "" {
		p.Source = trapped
	}
	if p.speak(v, form.Get(langField)) { // the same page in another language, with what was answered on it
		v.keep(p, form)
		r.goTo(c, v, *p)
		return
	}
	switch i := v.Doc.Question(p.At); {
	case i >= 0 && p.Review: // right and wrong was shown; it goes on
	case i >= 0:
		if !r.answers(c, v, p, v.groupOf(i), form) {
			return
		}
		if v.Doc.Settings.Review == "each_page" && len(v.review(p, v.groupOf(i))) > 0 {
			next := *p
			next.Failed, next.Typed, next.Review = nil, nil, true
			r.goTo(c, v, next)
			return
		}
	case p.At == atContact || p.At == atAfter:
		reply, failed := v.readContact(form, p)
		if failed != nil {
			p.Failed, p.Typed = failed, typedContact(form)
			r.goTo(c, v, *p)
			return
		}
		if p.At == atAfter {
			r.after(c, v, p, reply)
			return
		}
		r.finish(c, v, p, reply)
		return
	}
	p.Failed, p.Typed = nil, nil
	if step := v.next(p); step != atEnd {
		r.goTo(c, v, p.at(step))
		return
	}
	r.finish(c, v, p, nil)
}

// trapped is the source of a respondent who filled in what nobody sees.
const trapped = "\x00trap"

func parse(r *http.Request) error {
	if strings.HasPrefix(r.Header.Get("Content-Type"), "multipart/form-data") {
		return r.ParseMultipartForm(maxForm)
	}
	return r.ParseForm()
}

// answers reads what a page sent. It reports false when it has answered itself: with what is wrong, or with the questions that
// the answers bring up on the same page.
func (r *Room) answers(c *gin.Context, v *version, p *place, g group, form url.Values) bool {
	shown := strings.Fields(form.Get(shownField))
	if len(shown) == 0 { // a form that does not say: what the page asks, and what the form answers
		for _, i := range v.asked(p, g) {
			shown = append(shown, v.Doc.Questions[i].ID)
		}
		for name := range form {
			if id, _, _ := strings.Cut(name, "."); id != "" && !slices.Contains(shown, id) && v.Doc.Question(id) >= 0 {
				shown = append(shown, id)
			}
		}
	}
	look := form.Get(lookField) != ""
	p.Failed, p.Typed = nil, map[string]string{}
	var failed []*fieldError
	for i := g.from; i < g.to; i++ {
		q := &v.Doc.Questions[i]
		if !slices.Contains(shown, q.ID) {
			continue
		}
		a, err := v.read(q, p, form)
		if err == nil {
			err = walk.Check(q, a)
		}
		if err != nil {
			p.keepTyped(q, form)
			failed = append(failed, fieldErrorOf(q, err))
			continue
		}
		p.Answers[q.ID] = a
	}
	// What is wrong with a question that is asked no more does not matter.
	list := v.asked(p, g)
	for _, f := range failed {
		id, _, _ := strings.Cut(f.Field, ".")
		if slices.Contains(list, v.Doc.Question(id)) && p.Failed == nil {
			p.Failed = f
		}
	}
	fresh := false
	for _, i := range list {
		fresh = fresh || !slices.Contains(shown, v.Doc.Questions[i].ID)
	}
	if look {
		p.Failed = nil
		r.show(c, v, p, "")
		return false
	}
	if p.Failed != nil || fresh && g.to-g.from > 1 {
		r.goTo(c, v, *p)
		return false
	}
	return true
}

// keep keeps what a page was sent without asking whether it is complete.
func (v *version) keep(p *place, form url.Values) {
	p.Failed, p.Typed = nil, map[string]string{}
	i := v.Doc.Question(p.At)
	if i < 0 {
		p.Typed = typedContact(form)
		return
	}
	if p.Review {
		return
	}
	shown := strings.Fields(form.Get(shownField))
	for g, i := v.groupOf(i), 0; i < g.to; i++ {
		q := &v.Doc.Questions[i]
		if i < g.from || !slices.Contains(shown, q.ID) {
			continue
		}
		if a, err := v.read(q, p, form); err == nil && walk.Check(q, a) == nil && !a.Blank() {
			p.Answers[q.ID] = a
		} else {
			p.keepTyped(q, form)
		}
	}
}

// read reads the answer to one question; a telephone number is written as E.164 has it.
func (v *version) read(q *quiz.Question, p *place, form url.Values) (walk.Answer, error) {
	listed := *q
	listed.ChoicesFrom = nil // the table's lines are its choices here
	a, err := walk.Parse(&listed, func(field string) []string { return form[field] })
	if err == nil && q.Kind == quiz.Phone && a.Text != "" {
		number, bad := E164(a.Text, p.Visitor.Country)
		if bad != nil {
			return a, &walk.FieldError{Field: q.ID, Message: words["phone"]}
		}
		a.Text = number
	}
	return a, err
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
	delete(p.Answers, q.ID)
	if !a.Blank() {
		if p.Before == nil {
			p.Before = map[string]walk.Answer{}
		}
		p.Before[q.ID] = a
	} else if len(q.Choices) == 0 {
		p.Typed[q.ID] = clip(form.Get(q.ID))
	}
	if other := form.Get(q.ID + ".other"); other != "" {
		p.Typed[q.ID+".other"] = clip(other)
	}
}

func fieldErrorOf(q *quiz.Question, err error) *fieldError {
	var field *walk.FieldError
	if errors.As(err, &field) {
		return &fieldError{field.Field, field.Message}
	}
	return &fieldError{q.ID, err.Error()}
}
