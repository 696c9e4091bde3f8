// Package home is the ledger of quizzes.
package home

import (
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/account"
	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/core/quiz"
)

//go:embed *.html *.js
var files embed.FS

var ledger = page.New(files)

func init() { page.RegisterAssets(files, ".") }

// Room answers the ledger and what is done to whole quizzes.
type Room struct {
	Store  *store.Store
	Forget func() // called when a quiz is deleted or comes back
}

// Routes adds the addresses of the room.
func (r *Room) Routes(g gin.IRouter) {
	g.GET("/", r.show)
	g.POST("/quizzes", r.create)
	g.POST("/quizzes/:id/duplicate", r.duplicate)
	g.POST("/quizzes/:id/delete", r.delete)
	g.POST("/quizzes/:id/restore", r.restore)
}

type line struct {
	Quiz      store.Quiz
	Questions int
	Outcomes  int
	State     string // draft, live, waits
	Waits     int    // edits since the live version
	Edited    string
	Strip     []page.Mark
	Spark     string // points of a line in a 116 × 22 box
	Counts    *store.Counts
}

type view struct {
	Lines   []line
	Deleted *store.Quiz // just now, to bring back
}

func (r *Room) show(c *gin.Context) {
	quizzes, err := r.Store.Quizzes()
	if err != nil {
		page.Fail(c, http.StatusInternalServerError, "The quizzes could not be read", err.Error())
		return
	}
	now := time.Now()
	counts, err := r.Store.Counts(now)
	if err != nil {
		page.Fail(c, http.StatusInternalServerError, "The responses could not be counted", err.Error())
		return
	}
	var v view
	for _, q := range quizzes {
		l := line{Quiz: q, State: "draft", Edited: ago(q.UpdatedAt, now), Counts: counts[q.ID]}
		if d, err := quiz.ReadDraft(q.Document); err == nil {
			l.Questions, l.Outcomes = len(d.Questions), len(d.Outcomes)
			if l.Counts != nil {
				l.Strip = Strip(d, l.Counts)
				l.Spark = spark(l.Counts.Days[:])
			}
		}
		if q.LiveVersion > 0 {
			l.State = "live"
			if live, err := r.Store.Version(q.ID, q.LiveVersion); err == nil && live.Revision < q.Revision {
				l.State, l.Waits = "waits", q.Revision-live.Revision
			}
		}
		v.Lines = append(v.Lines, l)
	}
	if id := c.Query("deleted"); id != "" {
		v.Deleted = &store.Quiz{ID: id, Name: c.Query("name")}
	}
	page.Render(c, http.StatusOK, ledger, page.Shell{Title: "Quizzes", Account: account.Of(c).Email, Scripts: []string{"home.js"}, Body: v})
}

// Strip returns the outcomes with their shares of the finished walks.
func Strip(d *quiz.Document, counts *store.Counts) []page.Mark {
	marks := page.Marks(d)
	for i := range marks {
		marks[i].Count = counts.Outcomes[marks[i].ID]
		if counts.Finishes > 0 {
			marks[i].Share = float64(marks[i].Count) / float64(counts.Finishes)
		}
	}
	return marks
}

func spark(days []int) string {
	top := 1
	for _, n := range days {
		top = max(top, n)
	}
	var b strings.Builder
	for i, n := range days {
		fmt.Fprintf(&b, "%d,%.1f ", i*4, 20-18*float64(n)/float64(top))
	}
	return strings.TrimSpace(b.String())
}

func ago(t, now time.Time) string {
	t = t.Local()
	day := func(t time.Time) string { return t.Format(time.DateOnly) }
	switch day(t) {
	case day(now):
		return "today, " + t.Format("15:04")
	case day(now.AddDate(0, 0, -1)):
		return "yesterday"
	}
	return t.Format("2 Jan")
}

func (r *Room) create(c *gin.Context) {
	name := strings.TrimSpace(c.PostForm("name"))
	if name == "" {
		name = "Untitled quiz"
	}
	if len(name) > 200 {
		page.Fail(c, http.StatusUnprocessableEntity, "That name is too long", "Use at most 200 characters.")
		return
	}
	q, err := r.Store.CreateQuiz(quiz.New(name))
	if err != nil {
		page.Fail(c, http.StatusInternalServerError, "The quiz could not be stored", err.Error())
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+q.ID+"/script")
}

func (r *Room) duplicate(c *gin.Context) {
	q, err := r.Store.Quiz(c.Param("id"))
	if err != nil {
		page.NotFound(c)
		return
	}
	name := q.Name + ", copy"
	edited, err := quiz.Edit(q.Document, quiz.Patch{{Op: "add", Path: "/name", Value: quoted(name)}})
	if err == nil {
		_, err = r.Store.CreateQuizText(name, edited.Text)
	}
	if err != nil {
		page.Fail(c, http.StatusInternalServerError, "The quiz could not be copied", err.Error())
		return
	}
	c.Redirect(http.StatusSeeOther, "/")
}

func quoted(s string) json.RawMessage {
	b, _ := json.Marshal(s) // a string always has its JSON
	return b
}

func (r *Room) delete(c *gin.Context) {
	q, err := r.Store.Quiz(c.Param("id"))
	if err == nil {
		err = r.Store.DeleteQuiz(q.ID)
	}
	if errors.Is(err, store.ErrNotFound) {
		page.NotFound(c)
		return
	}
	if err != nil {
		page.Fail(c, http.StatusInternalServerError, "The quiz could not be deleted", err.Error())
		return
	}
	r.Forget()
	c.Redirect(http.StatusSeeOther, "/?deleted="+q.ID+"&name="+url.QueryEscape(q.Name))
}

func (r *Room) restore(c *gin.Context) {
	if err := r.Store.RestoreQuiz(c.Param("id")); err != nil {
		page.NotFound(c)
		return
	}
	r.Forget()
	c.Redirect(http.StatusSeeOther, "/")
}
