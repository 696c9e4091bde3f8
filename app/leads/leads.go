// Package leads is the room in which responses are read: figures, the table, one respondent, and the export.
package leads

import (
	"bufio"
	"embed"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/score"
	"omphalos/core/sheet"
	"omphalos/core/walk"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

// Desk is the Leads room: its view in the workbench, and the export.
type Desk struct {
	Store *store.Store
	Bench *workbench.Bench
}

const pageSize = 25

type lead struct {
	store.Response
	Mark   page.Mark
	Scores []string // by scale
	Who    string
}

type answered struct {
	Number   int
	Question string
	Answer   string
	Points   string
}

type person struct {
	lead
	Answers []answered
	Params  map[string]string
	Took    string
}

type readings struct {
	Draft     *workbench.Draft
	Scales    []string
	Leads     []lead
	Person    *person
	Page      int
	Pages     int
	Kept      int
	Qualified int
	Aside     bool // those kept aside are shown
}

// Room is the desk's view in the workbench.
func (k *Desk) Room() workbench.Room {
	return workbench.Room{Key: "leads", Title: "Leads", Scripts: []string{"leads.js"}, Template: workbench.Templates(files), View: k.view,
		Count: func(d *workbench.Draft) string {
			if d.Counts.Leads == 0 {
				return ""
			}
			return page.Thousands(d.Counts.Leads)
		}}
}

// Routes adds the addresses of the room that are not the workbench's.
func (k *Desk) Routes(g gin.IRouter) {
	g.GET("/quizzes/:id/leads.csv", k.export)
	g.POST("/quizzes/:id/leads/:lead/take-in", k.takeIn)
}

// takeIn counts a response that was kept aside.
func (k *Desk) takeIn(c *gin.Context) {
	if err := k.Store.TakeIn(c.Param("id"), c.Param("lead")); err != nil {
		page.NotFound(c)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+c.Param("id")+"/leads?lead="+c.Param("lead"))
}

func (k *Desk) view(d *workbench.Draft, query url.Values) (any, error) {
	s := &readings{Draft: d, Page: 1}
	for i := range d.Doc.Scales {
		s.Scales = append(s.Scales, d.Doc.Scales[i].Title())
	}
	for i := range d.Doc.Outcomes {
		o := &d.Doc.Outcomes[i]
		if o.Qualified {
			s.Qualified += d.Counts.Outcomes[o.ID]
		}
		if o.Keeps() {
			s.Kept += d.Counts.Outcomes[o.ID]
		}
	}
	total := s.Kept
	if s.Aside = query.Get("aside") != ""; s.Aside {
		total = d.Counts.Aside
	}
	s.Pages = max(1, (total+pageSize-1)/pageSize)
	if n, err := strconv.Atoi(query.Get("page")); err == nil {
		s.Page = min(max(1, n), s.Pages)
	}
	responses, err := k.Store.Responses(d.Quiz.ID, store.Page{Offset: (s.Page - 1) * pageSize, Limit: pageSize, Aside: s.Aside})
	if err != nil {
		return nil, err
	}
	for _, r := range responses {
		s.Leads = append(s.Leads, newLead(d, r))
	}
	chosen := query.Get("lead")
	if chosen == "" && len(responses) > 0 {
		chosen = responses[0].ID
	}
	if chosen != "" {
		r, err := k.Store.Response(chosen)
		if err == nil && r.QuizID == d.Quiz.ID && r.Kept {
			if s.Person, err = k.person(d, *r); err != nil {
				return nil, err
			}
		}
	}
	return s, nil
}

func newLead(d *workbench.Draft, r store.Response) lead {
	l := lead{Response: r, Mark: d.Mark(r.Outcome), Who: "kept no contact"}
	var scores map[string]string
	if json.Unmarshal(r.Scores, &scores) == nil {
		for _, s := range d.Doc.Scales {
			cell := scores["scale."+s.ID]
			if n, err := rule.ParseNumber(cell); err == nil {
				cell = n.Round(2).String()
			}
			l.Scores = append(l.Scores, cell)
		}
	}
	switch {
	case r.Name != "" && r.Email != "":
		l.Who = r.Name + " · " + r.Email
	case r.Name != "" || r.Email != "":
		l.Who = r.Name + r.Email
	}
	return l
}

// person reads one response by the version that it answered.
func (k *Desk) person(d *workbench.Draft, r store.Response) (*person, error) {
	p := &person{lead: newLead(d, r), Took: duration(r.At.Sub(r.StartedAt))}
	doc, c, err := k.version(r)
	if err != nil {
		return nil, err
	}
	var answers map[string]walk.Answer
	if err := json.Unmarshal(r.Answers, &answers); err != nil {
		return nil, err
	}
	_ = json.Unmarshal(r.Params, &p.Params) // null when there are none
	for i := range doc.Questions {
		q := &doc.Questions[i]
		a, asked := answers[q.ID]
		if !asked || q.Kind == quiz.Statement {
			continue
		}
		var points []string
		for j, n := range c.Effect(i, a).Points {
			if n.Sign() != 0 {
				points = append(points, doc.Scales[j].Title()+" "+signed(n))
			}
		}
		p.Answers = append(p.Answers, answered{i + 1, q.Title(), Words(q, a), strings.Join(points, ", ")})
	}
	return p, nil
}

func (k *Desk) version(r store.Response) (*quiz.Document, *walk.Compiled, error) {
	v, err := k.Store.Version(r.QuizID, r.Version)
	if err != nil {
		return nil, nil, err
	}
	doc, err := quiz.Read(v.Document)
	if err != nil {
		return nil, nil, err
	}
	c, err := walk.New(doc)
	return doc, c, err
}

func signed(n rule.Number) string {
	s := strings.Replace(n.String(), "-", "−", 1)
	if n.Sign() > 0 {
		s = "+" + s
	}
	return s
}

func duration(d time.Duration) string {
	d = d.Round(time.Second)
	if d < time.Minute {
		return fmt.Sprintf("%d s", d/time.Second)
	}
	return fmt.Sprintf("%d min %d s", d/time.Minute, d%time.Minute/time.Second)
}

// Words writes an answer as people read it: labels for choices, "blank" for nothing.
func Words(q *quiz.Question, a walk.Answer) string {
	label := func(id string) string {
		if i := q.Choice(id); i >= 0 {
			return q.Choices[i].Title()
		}
		return id
	}
	var parts []string
	for _, id := range a.Picks {
		parts = append(parts, label(id))
	}
	for _, row := range q.Rows {
		if c := a.Rows[row.ID]; c != "" {
			parts = append(parts, row.Label+": "+label(c))
		}
	}
	switch {
	case a.Number != nil:
		parts = append(parts, strings.TrimSpace(a.Number.String()+" "+q.Unit))
	case a.Text != "":
		parts = append(parts, a.Text)
	}
	if a.Other != "" {
		parts = append(parts, a.Other)
	}
	if len(parts) == 0 {
		return "blank"
	}
	return strings.Join(parts, ", ")
}

// export writes every kept response. Columns of answers are those of the versions that were answered, by question id.
func (k *Desk) export(c *gin.Context) {
	d := k.Bench.Load(c)
	if d == nil {
		return
	}
	docs := map[int]*quiz.Document{}
	var questions, contacts []string
	columns := score.Columns(d.Doc)
	columns = columns[:len(columns)-3] // the outcome, its line and the path stand at the beginning or follow from the answers
	versions, err := k.Store.Versions(d.Quiz.ID)
	for i := len(versions) - 1; i >= 0 && err == nil; i-- {
		var v *store.Version
		if v, err = k.Store.Version(d.Quiz.ID, versions[i].Number); err != nil {
			break
		}
		var doc *quiz.Document
		if doc, err = quiz.Read(v.Document); err != nil {
			break
		}
		docs[v.Number] = doc
		for j := range doc.Questions {
			questions = appendNew(questions, doc.Questions[j].ID)
		}
		if doc.Contact != nil {
			for _, f := range doc.Contact.Fields {
				contacts = appendNew(contacts, f.ID)
			}
		}
	}
	if err != nil {
		page.Fail(c, http.StatusInternalServerError, "The responses could not be read", err.Error())
		return
	}
	c.Header("Content-Type", "text/csv; charset=utf-8; header=present")
	c.Header("Content-Disposition", `attachment; filename="`+fileName(d)+`-leads.csv"`)
	w := bufio.NewWriter(c.Writer)
	head := []string{"id", "finished", "seconds", "version", "outcome", "line"}
	head = append(head, columns...)
	for _, q := range questions {
		head = append(head, "answer."+q)
	}
	for _, f := range contacts {
		head = append(head, "contact."+f)
	}
	head = append(head, "consent", "consent_at", "source", "kept_aside")
	for _, name := range d.Doc.Params {
		head = append(head, "param."+name)
	}
	table, err := sheet.NewCSVWriter(w)
	if err == nil {
		err = table.Write(sheet.GuardAll(head))
	}
	if err == nil {
		err = k.Store.EachResponse(d.Quiz.ID, func(r *store.Response) error {
			return table.Write(record(d, docs[r.Version], r, columns, questions, contacts))
		})
	}
	if err == nil {
		err = w.Flush()
	}
	if err != nil {
		_ = c.Error(err) // the head is sent: the reader sees a table cut short
	}
}

func fileName(d *workbench.Draft) string {
	if d.Quiz.Slug != nil {
		return *d.Quiz.Slug
	}
	return d.Quiz.ID
}

func appendNew(list []string, s string) []string {
	if slices.Contains(list, s) {
		return list
	}
	return append(list, s)
}

// record is one line of the export. Text is guarded; the numbers that were computed are written as numbers.
func record(d *workbench.Draft, doc *quiz.Document, r *store.Response, columns, questions, contacts []string) []string {
	var scores, contact, params map[string]string
	var answers map[string]walk.Answer
	for _, part := range []struct {
		from []byte
		to   any
	}{{r.Scores, &scores}, {r.Answers, &answers}, {r.Contact, &contact}, {r.Params, &params}} {
		_ = json.Unmarshal(part.from, part.to) // an empty part has nothing to show
	}
	out := []string{r.ID, r.At.UTC().Format(time.RFC3339), strconv.Itoa(int(r.At.Sub(r.StartedAt).Seconds())), strconv.Itoa(r.Version),
		sheet.Guard(d.Doc.OutcomeName(r.Outcome)), r.Verdict}
	for _, c := range columns {
		cell := scores[c]
		if _, err := rule.ParseNumber(cell); err != nil {
			cell = sheet.Guard(cell)
		}
		out = append(out, cell)
	}
	for _, id := range questions {
		cell := ""
		if a, asked := answers[id]; asked && doc != nil {
			if i := doc.Question(id); i >= 0 && !a.Blank() {
				if cell = Words(&doc.Questions[i], a); a.Number == nil {
					cell = sheet.Guard(cell)
				} else {
					cell = a.Number.String()
				}
			}
		}
		out = append(out, cell)
	}
	for _, f := range contacts {
		out = append(out, sheet.Guard(contact[f]))
	}
	at := ""
	if r.ConsentAt != nil {
		at = r.ConsentAt.UTC().Format(time.RFC3339)
	}
	out = append(out, sheet.Guard(r.Consent), at, sheet.Guard(r.Source), r.Suspect)
	for _, name := range d.Doc.Params {
		out = append(out, sheet.Guard(params[name]))
	}
	return out
}
