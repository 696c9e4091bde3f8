// Package launch is the room in which a draft becomes a version that runs.
package launch

import (
	"embed"
	"errors"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
	"golang.org/x/text/unicode/norm"

	"omphalos/app/account"
	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/workbench"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

// Desk is the Launch room: its view in the workbench, and the launch itself.
type Desk struct {
	Store  *store.Store
	Bench  *workbench.Bench
	Forget func() // called when another version begins to run
}

type sheet struct {
	Draft    *workbench.Draft
	Versions []store.Version
	Slug     string
	Next     int
	Refused  string
}

// Room is the desk's view in the workbench.
func (k *Desk) Room() workbench.Room {
	return workbench.Room{Key: "launch", Title: "Launch", Scripts: []string{"launch.js"}, Template: workbench.Templates(files),
		View: func(d *workbench.Draft, query url.Values) (any, error) {
			versions, err := k.Store.Versions(d.Quiz.ID)
			s := &sheet{Draft: d, Versions: versions, Next: 1, Refused: query.Get("refused"), Slug: Slug(d.Doc.Name)}
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
		}}
}

// Routes adds the addresses of the room that are not the workbench's.
func (k *Desk) Routes(g gin.IRouter) { g.POST("/quizzes/:id/launch", k.launch) }

var slugPattern = regexp.MustCompile(`^[a-z0-9](?:[a-z0-9-]{0,58}[a-z0-9])?$`)

// Slug makes the name of a link from the name of a quiz.
func Slug(name string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(norm.NFD.String(name)) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			b.WriteRune(r)
		case r == ' ' || r == '-' || r == '_':
			if s := b.String(); s != "" && !strings.HasSuffix(s, "-") {
				b.WriteByte('-')
			}
		}
	}
	s := strings.Trim(b.String(), "-")
	if len(s) > 40 {
		s = strings.Trim(s[:40], "-")
	}
	if s == "" {
		return "quiz"
	}
	return s
}

func (k *Desk) launch(c *gin.Context) {
	d := k.Bench.Load(c)
	if d == nil {
		return
	}
	slug := strings.TrimSpace(c.PostForm("slug"))
	refuse := func(why string) {
		c.Redirect(http.StatusSeeOther, "/quizzes/"+d.Quiz.ID+"/launch?"+url.Values{"refused": {why}, "slug": {slug}}.Encode())
	}
	base, err := strconv.Atoi(c.PostForm("base"))
	switch {
	case len(d.Problems) > 0:
		refuse("Mend what is listed here first.")
		return
	case !slugPattern.MatchString(slug):
		refuse("A link is made of small letters a–z, digits and -, at most 60, such as living-wall.")
		return
	case err != nil:
		base = d.Quiz.Revision
	}
	_, err = k.Store.Launch(d.Quiz.ID, account.Of(c).ID, base, slug)
	var stale *store.Stale
	switch {
	case errors.As(err, &stale):
		refuse("The quiz was changed in another window just now. Look at it, then launch again.")
	case errors.Is(err, store.ErrSlugTaken):
		refuse("Another quiz has the link " + slug + ". Choose another.")
	case err != nil:
		page.Fail(c, http.StatusInternalServerError, "The version could not be stored", err.Error())
	default:
		k.Forget()
		c.Redirect(http.StatusSeeOther, "/quizzes/"+d.Quiz.ID+"/launch")
	}
}
