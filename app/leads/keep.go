package leads

import (
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store/database"
	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
)

// next to is what stands below the people: filters with a name, how long responses are kept, what was imported, and
// the page of results.
type beside struct {
	Keeping keepingView
	Imports []importLine
	Results string // address of the page of results; "" for none
	Limited []chip // whom that page shows; none is everyone
}

// keepingView is how long responses are kept, and what that means now.
type keepingView struct {
	Days     int
	What     string
	Tomorrow int // of how many something is forgotten within a day
}

type importLine struct {
	responses.Import
	When string
}

// readBeside reads what stands below the people.
func (h *Handler) readBeside(v *view) (*beside, error) {
	q := v.Draft.Quiz
	out := &beside{Keeping: keepingView{Days: q.KeepDays, What: quiz.FirstOf(q.KeepWhat, responses.ForgetContact)}}
	if q.KeepDays > 0 {
		n, err := h.Store.Responses.Due(q.ID, q.KeepDays, q.KeepWhat, h.Now(), h.Now().Add(24*time.Hour))
		if err != nil {
			return nil, err
		}
		out.Keeping.Tomorrow = n
	}
	imports, err := h.Store.Responses.Imports(q.ID)
	if err != nil {
		return nil, err
	}
	for _, in := range imports {
		out.Imports = append(out.Imports, importLine{in, in.At.In(v.Draft.Zone).Format("2 Jan 2006, 15:04")})
	}
	l, err := h.Store.Responses.ResultLink(q.ID)
	if err != nil {
		return nil, err
	}
	if l != nil {
		out.Results = "/results/" + l.Key
		if limited, err := url.ParseQuery(l.Query); err == nil {
			only := &view{Draft: v.Draft}
			only.filtered(limited)
			out.Limited = only.Chips
		}
	}
	return out, nil
}

// keptFilter is a choice of people with a name.
type keptFilter struct {
	Name  string
	Query template.URL // of an address: escaped when it was kept
}

func (h *Handler) keptFilters(quizID string) ([]keptFilter, error) {
	list, err := h.Store.Responses.KeptFilters(quizID)
	var out []keptFilter
	for _, f := range list {
		query, bad := url.ParseQuery(f.Query)
		if bad == nil {
			out = append(out, keptFilter{f.Name, template.URL(query.Encode())})
		}
	}
	return out, err
}

// maxFilterName bounds the name of a filter.
const maxFilterName = 60

// keepFilter gives the filter of an address a name.
func (h *Handler) keepFilter(c *gin.Context) {
	name := strings.TrimSpace(c.PostForm("name"))
	query, err := url.ParseQuery(c.PostForm("query"))
	if name == "" || utf8.RuneCountInString(name) > maxFilterName || err != nil {
		page.Fail(c, http.StatusBadRequest, "Couldn’t save the filter",
			fmt.Sprintf("Go back and type a name of up to %d characters.", maxFilterName))
		return
	}
	d := h.Bench.Load(c)
	if d == nil {
		return
	}
	v := &view{Draft: d}
	v.filtered(query) // what it does not know is not kept
	err = h.Store.Responses.KeepFilter(&responses.KeptFilter{QuizID: d.Quiz.ID, Name: name, Query: string(v.Filter)})
	if errors.Is(err, database.ErrFull) {
		page.Fail(
			c,
			http.StatusUnprocessableEntity,
			"There are many filters already",
			fmt.Sprintf(
				"A quiz keeps up to %d filters. Delete one of them, then save this one.",
				responses.MaxKeptFilters,
			),
		)
		return
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+d.Quiz.ID+"/leads?"+string(v.Filter))
}

func (h *Handler) dropFilter(c *gin.Context) {
	if err := h.Store.Responses.DropFilter(c.Param("id"), c.PostForm("name")); err != nil && !database.IsNotFound(err) {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+c.Param("id")+"/leads")
}

// keeping sets how long responses are kept, and carries it out at once.
func (h *Handler) keeping(c *gin.Context) {
	days, err := strconv.Atoi(quiz.FirstOf(strings.TrimSpace(c.PostForm("days")), "0"))
	if err != nil {
		err = responses.ErrKeeping
	} else {
		err = h.Store.Responses.SetKeeping(c.Param("id"), days, c.PostForm("what"))
	}
	if err != nil && !errors.Is(err, responses.ErrKeeping) {
		page.Failed(c, err)
		return
	}
	if err != nil {
		page.Fail(
			c,
			http.StatusBadRequest,
			"This isn’t a number of days",
			fmt.Sprintf("Go back and type a number from 1 to %d, or leave the field empty to keep responses "+
				"permanently.", responses.MostKeptDays),
		)
		return
	}
	if err := h.Store.Responses.ForgetOld(); err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+c.Param("id")+"/leads#beside")
}

// makeResults makes the address of the page of results, and revokeResults ends it.
func (h *Handler) makeResults(c *gin.Context) {
	query, err := url.ParseQuery(c.PostForm("query"))
	if err != nil {
		query = nil // no one's form wrote it
	}
	d := h.Bench.Load(c)
	if d == nil {
		return
	}
	v := &view{Draft: d}
	v.filtered(query) // what it does not know is not kept
	if len(v.Chips) == 0 {
		v.Filter = "" // an order or columns choose no one
	}
	if _, err := h.Store.Responses.MakeResultLink(d.Quiz.ID, string(v.Filter)); err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+c.Param("id")+"/leads#beside")
}

func (h *Handler) revokeResults(c *gin.Context) {
	if err := h.Store.Responses.RevokeResultLink(c.Param("id")); err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+c.Param("id")+"/leads#beside")
}

// takeOut deletes an import.
func (h *Handler) takeOut(c *gin.Context) {
	if err := h.Store.Responses.TakeOut(c.Param("id"), c.Param("import")); err != nil && !database.IsNotFound(err) {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+c.Param("id")+"/leads#beside")
}

// results is the page of figures without people, for anyone who has its address.
func (h *Handler) results(c *gin.Context) {
	q, limited, err := h.Store.Responses.ResultsOf(c.Param("key"))
	if database.IsNotFound(err) {
		page.NotFound(c)
		return
	}
	var d *workbench.Draft
	if err == nil {
		d, err = h.Bench.Of(q)
	}
	v := &view{Draft: d, public: true}
	if err == nil {
		err = h.outcomes(v)
	}
	if err == nil {
		err = h.resultsOf(v, limited)
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Header("X-Robots-Tag", "noindex")
	c.Header("Cache-Control", "no-store")
	c.Header("Referrer-Policy", "no-referrer")
	c.Data(http.StatusOK, "text/html; charset=utf-8", page.Execute(templates, "results", map[string]any{
		"V": v, "At": h.Now().In(d.Zone).Format("2 January 2006, 15:04"),
	}))
}

// resultsOf fills in the figures of all, or of those whom the filter of the link chooses. The address of the page
// chooses no one: anyone who has it could else single people out.
func (h *Handler) resultsOf(v *view, limited string) error {
	query, err := url.ParseQuery(limited)
	if err != nil {
		return err
	}
	filter := v.filtered(query)
	if len(v.Chips) > 0 {
		v.Chosen, err = h.newChosen(v, h.Store.Responses.Reader(v.Draft.Quiz.ID, responses.Genuine).Only(filter))
		return err
	}
	if v.Whole, err = h.newWhole(v); err == nil {
		v.Questions, err = h.questions(v)
	}
	return err
}
