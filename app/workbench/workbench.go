// Package workbench is the frame around the rooms of a quiz: the header, the navigation, the Reach bar, and the updates
// that a window gets after an edit.
package workbench

import (
	"embed"
	"html/template"
	"io/fs"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/account"
	"omphalos/app/cache"
	"omphalos/app/counting"
	"omphalos/app/edit"
	"omphalos/app/limits"
	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
	"omphalos/app/store/people"
	"omphalos/app/store/tallies"
	"omphalos/core/quiz"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

// Templates are the frame's templates, for a room to add its "sheet" to.
func Templates(rooms ...fs.FS) *page.Set {
	countries := template.FuncMap{"countries": func() []Option { return Countries }}
	return page.Parse(countries, append([]fs.FS{page.Templates, files}, rooms...)...)
}

// Draft is a quiz as the rooms see it.
type Draft struct {
	Quiz     *documents.Quiz
	Doc      *quiz.Document
	Tables   []documents.Table // next to the quiz
	Problems quiz.Problems     // what keeps it from being launched
	Marks    []page.Mark       // with shares of the responses so far
	Counts   *tallies.Counts
	Changes  []quiz.Difference // since the live version
	History  documents.History
	Account  string
	Zone     *time.Location // of the quiz: days and times are shown in it
}

// Moment writes a time as the quiz's clock shows it.
func (d *Draft) Moment(t time.Time) string { return t.In(d.Zone).Format("2 Jan, 15:04") }

// MailState says how a mail went.
func (d *Draft) MailState(m *deliveries.Mail) string {
	switch m.State {
	case deliveries.DeliverySent:
		return "sent"
	case deliveries.DeliveryFailed:
		return "Not delivered: " + m.Said
	case deliveries.DeliveryWaiting:
		return "Due " + d.Moment(m.Next)
	case deliveries.MailAside:
		return "On hold, because the response is set aside"
	}
	return m.Said
}

// Room is one view of a draft. Its template defines "sheet", executed with what View returns.
type Room struct {
	Key      string
	Title    string
	Template *page.Set
	Scripts  []string // modules to load
	View     func(d *Draft, query url.Values) (any, error)
	// Blocks are the pieces of what View returned, for a sheet that is too long to be drawn whole after an edit; may
	// be nil.
	Blocks func(sheet any) []Block
	// Reach draws the pieces with shares, by element id; may be nil.
	Reach func(v *Counted) (map[string]template.HTML, error)
	Count func(d *Draft) string // small figure next to the title
	Keys  []Keys
}

// Handler answers the frame.
type Handler struct {
	Store  *store.Store
	Editor *edit.Editor
	Counts *counting.Counts
	Rooms  []Room
	drafts *cache.Cache[draftKey, *quiz.Document]
	live   *cache.Cache[draftKey, *liveVersion]
	here   here
	looks  *cache.Cache[lookKey, look]

	listening limits.Seats // of windows, whichever quiz they have open

	Closing <-chan struct{} // closed when the server ends; nil never is
}

type draftKey struct {
	quiz     string
	revision int
}

// Bounds of the drafts that are remembered: an edit, the count after it and the next edit are about the same one.
const (
	draftMemory = 64 << 20
	draftWeight = 4 // bytes of memory that a byte of a document's text takes once it is read, about
)

// New makes the handler; its rooms are added when they are there.
func New(s *store.Store, e *edit.Editor, n *counting.Counts) *Handler {
	return &Handler{
		Store:  s,
		Editor: e,
		Counts: n,
		drafts: cache.New[draftKey, *quiz.Document](draftMemory),
		live:   cache.New[draftKey, *liveVersion](draftMemory),
		looks:  cache.New[lookKey, look](lookMemory),

		listening: limits.Seats{Most: limits.Listening},
	}
}

// frame is what the frame's templates draw.
type frame struct {
	*Draft
	Bench   *Handler
	Current string
	Sheet   any
}

// Routes adds the addresses of the frame and of every room.
func (h *Handler) Routes(g gin.IRouter) {
	g.GET(
		"/quizzes/:id",
		func(c *gin.Context) { c.Redirect(http.StatusSeeOther, "/quizzes/"+c.Param("id")+"/script") },
	)
	for _, room := range h.Rooms {
		g.GET("/quizzes/:id/"+room.Key, func(c *gin.Context) { h.show(c, &room) })
	}
	g.POST("/quizzes/:id/edits", h.edit)
	g.POST("/quizzes/:id/undo", h.history(h.Editor.Undo))
	g.POST("/quizzes/:id/redo", h.history(h.Editor.Redo))
	g.GET("/quizzes/:id/reach", h.Counting(h.reach))
	g.POST("/quizzes/:id/since/:revision", h.othersSince)
	g.GET("/quizzes/:id/events", h.events)
	g.GET("/quizzes/:id/fields", h.fields)
	g.GET("/quizzes/:id/others", h.others)
	g.GET("/quizzes/:id/assumed", h.showAssumed)
	g.POST("/quizzes/:id/assumed", h.typeShare)
}

// Actor is who asks.
func Actor(c *gin.Context) edit.Actor { return edit.Actor{Account: account.Of(c).ID} }

// Load reads the quiz of the address as a draft; when that fails it answers and returns nil.
func (h *Handler) Load(c *gin.Context) *Draft {
	q, err := h.Store.Documents.Quiz(c.Param("id"))
	var d *Draft
	if err == nil {
		d, err = h.draft(q, account.Of(c))
	}
	if err != nil {
		page.Failed(c, err)
		return nil
	}
	return d
}

// Of is the draft of a quiz for someone without an account.
func (h *Handler) Of(q *documents.Quiz) (*Draft, error) { return h.draft(q, &people.Account{}) }

// document reads the document of a draft. Documents are never changed once they are read: all who ask share one.
func (h *Handler) document(q *documents.Quiz) (*quiz.Document, error) {
	return h.drafts.Get(draftKey{q.ID, q.Revision}, func() (*quiz.Document, int, error) {
		if q.Read != nil {
			return q.Read, draftWeight * len(q.Document), nil
		}
		d, err := quiz.ReadStored(q.Document)
		return d, draftWeight * len(q.Document), err
	})
}

func (h *Handler) draft(q *documents.Quiz, who *people.Account) (*Draft, error) {
	doc, err := h.document(q)
	if err != nil {
		return nil, err
	}
	d := &Draft{Quiz: q, Doc: doc, Marks: page.Marks(doc), Account: who.Email, Zone: doc.Zone()}
	if d.Counts, err = h.Store.Tallies.QuizCounts(q.ID, d.Zone); err != nil {
		return nil, err
	}
	if d.History, err = h.Store.Documents.History(q.ID, who.ID); err != nil {
		return nil, err
	}
	if d.Tables, err = h.Store.Documents.Tables(q.ID); err != nil {
		return nil, err
	}
	d.Problems = edit.Problems(doc, d.Tables)
	for i := range d.Marks {
		if d.Marks[i].Count = d.Counts.Outcomes[d.Marks[i].ID]; d.Counts.Finishes > 0 {
			d.Marks[i].Share = float64(d.Marks[i].Count) / float64(d.Counts.Finishes)
		}
	}
	d.Changes, err = h.changes(q, doc)
	return d, err
}

// changes are what the draft has otherwise than the live version.
func (h *Handler) changes(q *documents.Quiz, doc *quiz.Document) ([]quiz.Difference, error) {
	if q.LiveVersion == 0 {
		return nil, nil
	}
	live, err := h.live.Get(draftKey{q.ID, q.LiveVersion}, func() (*liveVersion, int, error) {
		v, err := h.Store.Documents.Version(q.ID, q.LiveVersion)
		if err != nil {
			return nil, 0, err
		}
		d, err := quiz.ReadStored(v.Document)
		if err != nil {
			return nil, 0, err
		}
		tree, err := quiz.NewTree(d, v.Document)
		return &liveVersion{v.Revision, tree}, 2 * draftWeight * len(v.Document), err
	})
	if err != nil || live.revision == q.Revision {
		return nil, err
	}
	draft, err := quiz.NewTree(doc, q.Document)
	if err != nil {
		return nil, err
	}
	return quiz.Differences(live.tree, draft), nil
}

// liveVersion is a version that runs, read to be compared with the draft after each edit.
type liveVersion struct {
	revision int
	tree     *quiz.Tree
}

// modules are what the script of every room imports: named in the page, they come side by side, not one after another.
var modules = []string{
	"vendor/alpine.js", "vendor/idiomorph.js", "workbench.js", "frame.js", "edits.js", "behaviours.js", "keys.js", "draw.js",
	"bar.js", "queue.js", "store.js", "place.js", "newline.js", "waiting.js", "clash.js", "steps.js", "fields.js", "signin.js",
	"events.js", "beside.js", "mend.js", "refused.js", "parts.js", "number.js",
}

func (h *Handler) show(c *gin.Context, room *Room) {
	d := h.Load(c)
	if d == nil {
		return
	}
	f, err := h.frame(d, room, c.Request.URL.Query())
	if err != nil {
		page.Failed(c, err)
		return
	}
	page.Render(c, http.StatusOK, room.Template, page.Shell{
		Title: d.Doc.Name + ": " + room.Title, Account: d.Account, Scripts: room.Scripts, Preload: modules, Body: f,
	})
}

func (h *Handler) frame(d *Draft, room *Room, query url.Values) (*frame, error) {
	sheet, err := room.View(d, query)
	return &frame{Draft: d, Bench: h, Current: room.Key, Sheet: sheet}, err
}

func (h *Handler) room(key string) *Room {
	for i := range h.Rooms {
		if h.Rooms[i].Key == key {
			return &h.Rooms[i]
		}
	}
	return &h.Rooms[0]
}

// RoomOf is the key of the room in which a place of the document is edited.
func RoomOf(pointer string) string {
	switch {
	case strings.HasPrefix(pointer, "/verdicts"), pointer == "/otherwise":
		return "verdicts"
	case strings.HasPrefix(pointer, "/messages"):
		return "messages"
	case strings.HasPrefix(pointer, "/checks"):
		return "rehearse"
	case strings.HasPrefix(pointer, "/outcomes"),
		strings.HasPrefix(pointer, "/recommendations"),
		strings.HasPrefix(pointer, "/theme"):
		return "endings"
	}
	return "script"
}

// Link is the address of a place in the workbench.
func Link(id, pointer string) string {
	view := ""
	if texts, ok := strings.CutPrefix(pointer, "/translations/"); ok {
		code, _, _ := strings.Cut(texts, "/")
		view = "view=languages&in=" + url.QueryEscape(code) + "&"
	}
	return "/quizzes/" + id + "/" + RoomOf(pointer) + "?" + view + "at=" + url.QueryEscape(pointer)
}

// Link is the address of a place in this draft.
func (d *Draft) Link(pointer string) string { return Link(d.Quiz.ID, d.Doc.Ref(pointer)) }

// Mark returns the mark of an outcome.
func (d *Draft) Mark(id string) page.Mark { return page.MarkOf(d.Marks, id) }

// CountOf is the small figure next to a room's title.
func (f *frame) CountOf(r Room) string {
	if r.Count == nil {
		return ""
	}
	return r.Count(f.Draft)
}
