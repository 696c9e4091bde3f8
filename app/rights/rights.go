// Package rights decides who can do what. The right of each address is in app/route, and pages are served
// without the controls that the viewer isn’t allowed to use.
package rights

import (
	"net/http"
	"slices"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"

	"omphalos/app/account"
	"omphalos/app/page"
	"omphalos/app/route"
	"omphalos/app/store"
	"omphalos/app/store/people"
)

// Held reports whether an account has a right.
func Held(a *people.Account, r route.Right) bool {
	switch r {
	case route.Open:
		return true
	case route.See:
		return a.IsOwner() || a.Role == people.Editor || a.Role == people.Viewer
	case route.Change:
		return a.Edits()
	case route.Own:
		return a.IsOwner()
	}
	return false
}

// parts are the patterns of the rules, cut at their slashes: a page of someone who reads asks about each of its
// links.
var parts = sync.OnceValue(func() map[string][][]string {
	out := map[string][][]string{}
	for pattern := range route.Table {
		method, path, _ := strings.Cut(pattern, " ")
		out[method] = append(out[method], strings.Split(path, "/"))
	}
	return out
})

// May reports whether an account may use the address of a form, such as /quizzes/abc/launch.
func May(a *people.Account, method, path string) bool {
	path, _, _ = strings.Cut(path, "?")
	got := strings.Split(path, "/")
	for _, pattern := range parts()[method] {
		if fits(pattern, got) && !Held(a, route.Table[method+" "+strings.Join(pattern, "/")].Right) {
			return false
		}
	}
	return true
}

// fits reports whether a path is one of a pattern's.
func fits(pattern, path []string) bool {
	return slices.EqualFunc(pattern, path, func(want, got string) bool {
		return strings.HasPrefix(want, ":") || want == got
	})
}

// Guard lets through who has the right.
type Guard struct{ Store *store.Store }

// Check is what every address behind a sign-in passes: its right, the quiz that it is about, and the journal.
func (g *Guard) Check(c *gin.Context) {
	a := account.Of(c)
	rule, stated := route.Of(c.Request.Method, c.FullPath())
	if !stated || !Held(a, rule.Right) {
		forbid(c)
		return
	}
	id := ""
	if strings.HasPrefix(c.FullPath(), "/quizzes/:id") {
		id = c.Param("id")
		sees, err := g.Store.People.Sees(a, id)
		if err != nil {
			page.Failed(c, err)
			c.Abort()
			return
		}
		if !sees {
			page.NotFound(c)
			return
		}
	}
	named := ""
	if rule.Verb != "" && id != "" { // before it is done: what is deleted has no name any longer
		if q, err := g.Store.Documents.Quiz(id); err == nil {
			named = q.Name
		}
	}
	if a.Edits() {
		c.Next()
	} else {
		reading(c, a)
	}
	if rule.Verb != "" && succeeded(c) {
		g.note(c, a, rule.Verb, id, named)
	}
}

func forbid(c *gin.Context) {
	const why = "Your account can view but not edit this. Ask the owner for editing rights."
	if page.WantsJSON(c) {
		c.AbortWithStatusJSON(http.StatusForbidden, gin.H{"kind": "forbidden", "message": why})
		return
	}
	page.Fail(c, http.StatusForbidden, "You don’t have permission to do this", why)
}

// succeeded reports whether what was asked for was done: not answered with an error, and not led back to be told why
// not.
func succeeded(c *gin.Context) bool {
	to := c.Writer.Header().Get("Location")
	return c.Writer.Status() < 400 && !strings.Contains(to, "refused=")
}

func (g *Guard) note(c *gin.Context, a *people.Account, verb, quizID, quizName string) {
	l := people.JournalLine{AccountID: a.ID, Account: a.Email, Verb: verb, QuizID: quizID, Quiz: quizName}
	if said, ok := c.Get(account.JournalDetail); ok {
		l.Detail = said.(string)
	}
	if err := g.Store.People.Note(l); err != nil {
		_ = c.Error(err)
	}
}
