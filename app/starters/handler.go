package starters

import (
	"embed"
	"net/http"

	"github.com/gin-gonic/gin"

	"omphalos/app/account"
	"omphalos/app/edit"
	"omphalos/app/page"
)

//go:embed *.html
var files embed.FS

var template = page.New(files)

// Handler answers the page of starters.
type Handler struct{ Editor *edit.Editor }

// WalkPrefix begins the key of the rehearsal in which a starter is walked.
const WalkPrefix = "starter-"

// Routes adds the addresses of the page.
func (h *Handler) Routes(g gin.IRouter) {
	g.GET("/starters", h.show)
	g.POST("/starters/:starter/take", h.take)
}

// view is the page.
type view struct {
	All    []Starter
	Chosen *Starter
	Walk   string // address of its walk
}

func (h *Handler) show(c *gin.Context) {
	v := view{All: All(), Chosen: Find(c.Query("s"))}
	if v.Chosen == nil {
		v.Chosen = &v.All[0]
	}
	v.Walk = "/rehearsal/" + WalkPrefix + v.Chosen.Key
	page.Render(c, http.StatusOK, template, page.Shell{Title: "Starters", Account: account.Of(c).Email, Body: v})
}

// take makes a quiz of a starter.
func (h *Handler) take(c *gin.Context) {
	s := Find(c.Param("starter"))
	if s == nil {
		page.NotFound(c)
		return
	}
	q, err := h.Editor.Create(edit.Actor{Account: account.Of(c).ID}, s.Text)
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Set(account.JournalDetail, "from the example "+s.Key)
	c.Redirect(http.StatusSeeOther, "/quizzes/"+q.ID+"/script")
}
