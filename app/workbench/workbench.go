// Package workbench is the frame around the rooms in which a quiz is made: the top line, the rooms, the reach bar, and
// the one way that edits take.
package workbench

import (
	"embed"
	"encoding/json"
	"errors"
	"html/template"
	"io"
	"net/http"
	"net/url"
	"reflect"
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

func init() { page.RegisterAssets(files, ".") }

// Templates are the frame's templates, for a room to add its "sheet" to.
func Templates(room embed.FS, patterns ...string) *template.Template {
	return template.Must(page.New(files, "*.html").ParseFS(room, patterns...))
}

// Draft is a quiz as the rooms see it.
type Draft struct {
	Quiz     *store.Quiz
	Doc      *quiz.Document
	Problems quiz.Problems // what keeps it from being launched
	Marks    []page.Mark   // with shares of the responses so far
	Counts   *store.Counts
	Waits    int // edits since the live version
	Account  string
}

// Room is one view of a draft. Its template defines "sheet", executed with what View returns.
type Room struct {
	Key      string
	Title    string
	Template *template.Template
	Scripts  []string // modules to load
	View     func(d *Draft, query url.Values) (any, error)
	Count    func(d *Draft) string        // small figure beside the title
	Check    func(patch quiz.Patch) error // refuses an edit before it is stored; may be nil
}

// Bench answers the frame.
type Bench struct {
	Store    *store.Store
	Rooms    []Room
	counters counters
}

// frame is what the frame's templates draw.
type frame struct {
	*Draft
	Bench   *Bench
	Current string
	Sheet   any
}

// Routes adds the addresses of the frame and of every room.
func (b *Bench) Routes(g gin.IRouter) {
	g.GET("/quizzes/:id", func(c *gin.Context) { c.Redirect(http.StatusSeeOther, "/quizzes/"+c.Param("id")+"/script") })
	for _, room := range b.Rooms {
		g.GET("/quizzes/:id/"+room.Key, func(c *gin.Context) { b.show(c, &room) })
	}
	g.POST("/quizzes/:id/edits", b.edit)
	g.POST("/quizzes/:id/undo", b.history(b.Store.Undo))
	g.POST("/quizzes/:id/redo", b.history(b.Store.Redo))
	g.GET("/quizzes/:id/reach", b.reach)
}

// Load reads the quiz of the address as a draft; when there is none it answers and returns nil.
func (b *Bench) Load(c *gin.Context) *Draft {
	q, err := b.Store.Quiz(c.Param("id"))
	if err != nil {
		page.NotFound(c)
		return nil
	}
	d, err := b.draft(q)
	if err != nil {
		page.Fail(c, http.StatusInternalServerError, "The quiz could not be read", err.Error())
		return nil
	}
	d.Account = account.Of(c).Email
	return d
}

func (b *Bench) draft(q *store.Quiz) (*Draft, error) {
	doc, err := quiz.ReadDraft(q.Document)
	if err != nil {
		return nil, err
	}
	counts, err := b.Store.QuizCounts(q.ID, time.Now())
	if err != nil {
		return nil, err
	}
	d := &Draft{Quiz: q, Doc: doc, Problems: doc.LaunchProblems(), Marks: page.Marks(doc), Counts: counts}
	for i := range d.Marks {
		if d.Marks[i].Count = counts.Outcomes[d.Marks[i].ID]; counts.Finishes > 0 {
			d.Marks[i].Share = float64(d.Marks[i].Count) / float64(counts.Finishes)
		}
	}
	if q.LiveVersion > 0 {
		if live, err := b.Store.Version(q.ID, q.LiveVersion); err == nil {
			if d.Waits = q.Revision - live.Revision; d.Waits > 0 && sameDocument(live.Document, q.Document) {
				d.Waits = 0 // the edits since were all taken back
			}
		}
	}
	return d, nil
}

// sameDocument reports whether two texts are the same JSON.
func sameDocument(a, b []byte) bool {
	var x, y any
	return json.Unmarshal(a, &x) == nil && json.Unmarshal(b, &y) == nil && reflect.DeepEqual(x, y)
}

func (b *Bench) show(c *gin.Context, room *Room) {
	d := b.Load(c)
	if d == nil {
		return
	}
	f, err := b.frame(d, room, c.Request.URL.Query())
	if err != nil {
		page.Fail(c, http.StatusInternalServerError, "This room could not be drawn", err.Error())
		return
	}
	page.Render(c, http.StatusOK, room.Template, page.Shell{Title: d.Doc.Name + ": " + room.Title, Account: d.Account, Scripts: room.Scripts, Body: f})
}

func (b *Bench) frame(d *Draft, room *Room, query url.Values) (*frame, error) {
	sheet, err := room.View(d, query)
	return &frame{Draft: d, Bench: b, Current: room.Key, Sheet: sheet}, err
}

func (b *Bench) room(key string) *Room {
	for i := range b.Rooms {
		if b.Rooms[i].Key == key {
			return &b.Rooms[i]
		}
	}
	return &b.Rooms[0]
}

// request is what a room's script sends.
type request struct {
	Base  int             `json:"base"`
	Patch json.RawMessage `json:"patch"`
	Room  string          `json:"room"`
	Query string          `json:"query"`
	Whole bool            `json:"whole"` // wants the sheet drawn anew
}

// maxEdit bounds one edit.
const maxEdit = 2 << 20

func readRequest(c *gin.Context) (*request, bool) {
	body, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, maxEdit))
	var r request
	if err == nil {
		err = json.Unmarshal(body, &r)
	}
	if err != nil {
		c.JSON(http.StatusBadRequest, gin.H{"message": "The edit could not be read: " + err.Error()})
		return nil, false
	}
	return &r, true
}

func (b *Bench) edit(c *gin.Context) {
	r, ok := readRequest(c)
	if !ok {
		return
	}
	patch, err := quiz.ReadPatch(r.Patch)
	if err == nil {
		for _, room := range b.Rooms {
			if room.Check != nil && err == nil {
				err = room.Check(patch)
			}
		}
	}
	var q *store.Quiz
	if err == nil {
		q, err = b.Store.Edit(c.Param("id"), account.Of(c).ID, r.Base, patch)
	}
	b.answer(c, r, q, err)
}

func (b *Bench) history(step func(string, uint) (*store.Quiz, error)) gin.HandlerFunc {
	return func(c *gin.Context) {
		r, ok := readRequest(c)
		if !ok {
			return
		}
		r.Whole = true
		q, err := step(c.Param("id"), account.Of(c).ID)
		b.answer(c, r, q, err)
	}
}

// answer sends what changed on the page: the state of the frame, and the sheet when it was asked for.
func (b *Bench) answer(c *gin.Context, r *request, q *store.Quiz, err error) {
	var stale *store.Stale
	var problems quiz.Problems
	switch {
	case errors.As(err, &stale):
		q, rerr := b.Store.Quiz(c.Param("id"))
		if rerr != nil {
			c.JSON(http.StatusNotFound, gin.H{"message": "This quiz has been deleted."})
			return
		}
		r.Whole = true
		parts, d := b.parts(c, r, q)
		c.JSON(http.StatusConflict, gin.H{"revision": q.Revision, "name": q.Name, "parts": parts, "since": describe(d, stale.Since)})
		return
	case errors.As(err, &problems):
		c.JSON(http.StatusUnprocessableEntity, gin.H{"message": sentence(problems[0]), "where": problems[0].Where})
		return
	case errors.Is(err, store.ErrNothing):
		c.JSON(http.StatusUnprocessableEntity, gin.H{"message": "There is nothing to take back."})
		return
	case errors.Is(err, store.ErrNotFound):
		c.JSON(http.StatusNotFound, gin.H{"message": "This quiz has been deleted."})
		return
	case err != nil:
		c.JSON(http.StatusInternalServerError, gin.H{"message": "The edit could not be stored: " + err.Error()})
		return
	}
	parts, _ := b.parts(c, r, q)
	c.JSON(http.StatusOK, gin.H{"revision": q.Revision, "name": q.Name, "parts": parts})
}

func sentence(p quiz.Problem) string {
	s := strings.ToUpper(p.Message[:1]) + p.Message[1:] + "."
	if p.Mend != "" {
		s += " " + p.Mend
	}
	return s
}

func describe(d *Draft, since []store.Revision) []string {
	var out []string
	for _, rev := range since {
		if patch, err := quiz.ReadPatch(rev.Patch); err == nil && d != nil {
			out = append(out, d.Doc.Describe(patch))
		}
	}
	return out
}

// parts draws the pieces of the page by their element id.
func (b *Bench) parts(c *gin.Context, r *request, q *store.Quiz) (map[string]string, *Draft) {
	d, err := b.draft(q)
	if err != nil {
		return nil, nil
	}
	d.Account = account.Of(c).Email
	room := b.room(r.Room)
	query, _ := url.ParseQuery(strings.TrimPrefix(r.Query, "?")) // a query that cannot be read asks for nothing
	f, err := b.frame(d, room, query)
	if err != nil {
		return nil, d
	}
	draw := func(name string) string { return string(page.Execute(room.Template, name, f)) }
	parts := map[string]string{"state": draw("state"), "rooms": draw("rooms")}
	if r.Whole {
		parts["room"] = draw("sheet")
	}
	return parts, d
}

// Link is the address of a place in the workbench.
func Link(id, pointer string) string {
	room := "script"
	switch {
	case strings.HasPrefix(pointer, "/verdicts"), pointer == "/otherwise":
		room = "verdicts"
	case strings.HasPrefix(pointer, "/outcomes"):
		room = "endings"
	}
	return "/quizzes/" + id + "/" + room + "?at=" + url.QueryEscape(pointer)
}

// Link is the address of a place in this draft.
func (d *Draft) Link(pointer string) string { return Link(d.Quiz.ID, pointer) }

// Mark returns the mark of an outcome.
func (d *Draft) Mark(id string) page.Mark { return page.MarkOf(d.Marks, id) }

// CountOf is the small figure beside a room's title.
func (f *frame) CountOf(r Room) string {
	if r.Count == nil {
		return ""
	}
	return r.Count(f.Draft)
}
