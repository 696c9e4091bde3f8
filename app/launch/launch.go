// Package launch is the room in which a draft becomes a version that runs.
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
	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

// Handler is the Launch room: its view in the workbench, and the launch itself.
type Handler struct {
	Store *store.Store
	Bench *workbench.Handler
}

type sheet struct {
	Draft    *workbench.Draft
	Versions []store.Version
	Slug     string
	Next     int
	Refused  string
	Changed  []quiz.Difference // since the live version: the first of them
	More     int               // beside these
	Frames   string            // sites that may frame the quiz, one a line
	Saved    bool
}

// maxChanged is how many changes are listed.
const maxChanged = 20

// list is what would go wrong, the most serious first.
type list struct {
	*workbench.Draft
	Errors, Warnings, Notes []reach.Finding
}

// findings are the parts of the room that wait for the count.
func (h *Handler) findings(v *workbench.Counted) (map[string]template.HTML, error) {
	if v.Report == nil {
		return nil, nil // the room lists what to mend first
	}
	l := &list{Draft: v.Draft}
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
	tables, err := h.Store.Tables(v.Quiz.ID)
	if err != nil {
		return nil, err
	}
	for _, p := range edit.Warnings(v.Doc, tables) {
		l.Warnings = append(l.Warnings, reach.Finding{Where: p.Where, Message: p.Sentence()})
	}
	return map[string]template.HTML{"launchlist": template.HTML(page.Execute(templates, "launchlist", l))}, nil
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
		View: func(d *workbench.Draft, query url.Values) (any, error) {
			versions, err := h.Store.Versions(d.Quiz.ID)
			s := &sheet{
				Draft:    d,
				Versions: versions,
				Next:     1,
				Refused:  query.Get("refused"),
				Slug:     edit.LinkName(d.Doc.Name),
			}
			access, badAccess := d.Quiz.Open()
			err = errors.Join(err, badAccess)
			s.Frames, s.Saved = strings.Join(access.Frames, "\n"), query.Get("saved") != ""
			s.Changed = d.Changes[:min(maxChanged, len(d.Changes))]
			s.More = len(d.Changes) - len(s.Changed)
			if len(versions) > 0 {
				s.Next = versions[0].Number + 1
			}
			if d.Quiz.Slug != nil {
				s.Slug = *d.Quiz.Slug
			}
			if wanted := query.Get("slug"); wanted != "" {
				s.Slug = wanted
			}
			return s, err
		},
	}
}

// Routes adds the addresses of the room that are not the workbench's.
func (h *Handler) Routes(g gin.IRouter) {
	g.POST("/quizzes/:id/launch", h.launch)
	g.POST("/quizzes/:id/frames", h.frames)
}

// frames stores which sites may show the quiz in a frame.
func (h *Handler) frames(c *gin.Context) {
	id := c.Param("id")
	back := url.Values{"saved": {"1"}}
	err := h.Bench.Editor.SetFrames(workbench.Actor(c), id, c.PostForm("frames"))
	var failed *edit.Error
	switch {
	case errors.As(err, &failed) && failed.Kind == edit.Gone:
		page.NotFound(c)
		return
	case errors.As(err, &failed):
		back = url.Values{"refused": {failed.Message}}
	case err != nil:
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+id+"/launch?"+back.Encode())
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
	base, err := strconv.Atoi(c.PostForm("base"))
	if err != nil {
		refuse("The page was not whole. Load it again, then launch.")
		return
	}
	_, err = h.Bench.Editor.Launch(c.Request.Context(), workbench.Actor(c), edit.Launch{
		Quiz: id, Base: base, Link: slug, Anyway: c.PostForm("anyway") != "",
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
