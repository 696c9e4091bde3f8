package rehearse

import (
	"errors"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/engine"
	"omphalos/app/page"
	"omphalos/app/starters"
	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/app/workbench"
)

// linkView is a link to a rehearsal that works.
type linkView struct {
	ID    string
	Shows string
	Made  string
	Ends  string
}

// links lists those that work, and the one that was made just now: its address is shown once.
func (h *Handler) links(s *view, query url.Values) error {
	list, err := h.Bench.Store.Documents.RehearsalLinks(s.Draft.Quiz.ID)
	for _, l := range list {
		v := linkView{ID: l.ID, Shows: "Latest draft", Made: s.Draft.Moment(l.At), Ends: s.Draft.Moment(l.Ends)}
		if l.Revision > 0 {
			v.Shows = "Draft of " + v.Made
		}
		s.Links = append(s.Links, v)
	}
	if key := query.Get("made"); key != "" {
		s.Made = "/rehearsal/" + key
	}
	return err
}

// makeLink makes a link to show a colleague.
func (h *Handler) makeLink(c *gin.Context) {
	d := h.Bench.Load(c)
	if d == nil {
		return
	}
	key, err := h.Bench.Store.Documents.MakeRehearsalLink(
		d.Quiz,
		workbench.Actor(c).Account,
		c.PostForm("shows") == "now",
	)
	if errors.Is(err, database.ErrFull) {
		page.Fail(c, http.StatusUnprocessableEntity, "You’ve reached the limit of test links", "Revoke a link to "+
			"create another.")
		return
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+d.Quiz.ID+"/rehearse?made="+key+"#links")
}

// revokeLink ends a link.
func (h *Handler) revokeLink(c *gin.Context) {
	err := h.Bench.Store.Documents.RevokeRehearsalLink(c.Param("id"), c.Param("link"))
	if err != nil && !errors.Is(err, database.ErrNotFound) {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+c.Param("id")+"/rehearse#links")
}

// linked is the rehearsal of a link, at the place of a token.
func (h *Handler) linked(c *gin.Context, token string) (*engine.Rehearsal, error) {
	q, err := h.rehearsed(c.Param("key"))
	if err != nil {
		return nil, err
	}
	return h.Engine.Rehearse(engine.Draft{Quiz: q, Home: "/rehearsal/" + c.Param("key"), Shown: true}, token)
}

// rehearsed is the quiz of a link: a draft, or a starter that is walked before it is taken.
func (h *Handler) rehearsed(key string) (*documents.Quiz, error) {
	name, is := strings.CutPrefix(key, starters.WalkPrefix)
	if !is {
		return h.Bench.Store.Documents.Rehearsed(key)
	}
	s := starters.Find(name)
	if s == nil {
		return nil, database.ErrNotFound
	}
	return &documents.Quiz{ID: key, Name: s.Doc.Name, Document: s.Text}, nil
}

// showShared answers the pages of a rehearsal that is shown to a colleague.
func (h *Handler) showShared(c *gin.Context) {
	form, ok := h.Pages.Form(c)
	if !ok {
		return
	}
	r, err := h.linked(c, form.Get("w"))
	if errors.Is(err, database.ErrNotFound) {
		page.Fail(
			c,
			http.StatusNotFound,
			"This test link has expired",
			"Test links work for 14 days. Ask the person who sent it for a new one.",
		)
		return
	}
	c.Header("X-Robots-Tag", "noindex")
	h.step(c, r, form, err)
}

func (h *Handler) shownLook(c *gin.Context) {
	r, err := h.linked(c, "")
	style(c, r, err)
}
