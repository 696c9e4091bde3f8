// Package home serves the list of quizzes.
package home

import (
	"embed"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"omphalos/app/account"
	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/store/documents"
	"omphalos/app/store/people"
	"omphalos/app/store/tallies"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
)

//go:embed *.html *.js
var files embed.FS

var ledger = page.New(files)

func init() { page.RegisterAssets(files, ".") }

// Handler answers the ledger and what is done to whole quizzes.
type Handler struct {
	Store  *store.Store
	Editor *edit.Editor
	Now    func() time.Time
}

// Routes adds the addresses of the room.
func (h *Handler) Routes(g gin.IRouter) {
	g.GET("/", h.show)
	g.POST("/quizzes", h.create)
	g.POST("/quizzes/:id/duplicate", h.duplicate)
	g.POST("/quizzes/:id/delete", h.delete)
	g.POST("/quizzes/:id/restore", h.restore)
	g.POST("/quizzes/:id/archive", h.archive(true))
	g.POST("/quizzes/:id/unarchive", h.archive(false))
	g.POST("/quizzes/:id/tags", h.tag)
	g.POST("/quizzes/:id/purge", h.purge)
}

type line struct {
	Quiz      documents.Quiz
	Questions int
	Outcomes  int
	State     string // draft, live, waits
	Edited    string
	Strip     []page.Mark
	Most      *page.Mark // where most ended; nil where no one has
	Spark     string     // points of a line in a 116 × 22 box
	Counts    *tallies.Counts
}

type view struct {
	Lines   []line
	Any     bool // there is a quiz, shown or not
	Chosen  choice
	States  []link
	Tags    []link
	Sorts   []link
	AllTags []string        // of any quiz, to choose from
	Aside   *documents.Quiz // just archived
	TagsNot *refusedTags
	Deleted *justDeleted
	Bin     []binnedQuiz
	Owner   bool   // anyone who looks owns the program
	Wrong   *wrong // passwords that were tried before this sign-in
}

// refusedTags are tags that could not be saved, as they were typed.
type refusedTags struct{ ID, Typed string }

// justDeleted is a quiz that was deleted a moment ago, with what went with it.
type justDeleted struct {
	ID, Name  string
	Link      string // that people may still follow; "" if it was never launched
	Responses int
	Day       string // until which it can be restored
}

// justDeleted reads a quiz of the bin; nil where it is not there any longer.
func (h *Handler) justDeleted(id string) (*justDeleted, error) {
	bin, err := h.Store.Documents.Bin()
	if err != nil {
		return nil, err
	}
	for _, q := range bin {
		if q.ID != id {
			continue
		}
		counts, err := h.Store.Tallies.QuizCounts(id, time.UTC)
		if err != nil {
			return nil, err
		}
		out := &justDeleted{ID: id, Name: q.Name, Responses: counts.Kept + counts.Past, Day: q.PurgeDay().Format("2 January")}
		if q.Slug != nil {
			out.Link = "/q/" + *q.Slug
		}
		return out, nil
	}
	return nil, nil
}

// binnedQuiz is a quiz in the bin.
type binnedQuiz struct {
	Quiz documents.Quiz
	Day  string // when it is purged
}

// wrong are passwords that did not fit.
type wrong struct {
	Count int
	Since string
}

func (h *Handler) show(c *gin.Context) {
	v, err := h.view(account.Of(c), readChoice(c))
	if err != nil {
		page.Failed(c, err)
		return
	}
	if id := c.Query("tagged"); id != "" {
		v.TagsNot = &refusedTags{ID: id, Typed: c.Query("typed")}
	}
	if id := c.Query("archived"); id != "" {
		if v.Aside, err = h.Store.Documents.Quiz(id); err != nil || v.Aside.ArchivedAt == nil {
			v.Aside = nil // it no longer exists, or back already
		}
	}
	if id := c.Query("deleted"); id != "" {
		if v.Deleted, err = h.justDeleted(id); err != nil {
			page.Failed(c, err)
			return
		}
	}
	if a := account.Of(c); a.Failed > 0 && a.FailedSince != nil {
		v.Wrong = &wrong{Count: a.Failed, Since: a.FailedSince.UTC().Format("2 January, 15:04 UTC")}
	}
	page.Render(
		c,
		http.StatusOK,
		ledger,
		page.Shell{Title: "Quizzes", Account: account.Of(c).Email, Scripts: []string{"home.js"}, Body: v},
	)
}

// view reads the ledger: quizzes and tallies, no response.
func (h *Handler) view(a *people.Account, chosen choice) (*view, error) {
	quizzes, err := h.Store.People.QuizzesOf(a)
	if err != nil {
		return nil, err
	}
	docs := map[string]*quiz.Document{}
	for _, q := range quizzes {
		if docs[q.ID], err = quiz.ReadStored(q.Document); err != nil {
			return nil, err
		}
	}
	counts, err := h.Store.Tallies.Counts(func(id string) *time.Location {
		if d := docs[id]; d != nil {
			return d.Zone()
		}
		return time.UTC
	})
	if err != nil {
		return nil, err
	}
	v := &view{Owner: a.IsOwner(), Chosen: chosen}
	for _, q := range quizzes {
		l, err := h.line(q, docs[q.ID], counts[q.ID])
		if err != nil {
			return nil, err
		}
		v.Lines = append(v.Lines, l)
	}
	v.arrange()
	bin, err := h.Store.Documents.Bin()
	for _, q := range bin {
		if sees, err := h.Store.People.Sees(a, q.ID); err != nil || !sees {
			continue // what cannot be looked up is not shown
		}
		v.Bin = append(v.Bin, binnedQuiz{Quiz: q, Day: q.PurgeDay().Format("2 January")})
	}
	return v, err
}

func (h *Handler) line(q documents.Quiz, d *quiz.Document, counts *tallies.Counts) (line, error) {
	l := line{
		Quiz:      q,
		State:     "draft",
		Edited:    ago(q.UpdatedAt, h.Now(), d.Zone()),
		Counts:    counts,
		Questions: len(d.Questions),
		Outcomes:  len(d.Outcomes),
	}
	if counts != nil {
		l.Strip, l.Spark = Strip(d, counts), spark(counts.Days[:])
		for i := range l.Strip {
			if m := &l.Strip[i]; m.Count > 0 && (l.Most == nil || m.Count > l.Most.Count) {
				l.Most = m
			}
		}
	}
	if q.LiveVersion == 0 {
		return l, nil
	}
	live, err := h.Store.Documents.VersionRevision(q.ID, q.LiveVersion)
	if err != nil {
		return l, err
	}
	if l.State = "live"; live < q.Revision {
		l.State = "waits"
	}
	return l, nil
}

// Strip returns the outcomes with their shares of the finished walks.
func Strip(d *quiz.Document, counts *tallies.Counts) []page.Mark {
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

// ago says when something was, by the clock of a zone.
func ago(t, now time.Time, zone *time.Location) string {
	t, now = t.In(zone), now.In(zone)
	day := func(t time.Time) string { return t.Format(time.DateOnly) }
	switch day(t) {
	case day(now):
		return "today, " + t.Format("15:04")
	case day(now.AddDate(0, 0, -1)):
		return "yesterday"
	}
	return t.Format("2 Jan")
}

func (h *Handler) create(c *gin.Context) {
	name := strings.TrimSpace(c.PostForm("name"))
	if name == "" {
		name = "Untitled quiz"
	}
	if utf8.RuneCountInString(name) > maxName {
		page.Fail(c, http.StatusUnprocessableEntity, "The name is too long", "Use at most 200 characters.")
		return
	}
	d := quiz.New(name)
	if _, err := time.LoadLocation(c.PostForm("zone")); err == nil && c.PostForm("zone") != "Local" {
		d.Settings.TimeZone = c.PostForm("zone") // the browser's own
	}
	text, err := json.Marshal(d)
	var q *documents.Quiz
	if err == nil {
		q, err = h.Editor.Create(workbench.Actor(c), text)
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+q.ID+"/script")
}

// maxName is how many characters the name of a quiz has at most.
const maxName = 200

func (h *Handler) duplicate(c *gin.Context) {
	q, err := h.Store.Documents.Quiz(c.Param("id"))
	var edited *quiz.Edited
	if err == nil {
		edited, err = quiz.Edit(q.Document, quiz.Patch{quiz.Add("/name", q.Name+" (copy)")})
	}
	if err == nil {
		_, err = h.Editor.Create(workbench.Actor(c), edited.Text)
	}
	if problem := edit.KindOf(err); problem == edit.Refused {
		page.Fail(c, http.StatusUnprocessableEntity, "Couldn’t duplicate the quiz", err.Error())
		return
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/")
}

func (h *Handler) delete(c *gin.Context) {
	q, err := h.Store.Documents.Quiz(c.Param("id"))
	if err == nil {
		err = h.Store.Documents.DeleteQuiz(q.ID)
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/?deleted="+q.ID+"&name="+url.QueryEscape(q.Name))
}

func (h *Handler) restore(c *gin.Context) {
	if err := h.Store.Documents.RestoreQuiz(c.Param("id")); err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/")
}

// purge erases a quiz in the bin permanently.
func (h *Handler) purge(c *gin.Context) {
	if err := h.Store.PurgeQuiz(c.Param("id")); err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/")
}
