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
	"strconv"
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
func Templates(room embed.FS) *template.Template {
	countries := template.FuncMap{"countries": func() []Option { return Countries }}
	return page.Parse(template.New("").Funcs(page.Funcs).Funcs(countries), page.Templates, files, room)
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
	Blocks   func(sheet any) []Block                            // pieces of what View returned, for a sheet that is too long to be drawn whole after an edit; may be nil
	Reach    func(v *Counted) (map[string]template.HTML, error) // pieces with shares, by element id; may be nil
	Count    func(d *Draft) string                              // small figure beside the title
	Keys     []Keys
	Check    func(patch quiz.Patch) error // refuses an edit before it is stored; may be nil
}

// Bench answers the frame.
type Bench struct {
	Store    *store.Store
	Rooms    []Room
	counters counters
	latest   latest
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
	g.POST("/quizzes/:id/since/:revision", b.since)
	g.GET("/quizzes/:id/assumed", b.showAssumed)
	g.POST("/quizzes/:id/assumed", b.typeShare)
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
	doc, err := b.latest.document(q)
	if err != nil {
		return nil, err
	}
	counts, err := b.Store.QuizCounts(q.ID, time.Now())
	if err != nil {
		return nil, err
	}
	d := &Draft{Quiz: q, Doc: doc, Problems: doc.LaunchProblems(), Marks: page.Marks(doc), Counts: counts}
	tables, err := b.Store.Tables(q.ID)
	if err != nil {
		return nil, err
	}
	d.Problems = append(d.Problems, tableProblems(doc, tables)...)
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
	Base  int               `json:"base"`
	Patch json.RawMessage   `json:"patch"`
	Room  string            `json:"room"`
	Query string            `json:"query"`
	Whole bool              `json:"whole"` // wants the sheet drawn anew
	Have  map[string]string `json:"have"`  // stamps of the blocks that the window shows, by key
	since []store.Revision  // what others have changed meanwhile
	did   []store.Revision  // what undo or redo has done
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
		q, r.since, err = b.Store.Edit(c.Param("id"), account.Of(c).ID, r.Base, patch)
		r.Whole = r.Whole || len(r.since) > 0
	}
	b.answer(c, r, q, err)
}

// since tells a window that waits what others have changed; 204 when nothing has.
func (b *Bench) since(c *gin.Context) {
	base, err := strconv.Atoi(c.Param("revision"))
	if err != nil {
		page.NotFound(c)
		return
	}
	r, ok := readRequest(c)
	if !ok {
		return
	}
	now, err := b.Store.Revision(c.Param("id"))
	switch {
	case errors.Is(err, store.ErrNotFound):
		c.JSON(http.StatusGone, gin.H{"message": "This quiz has been deleted."})
		return
	case err != nil:
		c.JSON(http.StatusInternalServerError, gin.H{"message": err.Error()})
		return
	case now == base:
		c.Status(http.StatusNoContent)
		return
	}
	q, err := b.Store.Quiz(c.Param("id"))
	r.Whole = true
	if err == nil {
		r.since, err = b.Store.EditsSince(q.ID, base)
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
		if err == nil {
			r.did, _ = b.Store.EditsSince(q.ID, q.Revision-1)
		}
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
		parts, blocks, d := b.parts(c, r, q)
		c.PureJSON(http.StatusConflict, gin.H{"revision": q.Revision, "name": q.Name, "parts": parts, "blocks": blocks, "since": describe(d, stale.Since)})
		return
	case errors.As(err, &problems):
		c.JSON(http.StatusUnprocessableEntity, gin.H{"message": sentence(problems[0]), "where": problems[0].Where})
		return
	case errors.Is(err, store.ErrNothingDone), errors.Is(err, store.ErrNothingUndone):
		c.JSON(http.StatusUnprocessableEntity, gin.H{"message": page.Sentence(err)})
		return
	case errors.Is(err, store.ErrNotFound):
		c.JSON(http.StatusNotFound, gin.H{"message": "This quiz has been deleted."})
		return
	case err != nil:
		c.JSON(http.StatusInternalServerError, gin.H{"message": "The edit could not be stored: " + err.Error()})
		return
	}
	parts, blocks, d := b.parts(c, r, q)
	answer := gin.H{"revision": q.Revision, "name": q.Name, "parts": parts, "blocks": blocks, "since": describe(d, r.since)}
	if len(r.did) == 1 {
		if patch, err := quiz.ReadPatch(r.did[0].Patch); err == nil && len(patch) > 0 {
			said := patch
			if r.did[0].Kind == store.KindUndo { // what it took back
				if said, err = quiz.ReadPatch(r.did[0].Inverse); err != nil {
					said = patch
				}
			}
			answer["did"], answer["at"], answer["link"] = d.Doc.Describe(said), patch[0].Path, d.Link(patch[0].Path)
		}
	}
	c.PureJSON(http.StatusOK, answer)
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

// parts draws the pieces of the page by their element id, and the sheet by its blocks where the room has them.
func (b *Bench) parts(c *gin.Context, r *request, q *store.Quiz) (map[string]string, []Block, *Draft) {
	d, err := b.draft(q)
	if err != nil {
		return nil, nil, nil
	}
	d.Account = account.Of(c).Email
	room := b.room(r.Room)
	f := &frame{Draft: d, Bench: b, Current: room.Key}
	if r.Whole {
		query, _ := url.ParseQuery(strings.TrimPrefix(r.Query, "?")) // a query that cannot be read asks for nothing
		if f, err = b.frame(d, room, query); err != nil {
			return nil, nil, d
		}
	}
	draw := func(name string) string { return string(page.Execute(room.Template, name, f)) }
	parts := map[string]string{"state": draw("state"), "rooms": draw("rooms")}
	if !r.Whole {
		return parts, nil, d
	}
	if len(r.Have) > 0 && room.Blocks != nil {
		if blocks := room.Blocks(f.Sheet); blocks != nil {
			return parts, missing(blocks, r.Have), d
		}
	}
	parts["room"] = draw("sheet")
	return parts, nil, d
}

// Link is the address of a place in the workbench.
func Link(id, pointer string) string {
	room, view := "script", ""
	switch {
	case strings.HasPrefix(pointer, "/translations/"):
		code, _, _ := strings.Cut(strings.TrimPrefix(pointer, "/translations/"), "/")
		view = "view=languages&in=" + url.QueryEscape(code) + "&"
	case strings.HasPrefix(pointer, "/verdicts"), pointer == "/otherwise":
		room = "verdicts"
	case strings.HasPrefix(pointer, "/outcomes"), strings.HasPrefix(pointer, "/recommendations"), strings.HasPrefix(pointer, "/theme"):
		room = "endings"
	}
	return "/quizzes/" + id + "/" + room + "?" + view + "at=" + url.QueryEscape(pointer)
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
