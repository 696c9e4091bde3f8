// Package leads is the room for responses: statistics, the list of people, a single respondent, and exports.
package leads

import (
	"embed"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/cache"
	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
	"omphalos/app/workbench"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

var templates = workbench.Templates(files)

// Handler is the Leads room: its view in the workbench, and the export.
type Handler struct {
	Store *store.Store
	Bench *workbench.Handler
	Now   func() time.Time

	onwards *cache.Cache[onwardKey, map[string][]wayOn]
}

// onwardMemory is how many bytes where people went on takes at most.
const onwardMemory = 1 << 20

// New makes the room.
func New(s *store.Store, bench *workbench.Handler, now func() time.Time) *Handler {
	return &Handler{Store: s, Bench: bench, Now: now, onwards: cache.New[onwardKey, map[string][]wayOn](onwardMemory)}
}

// Room is the handler's view in the workbench.
func (h *Handler) Room() workbench.Room {
	return workbench.Room{
		Key: "leads", Title: "Leads", Scripts: []string{"leads.js"}, Template: templates,
		View:  func(d *workbench.Draft, query url.Values) (any, error) { return h.view(d, query) },
		Reach: h.expect,
		Count: func(d *workbench.Draft) string {
			if d.Counts.Leads == 0 {
				return ""
			}
			return page.Thousands(d.Counts.Leads)
		},
	}
}

// Routes adds the addresses of the room that are not the workbench's.
func (h *Handler) Routes(g gin.IRouter) {
	for form := range forms {
		g.GET("/quizzes/:id/leads."+form, h.export(form))
	}
	g.GET("/quizzes/:id/leads/came", h.pollCounts)
	g.POST("/quizzes/:id/leads/:lead/take-in", h.takeIn)
	g.POST("/quizzes/:id/leads/:lead/delete", h.delete)
	g.POST("/quizzes/:id/leads/:lead/deal", h.setDeal)
	g.POST("/quizzes/:id/leads/filters", h.keepFilter)
	g.POST("/quizzes/:id/leads/filters/drop", h.dropFilter)
	g.POST("/quizzes/:id/leads/keeping", h.keeping)
	g.POST("/quizzes/:id/leads/results", h.makeResults)
	g.POST("/quizzes/:id/leads/results/revoke", h.revokeResults)
	g.GET("/quizzes/:id/leads/bring-in", h.bringIn)
	g.POST("/quizzes/:id/leads/bring-in", h.previewPast)
	g.POST("/quizzes/:id/leads/bring-in/take", h.takePast)
	g.POST("/quizzes/:id/imports/:import/take-out", h.takeOut)
	g.POST("/quizzes/:id/deals", h.previewDeals)
	g.POST("/quizzes/:id/deals/take", h.takeDeals)
}

// Public adds the page of results, which is shown to anyone who has its address.
func (h *Handler) Public(g gin.IRouter) { g.GET("/results/:key", h.results) }

// Came names how many have come, for windows that follow: it is another text after every response and deletion.
func (v *view) Came() string { return countsStamp(v.Draft.Counts) }

func countsStamp(c *tallies.Counts) string {
	return fmt.Sprintf("%d %d %d", c.Finishes, c.Kept, c.Aside)
}

// pollCounts answers with what a window compares with its own.
func (h *Handler) pollCounts(c *gin.Context) {
	counts, err := h.Store.Tallies.QuizCounts(c.Param("id"), time.UTC) // tallies alone: it is asked for all the time
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.JSON(http.StatusOK, gin.H{"came": countsStamp(counts)})
}

// takeIn counts a response that was set aside.
func (h *Handler) takeIn(c *gin.Context) {
	if err := h.Store.Responses.TakeIn(c.Param("id"), c.Param("lead")); err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+c.Param("id")+"/leads?lead="+c.Param("lead"))
}

// delete erases a response permanently.
func (h *Handler) delete(c *gin.Context) {
	if err := h.Store.Responses.DeleteResponse(c.Param("id"), c.Param("lead")); err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+c.Param("id")+"/leads?deleted=1")
}

// pageSize is how many responses the table shows at once.
const pageSize = 25

// view is what the room shows.
type view struct {
	Draft     *workbench.Draft
	Marks     []page.Mark // of every outcome that someone ended at, or can
	Rare      []page.Mark // of those, where there are many: under 1%
	Columns   []column
	Sort      responses.Sort
	public    bool       // it is shown to anyone who has its address: figures alone, and nothing that leads to people
	kept      url.Values // of the address: what is filtered, sorted and shown
	Leads     []lead
	Person    *person
	Here      template.URL // parameters of the page that is shown
	Older     template.URL // parameters of the next page, "" for none
	Newer     template.URL
	Total     int
	Qualified int
	Aside     bool // those set aside are shown
	View      string
	Views     []tab
	Chips     []chip
	Filter    template.URL // parameters of what is filtered
	Search    string
	Says      []answerLink // answers whose words hold what is searched for
	Whole     *overview
	Chosen    *chosen // what a filter chooses, in figures
	period    string  // days of the chart, as asked for
	Questions []questionView
	Scores    *scoresView
	Won       *wonView
	Kept      []keptFilter
	Beside    *beside
	Replay    *replayView
	Deleted   bool // a response has just been
	Refused   string
}

func (h *Handler) view(d *workbench.Draft, query url.Values) (*view, error) {
	v := &view{
		Draft:   d,
		Aside:   query.Get("aside") != "",
		Deleted: query.Get("deleted") != "",
		Refused: query.Get("refused"),
		Total:   d.Counts.Kept + d.Counts.Past,
	}
	if err := h.outcomes(v); err != nil {
		return nil, err
	}
	which := responses.Genuine
	if v.Aside {
		which, v.Total = responses.Aside, d.Counts.Aside
	}
	filter := v.filtered(query)
	v.period = query.Get("days")
	reader := h.Store.Responses.Reader(d.Quiz.ID, which).Only(filter).Sorted(v.Sort)
	if len(v.Chips) > 0 {
		n, err := reader.Count()
		if err != nil {
			return nil, err
		}
		v.Total = n
	}
	responses, err := h.page(v, reader, query)
	if err != nil {
		return nil, err
	}
	if len(v.Chips) > 0 && v.View == "" {
		if v.Chosen, err = h.newChosen(v, reader); err != nil {
			return nil, err
		}
	}
	if err := h.figures(v, filter, query); err != nil {
		return nil, err
	}
	if err := h.lines(v, responses); err != nil {
		return nil, err
	}
	if v.Kept, err = h.keptFilters(d.Quiz.ID); err != nil {
		return nil, err
	}
	if v.Beside, err = h.readBeside(v); err != nil {
		return nil, err
	}
	v.Says = answersThatSay(d.Doc, v.Search)
	chosen := query.Get("lead")
	if chosen == "" && len(responses) > 0 {
		chosen = responses[0].ID
	}
	if chosen == "" {
		return v, nil
	}
	v.Person, err = h.person(d, chosen)
	return v, err
}

// People says how many there are. Of those that a search finds, so many are counted.
func (v *view) People() string {
	if v.Search != "" && v.Total > responses.MostCounted {
		return "more than " + page.Thousands(responses.MostCounted) + " people"
	}
	if v.Total == 1 {
		return "1 person"
	}
	return page.Thousands(v.Total) + " people"
}

// outcomes counts what responses came to by the versions that they belong to: an outcome that the draft has no longer
// keeps its name and its people.
func (h *Handler) outcomes(v *view) error {
	d := v.Draft
	v.Marks = append(v.Marks, d.Marks...)
	for version, counts := range d.Counts.Versions {
		doc, err := h.Store.Documents.VersionDocument(d.Quiz.ID, version)
		if err != nil {
			return err
		}
		for id, n := range counts {
			if o := doc.Outcome(id); o != nil && o.Qualified {
				v.Qualified += n
			}
		}
	}
	for id, n := range d.Counts.Outcomes {
		if d.Doc.Outcome(id) != nil {
			continue
		}
		m := d.Mark(id)
		m.Count, m.Share = n, float64(n)/float64(d.Counts.Finishes)
		for version := range d.Counts.Versions {
			if doc, err := h.Store.Documents.VersionDocument(d.Quiz.ID, version); err == nil && doc.Outcome(id) != nil {
				m.Name = doc.OutcomeName(id)
			}
		}
		v.Marks = append(v.Marks, m)
	}
	v.fold()
	return nil
}

// manyMarks is from how many outcomes on those that hardly anyone ended at are folded away.
const manyMarks = 8

func (v *view) fold() {
	if len(v.Marks) < manyMarks {
		return
	}
	rare := func(m page.Mark) bool { return m.Share < 0.01 }
	for _, m := range v.Marks {
		if rare(m) {
			v.Rare = append(v.Rare, m)
		}
	}
	v.Marks = slices.DeleteFunc(v.Marks, rare)
}

// page reads the responses of one page of the table: the newest, or those before or after a place.
func (h *Handler) page(v *view, r *responses.Reader, query url.Values) ([]responses.Response, error) {
	before, err := responses.ParseCursor(query.Get("before"))
	if err != nil {
		before = responses.Cursor{} // a place that cannot be read is the beginning
	}
	after, err := responses.ParseCursor(query.Get("after"))
	if err != nil {
		after = responses.Cursor{}
	}
	place := func(name string, one *responses.Response) template.URL {
		c, failed := r.CursorOf(one)
		err = errors.Join(err, failed)
		return parameter(name, c)
	}
	var list []responses.Response
	if after.ID != "" {
		if list, err = r.After(after, pageSize+1); err != nil {
			return nil, err
		}
		if len(list) > pageSize {
			list = list[len(list)-pageSize:]
			v.Newer = place("after", &list[0])
		}
		if len(list) > 0 {
			v.Older = place("before", &list[len(list)-1])
		}
		v.Here = parameter("after", after)
		return list, err
	}
	if list, err = r.Before(before, pageSize+1); err != nil {
		return nil, err
	}
	if len(list) > pageSize {
		list = list[:pageSize]
		v.Older = place("before", &list[pageSize-1])
	}
	if before.ID != "" {
		v.Here = parameter("before", before)
		if len(list) > 0 {
			v.Newer = place("after", &list[0])
		}
	}
	return list, err
}

// parameter is a place in the list for an address; its text needs no escaping.
func parameter(name string, c responses.Cursor) template.URL {
	return template.URL(name + "=" + c.String())
}
