package account

import (
	"embed"
	"errors"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store/documents"
	"omphalos/app/store/people"
	"omphalos/core/sheet"
)

//go:embed journal.html
var journalFile embed.FS

var journalPage = page.New(journalFile)

// journalView is who did what.
type journalView struct {
	Lines   []journalLine
	People  []people.Account
	Verbs   []string
	Quizzes []documents.Quiz
	Filter  people.JournalFilter
	Older   template.URL // query of the next page, "" for none
	Query   template.URL // of what is chosen
}

type journalLine struct {
	people.JournalLine
	When string
}

const journalPageLines = 100

// journalRoutes adds the addresses of the journal.
func (h *Handler) journalRoutes(g gin.IRouter) {
	g.GET("/journal", h.journal)
	g.GET("/journal.csv", h.journalCSV)
}

func journalFilter(c *gin.Context) people.JournalFilter {
	account, _ := strconv.ParseUint(c.Query("who"), 10, 32) // 0 is anyone
	before, _ := strconv.ParseUint(c.Query("before"), 10, 32)
	return people.JournalFilter{
		Account: uint(account),
		Verb:    c.Query("verb"),
		Quiz:    c.Query("quiz"),
		Before:  uint(before),
	}
}

func (h *Handler) journal(c *gin.Context) {
	v := journalView{Filter: journalFilter(c)}
	list, err := h.Store.People.Journal(v.Filter, journalPageLines+1)
	var errs []error
	errs = append(errs, err)
	v.People, err = h.Store.People.Accounts()
	errs = append(errs, err)
	v.Verbs, err = h.Store.People.JournalVerbs()
	errs = append(errs, err)
	v.Quizzes, err = h.Store.Documents.Quizzes()
	if err := errors.Join(append(errs, err)...); err != nil {
		page.Failed(c, err)
		return
	}
	query := url.Values{}
	for _, name := range []string{"who", "verb", "quiz"} {
		if q := c.Query(name); q != "" {
			query.Set(name, q)
		}
	}
	v.Query = template.URL(query.Encode())
	if len(list) > journalPageLines {
		list = list[:journalPageLines]
		query.Set("before", strconv.Itoa(int(list[len(list)-1].ID)))
		v.Older = template.URL(query.Encode())
	}
	for _, l := range list {
		v.Lines = append(v.Lines, journalLine{l, moment(l.At)})
	}
	page.Render(c, http.StatusOK, journalPage, page.Shell{Title: "Journal", Account: Of(c).Email, Body: v})
}

// journalCSV writes all that is chosen, the newest first.
func (h *Handler) journalCSV(c *gin.Context) {
	c.Header("Content-Type", "text/csv; charset=utf-8")
	c.Header("Content-Disposition", `attachment; filename="journal.csv"`)
	c.Status(http.StatusOK)
	w, err := sheet.NewCSVWriter(c.Writer)
	if err == nil {
		err = w.Write([]string{"at", "account", "did", "times", "quiz", "quiz_name", "detail"})
	}
	f := journalFilter(c)
	for more := true; more && err == nil; {
		var list []people.JournalLine
		list, err = h.Store.People.Journal(f, journalPageLines)
		for _, l := range list {
			f.Before = l.ID
			err = errors.Join(err, w.Write(sheet.GuardAll([]string{
				l.At.UTC().Format(time.RFC3339), l.Account, l.Verb, strconv.Itoa(l.Count), l.QuizID, l.Quiz, l.Detail,
			})))
		}
		more = len(list) == journalPageLines
	}
	if err != nil {
		_ = c.Error(err) // the table has begun: it breaks off, and the log says why
	}
}
