// Package launch is the room for publishing a draft as a version and sharing it: links, embedding, access and schedule,
// and split tests.
package launch

import (
	"embed"
	"errors"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/edit"
	"omphalos/app/engine"
	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/check"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

// Handler is the Launch room: its view in the workbench, and all that is done there.
type Handler struct {
	Store  *store.Store
	Bench  *workbench.Handler
	Engine *engine.Engine
	Origin string // address of the server as others reach it; "" where that is not known
	Mails  bool   // mail can leave
}

// part is one of the things on the right side.
type part struct{ Key, Title string }

var parts = []part{
	{"link", "Link and QR"},
	{"page", "Inside a page"},
	{"over", "Pop-up"},
	{"edge", "Bar at the edge"},
	{"who", "Access and schedule"},
	{"shared", "Link preview"},
	{"hooks", "Other programs"},
}

// view is the room.
type view struct {
	Draft    *workbench.Draft
	Slug     string
	Midway   int // respondents who are taking the live version
	Next     int
	Refused  string
	Saved    bool
	Changed  []quiz.Difference // since the live version: the first of them
	More     int               // next to these
	Stations []station
	Compare  *comparison
	Parts    []part
	Part     string
	Base     string // address of the server
	Live     bool

	Link   *linkPart
	Kit    *kitPart
	Who    *whoPart
	Shared *sharedPart
	Hooks  *hooksPart
	Split  *splitPart
}

// maxChanged is how many changes are listed.
const maxChanged = 20

// list is what would go wrong, the most serious first, and what is right.
type list struct {
	*workbench.Draft
	Errors, Warnings, Notes []reach.Finding
	Right                   string
}

// findings are the parts of the room that wait for the count.
func (h *Handler) findings(v *workbench.Counted) (map[string]template.HTML, error) {
	out := map[string]template.HTML{}
	if err := h.effect(v, out); err != nil {
		return nil, err
	}
	if v.Report == nil {
		return out, nil // the room lists what to fix first
	}
	l := &list{Draft: v.Draft, Right: passing(v)}
	for _, f := range v.Report.Findings {
		switch f.Severity {
		case reach.Error:
			l.Errors = append(l.Errors, f)
		case reach.Warning:
			l.Warnings = append(l.Warnings, f)
		default:
			l.Notes = append(l.Notes, f)
		}
	}
	for _, p := range edit.Warnings(v.Doc, v.Tables) {
		l.Warnings = append(l.Warnings, reach.Finding{Where: p.Where, Message: p.Sentence()})
	}
	out["launchlist"] = template.HTML(page.Execute(templates, "launchlist", l))
	return out, nil
}

// passing is what is as it should be, in one line.
func passing(v *workbench.Counted) string {
	hold, reached := 0, 0
	for _, c := range v.Checks {
		if c.Holds {
			hold++
		}
	}
	for _, o := range v.Report.Outcomes {
		if o.Reachable {
			reached++
		}
	}
	var out []string
	if hold > 0 {
		out = append(out, page.Plural(hold, "check passes", "checks pass"))
	}
	if all := len(v.Doc.Outcomes); reached == all {
		out = append(out, "all "+page.Plural(all, "outcome", "outcomes")+" can be reached")
	} else {
		out = append(out, strconv.Itoa(reached)+" of "+page.Plural(all, "outcome", "outcomes")+" can be reached")
	}
	return strings.Join(out, ", ")
}

var templates = workbench.Templates(files)

// Room is the h's view in the workbench.
func (h *Handler) Room() workbench.Room {
	return workbench.Room{
		Key:      "launch",
		Title:    "Launch",
		Scripts:  []string{"launch.js"},
		Template: templates,
		Reach:    h.findings,
		View:     h.newView,
	}
}

func (h *Handler) newView(d *workbench.Draft, query url.Values) (any, error) {
	s := &view{
		Draft:   d,
		Refused: query.Get("refused"),
		Saved:   query.Has("saved"),
		Slug:    edit.LinkName(d.Doc.Name),
		Parts:   parts,
		Part:    query.Get("part"),
		Base:    h.Origin,
		Live:    d.Quiz.LiveVersion > 0,
		Changed: d.Changes[:min(maxChanged, len(d.Changes))],
	}
	s.More = len(d.Changes) - len(s.Changed)
	if d.Quiz.Slug != nil {
		s.Slug = *d.Quiz.Slug
	}
	if wanted := query.Get("slug"); wanted != "" {
		s.Slug = wanted
	}
	access, err := responses.AccessOf(d.Quiz)
	if err != nil {
		return nil, err
	}
	if err := h.versions(s, query); err != nil {
		return nil, err
	}
	if s.Split, err = h.splitOf(s, &access); err != nil {
		return nil, err
	}
	switch s.Part {
	case "page", "over", "edge":
		s.Kit = newKit(s, query)
	case "who":
		s.Who, err = h.who(s, &access)
	case "shared":
		s.Shared = newShared(s, &access)
	case "hooks":
		s.Hooks, err = h.hooks(s)
	default:
		s.Part = "link"
		s.Link, err = h.link(s, &access, query)
	}
	return s, err
}

// Routes adds the addresses of the room that are not the workbench's.
func (h *Handler) Routes(g gin.IRouter) {
	at := g.Group("/quizzes/:id/launch")
	at.POST("", h.launch)
	at.POST("/again/:number", h.relaunch)
	at.POST("/take/:number", h.take)
	at.POST("/frames", h.saved("link", func(c *gin.Context, who edit.Actor, id string) error {
		return h.Bench.Editor.SetFrames(who, id, c.PostForm("frames"))
	}))
	at.POST("/link", h.saved("link", func(c *gin.Context, who edit.Actor, id string) error {
		return h.Bench.Editor.RenameLink(who, id, c.PostForm("slug"))
	}))
	at.POST("/who", h.saved("who", h.setWho))
	at.POST("/invite", h.saved("who", h.invite))
	at.POST("/invitations/:invitation/revoke", h.saved("who", func(c *gin.Context, _ edit.Actor, id string) error {
		return h.Store.Responses.RevokeInvitation(id, c.Param("invitation"))
	}))
	at.GET("/invitations.csv", h.invitations)
	at.POST("/shared", h.saved("shared", h.setShared))
	at.POST("/places", h.saved("link", h.addPlace))
	at.POST("/places/:place/drop", h.saved("link", func(c *gin.Context, _ edit.Actor, id string) error {
		return h.Store.Documents.DropPlace(id, c.Param("place"))
	}))
	at.POST("/hooks", h.addHook)
	at.POST("/hooks/:hook/rotate", h.rotateHook)
	for what, do := range h.hookVerbs() {
		at.POST("/hooks/:hook/"+what, h.saved("hooks", do))
	}
	at.GET("/deliveries", h.deliveries)
	at.POST("/deliveries/:delivery/resend", h.saved("hooks", func(c *gin.Context, _ edit.Actor, id string) error {
		return h.Store.Deliveries.Resend(id, c.Param("delivery"))
	}))
	at.POST("/split", h.saved("", h.split))
	at.POST("/choose/:number", h.saved("", h.choose))
	at.GET("/qr.svg", h.qrSVG)
	at.GET("/qr.png", h.qrPNG)
	at.GET("/qr", h.qrSheet)
	at.GET("/sample", h.sample)
}

// saved answers a form: with the part of the room that it belongs to, and in it what is wrong.
func (h *Handler) saved(part string, do func(*gin.Context, edit.Actor, string) error) gin.HandlerFunc {
	return func(c *gin.Context) {
		id := c.Param("id")
		query := url.Values{"saved": {"1"}}
		err := do(c, workbench.Actor(c), id)
		var failed *edit.Error
		switch {
		case errors.As(err, &failed) && failed.Kind == edit.Gone, errors.Is(err, database.ErrNotFound):
			page.NotFound(c)
			return
		case errors.As(err, &failed):
			query = url.Values{"refused": {failed.Message}}
		case err != nil:
			page.Failed(c, err)
			return
		}
		if part != "" {
			query.Set("part", part)
		}
		c.Redirect(http.StatusSeeOther, "/quizzes/"+id+"/launch?"+query.Encode())
	}
}

func (h *Handler) launch(c *gin.Context) {
	id := c.Param("id")
	slug := strings.TrimSpace(c.PostForm("slug"))
	refuse := func(why string) {
		c.Redirect(
			http.StatusSeeOther,
			"/quizzes/"+id+"/launch?"+url.Values{"refused": {why}, "slug": {slug}}.Encode(),
		)
	}
	if c.PostForm("only") == "link" { // Enter in its field: the name is kept on the page, and nothing is launched
		c.Redirect(http.StatusSeeOther, "/quizzes/"+id+"/launch?"+url.Values{"slug": {slug}}.Encode())
		return
	}
	base, err := strconv.Atoi(c.PostForm("base"))
	if err != nil {
		refuse("The page didn’t load completely. Reload it, then launch again.")
		return
	}
	beside, _ := strconv.Atoi(c.PostForm("beside")) // none is all
	_, err = h.Bench.Editor.Launch(c.Request.Context(), workbench.Actor(c), edit.Launch{
		Quiz: id, Base: base, Link: slug, Anyway: c.PostForm("anyway") != "", Beside: beside,
	})
	var failed *edit.Error
	switch {
	case errors.As(err, &failed) && failed.Kind == edit.Gone:
		page.NotFound(c)
	case errors.As(err, &failed):
		refuse(failed.Message)
	case err != nil:
		page.Failed(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/quizzes/"+id+"/launch")
	}
}

// failing reports whether a check is among the faults: then nothing can be launched all the same.
func (l *list) Failing() bool {
	for _, f := range l.Errors {
		if f.Code == check.Code {
			return true
		}
	}
	return false
}
