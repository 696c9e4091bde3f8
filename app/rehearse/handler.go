// Package rehearse is the room for trying a quiz. It shows one respondent on a phone and on a desktop, the points and
// the outcomes that are still possible, and the answers saved as checks.
package rehearse

import (
	"embed"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/counting"
	"omphalos/app/engine"
	"omphalos/app/page"
	"omphalos/app/respond"
	"omphalos/app/workbench"
	"omphalos/core/fact"
	"omphalos/core/quiz"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

var templates = workbench.Templates(files)

// Handler is the Rehearse room.
type Handler struct {
	Bench  *workbench.Handler
	Engine *engine.Engine
	Pages  *respond.Handler
}

// view is the sheet: the two frames, and the place that both begin at.
type view struct {
	Draft   *workbench.Draft
	Token   string
	Home    string
	Pretend []pretendField
	Links   []linkView
	Made    string // the address of a link that was made just now
}

// Room is the h's view in the workbench.
func (h *Handler) Room() workbench.Room {
	return workbench.Room{
		Key:      "rehearse",
		Title:    "Rehearse",
		Scripts:  []string{"rehearse.js"},
		Template: templates,
		View: func(d *workbench.Draft, query url.Values) (any, error) {
			s := &view{Draft: d, Home: home(d)}
			s.Pretend = pretendFields(d.Doc)
			r, err := h.Engine.Rehearse(engine.Draft{Quiz: d.Quiz, Home: s.Home}, "")
			var problems quiz.Problems
			if errors.As(err, &problems) || len(d.Doc.Questions) == 0 {
				return s, nil // the frame says what to fix first
			}
			if err != nil {
				return nil, err
			}
			if s.Token, err = r.Token(); err != nil {
				return nil, err
			}
			return s, h.links(s, query)
		},
		Reach: h.checks,
		Count: func(d *workbench.Draft) string {
			if n := len(d.Doc.Checks); n > 0 {
				return fmt.Sprint(n)
			}
			return ""
		},
		Keys: []workbench.Keys{{Name: "In either preview", List: [][2]string{
			{"1 – 9", "Choose an answer"},
			{"Tab, Enter", "Move through the page and continue"},
		}}},
	}
}

// home is the address of the pages of a draft's rehearsal.
func home(d *workbench.Draft) string { return "/quizzes/" + d.Quiz.ID + "/rehearse/page" }

// Routes adds the addresses of the room that are not the workbench's.
func (h *Handler) Routes(g gin.IRouter) {
	at := g.Group("/quizzes/:id/rehearse")
	at.GET("/page", h.page)
	at.POST("/page", h.page)
	at.GET("/page/look/:stamp", h.look)
	at.GET("/side", h.Bench.Counting(h.side))
	at.GET("/what", h.Bench.Counting(h.what))
	at.GET("/go", h.Bench.Counting(h.goTo))
	at.GET("/propose", h.Bench.Counting(h.propose))
	at.GET("/since/:check", h.failingSince)
	at.POST("/links", h.makeLink)
	at.POST("/links/:link/revoke", h.revokeLink)
}

// Public adds the addresses of rehearsals that are shown to someone without an account.
func (h *Handler) Public(g gin.IRouter) {
	g.GET("/rehearsal/:key", h.showShared)
	g.POST("/rehearsal/:key", h.showShared)
	g.GET("/rehearsal/:key/look/:stamp", h.shownLook)
}

// rehearsal is the one of a request: the draft of its address, at the place of its token.
func (h *Handler) rehearsal(c *gin.Context, token string) (*workbench.Draft, *engine.Rehearsal, error) {
	d := h.Bench.Load(c)
	if d == nil {
		return nil, nil, nil
	}
	r, err := h.Engine.Rehearse(engine.Draft{Quiz: d.Quiz, Home: home(d)}, token)
	return d, r, err
}

// page shows the page of a place, or takes what it was sent.
func (h *Handler) page(c *gin.Context) {
	form, ok := h.Pages.Form(c)
	if !ok {
		return
	}
	_, r, err := h.rehearsal(c, form.Get("w"))
	if r == nil && err == nil {
		return
	}
	h.step(c, r, form, err)
}

// step answers a step of a rehearsal.
func (h *Handler) step(c *gin.Context, r *engine.Rehearsal, form url.Values, err error) {
	var reply *engine.Reply
	switch {
	case err != nil:
	case c.Request.Method == http.MethodPost:
		reply, err = r.Post(form)
	default:
		reply, err = r.Page(form.Get("back") != "")
	}
	var problems quiz.Problems
	if errors.As(err, &problems) {
		page.Fail(c, http.StatusUnprocessableEntity, "The quiz can’t be tested right now", "Fix the problems listed "+
			"in the quiz, then try again.")
		return
	}
	if errors.Is(err, engine.ErrLost) {
		page.Fail(c, http.StatusBadRequest, "This page can’t be opened", "Start over.")
		return
	}
	h.Pages.Answer(c, reply, err)
}

// look sends the theme's own style sheet.
func (h *Handler) look(c *gin.Context) {
	_, r, err := h.rehearsal(c, "")
	if r == nil && err == nil {
		return
	}
	style(c, r, err)
}

func style(c *gin.Context, r *engine.Rehearsal, err error) {
	if err != nil {
		page.NotFound(c)
		return
	}
	c.Header("Cache-Control", "no-store")
	c.Data(http.StatusOK, "text/css; charset=utf-8", []byte(r.Style()))
}

// side answers with what stands next to the frames.
func (h *Handler) side(c *gin.Context) {
	d, r, err := h.rehearsal(c, c.Query("w"))
	switch {
	case r == nil && err == nil:
		return
	case err != nil:
		refuse(c, "The rehearsal can’t continue. Start over.")
		return
	}
	token, err := r.Token()
	if err != nil {
		page.Failed(c, err)
		return
	}
	s, err := newSide(c.Request.Context(), d, r, c.Query("check"))
	if err != nil {
		h.uncounted(c, err)
		return
	}
	who := r.Pretended()
	pretended := gin.H{"params": paramsText(who.Params)}
	for _, k := range fact.All() {
		pretended[k.ID()] = k.Text(&who)
	}
	c.PureJSON(http.StatusOK, gin.H{
		"token":     token,
		"side":      string(page.Execute(templates, "side", s)),
		"pretended": pretended,
	})
}

func (h *Handler) uncounted(c *gin.Context, err error) {
	if counting.GivenUp(err) {
		refuse(c, "Calculating the possible outcomes took too long.")
		return
	}
	page.Failed(c, err)
}

func refuse(c *gin.Context, message string) {
	c.PureJSON(http.StatusUnprocessableEntity, gin.H{"message": message})
}

// what answers with what one more answer would do.
func (h *Handler) what(c *gin.Context) {
	d, r, err := h.rehearsal(c, c.Query("w"))
	if r == nil && err == nil {
		return
	}
	said := ""
	if err == nil && r.At() >= 0 {
		said, err = whatIf(c.Request.Context(), d, r, c.Query("field"), c.Query("value"))
	}
	if err != nil {
		refuse(c, "")
		return
	}
	c.PureJSON(http.StatusOK, gin.H{"says": said})
}

// goTo answers with the token of another place: someone else pretended, another question, an ending, or the rest
// filled in.
func (h *Handler) goTo(c *gin.Context) {
	d, r, err := h.rehearsal(c, c.Query("w"))
	switch {
	case r == nil && err == nil:
		return
	case err != nil:
		refuse(c, "The rehearsal can’t continue. Start over.")
		return
	}
	query := c.Request.URL.Query()
	message := ""
	switch {
	case query.Has("pretend"):
		message = pretend(r, query)
	case query.Has("question"):
		message, err = toQuestion(c.Request.Context(), d, r, query.Get("question"))
	case query.Has("outcome"):
		message, err = toOutcome(c.Request.Context(), d, r, query.Get("outcome"), query.Has("keep"))
	case query.Has("check"):
		message = toCheck(r, query.Get("check"))
	default:
		who := r.Pretended()
		if r, err = h.Engine.Rehearse(engine.Draft{Quiz: d.Quiz, Home: home(d)}, ""); err == nil {
			r.Pretend(who)
		}
	}
	token := ""
	if err == nil {
		token, err = r.Token()
	}
	if err != nil {
		h.uncounted(c, err)
		return
	}
	c.PureJSON(http.StatusOK, gin.H{"token": token, "message": message})
}

// fieldID is the question that a form field belongs to.
func fieldID(field string) string {
	id, _, _ := strings.Cut(field, ".")
	return id
}
