package workbench

import (
	"context"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/counting"
	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/store/tallies"
	"omphalos/app/words"
	"omphalos/core/check"
	"omphalos/core/fact"
	"omphalos/core/kind"
	"omphalos/core/message"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
)

// Counting makes a handler that counts respondents wait for its turn. It ends when the window has gone on, and after a
// while in any case.
func (h *Handler) Counting(next gin.HandlerFunc) gin.HandlerFunc {
	return func(c *gin.Context) {
		err := h.Counts.Turn(c.Request.Context(), c.Param("id"), func(ctx context.Context) {
			c.Request = c.Request.WithContext(ctx)
			next(c)
		})
		if err != nil {
			Uncounted(c, err)
		}
	}
}

// Advising makes a handler that looks for advice wait for its turn: next to the counts, which never wait for it.
func (h *Handler) Advising(next gin.HandlerFunc) gin.HandlerFunc {
	return func(c *gin.Context) {
		err := h.Counts.Aside(c.Request.Context(), func(ctx context.Context) {
			c.Request = c.Request.WithContext(ctx)
			next(c)
		})
		if err != nil {
			Uncounted(c, err)
		}
	}
}

// Assumptions about answers, as the reach bar names them.
const (
	assumeEven  = "even"
	assumeTyped = "assumed"
	assumeSeen  = "seen"
)

// segment is one outcome of the bar.
type segment struct {
	page.Mark
	Reachable bool
	Between   string // the interval of a simulated share
	Walk      []string
}

// finding is one line of the list of findings.
type finding struct {
	reach.Finding
	Link string
	Walk []string
}

// Counted is a draft with what all respondents at once come to, for the rooms that show shares.
type Counted struct {
	*Draft
	Report  *reach.Report // nil while the draft cannot be counted
	Checks  []check.Result
	Sent    []message.Share // what share each message is for
	Options reach.Options   // the same assumption, for further questions
	Context context.Context
	Query   url.Values
}

// reachView is what the reach bar draws.
type reachView struct {
	Counted
	Bench    *Handler
	Assume   string
	Segments []segment
	Findings []finding
	Total    string // combinations
	Errors   int
	Warnings int
	Notes    int
}

// language is that of the workbench.
const language = "en"

// Sentence says a problem and how to fix it.
func (v *reachView) Sentence(p quiz.Problem) string { return p.In(words.Bench(language)).Sentence() }

// column is what the head of a scale's column shows.
type column struct {
	ID    string    `json:"id"`
	Range string    `json:"range"`
	Bars  []float64 `json:"bars"` // heights from 0 to 1
}

// sideSamples is how many respondents are simulated for what stands next to the bar: ±2.2 points.
const sideSamples = 2000

// notice is a finding or problem in words, for the place that it is about.
type notice struct {
	Where    string `json:"where"`
	Severity string `json:"severity"`
	Message  string `json:"message"`
}

// reach answers with the reach bar for the draft as it is now, with the pieces of the room that show shares, and with
// what is to be said at each place.
func (h *Handler) reach(c *gin.Context) {
	d := h.Load(c)
	if d == nil {
		return
	}
	ctx := c.Request.Context()
	query, _ := url.ParseQuery(strings.TrimPrefix(c.Query("query"), "?"))
	v := &reachView{Counted: Counted{Draft: d, Context: ctx, Query: query}, Bench: h, Assume: c.Query("assume")}
	if v.Assume == assumeSeen && d.Counts.Finishes == 0 || v.Assume != assumeSeen && v.Assume != assumeTyped {
		v.Assume = assumeEven
	}
	columns, err := h.count(ctx, v)
	if err != nil {
		Uncounted(c, err)
		return
	}
	says := []notice{}
	for _, p := range d.Doc.Validate() { // what is only unfinished, such as an empty answer, is named in the list alone
		says = append(says, notice{d.Doc.Ref(p.Where), "problem", v.Sentence(p)})
	}
	for _, f := range v.Findings {
		says = append(says, notice{d.Doc.Ref(f.Where), f.Severity, f.Message})
	}
	var parts map[string]template.HTML
	if room := h.room(c.Query("room")); room.Reach != nil {
		parts, err = room.Reach(&v.Counted)
		if err != nil && !counting.GivenUp(err) { // what was not done in time is left out; the bar stands
			Uncounted(c, err)
			return
		}
	}
	c.PureJSON(
		http.StatusOK,
		gin.H{
			"revision": d.Quiz.Revision,
			"html":     string(page.Execute(reachTemplate, "reach", v)),
			"columns":  columns,
			"says":     says,
			"parts":    parts,
		},
	)
}

// Uncounted answers what could not be counted: given up, or gone wrong.
func Uncounted(c *gin.Context, err error) {
	if counting.GivenUp(err) {
		refuse(
			c,
			http.StatusServiceUnavailable,
			"busy",
			"Calculating this quiz took too long. Try again, or simplify the quiz.",
		)
		return
	}
	page.Failed(c, err)
}

var reachTemplate = Templates(files)

// Count counts the draft of the address under the assumption that the query names. It answers for itself and returns
// nil when there is no such draft.
func (h *Handler) Count(c *gin.Context) (*Counted, error) {
	d := h.Load(c)
	if d == nil {
		return nil, nil
	}
	v := &reachView{
		Counted: Counted{Draft: d, Context: c.Request.Context(), Query: c.Request.URL.Query()},
		Bench:   h,
		Assume:  c.Query("assume"),
	}
	_, err := h.count(c.Request.Context(), v)
	return &v.Counted, err
}

// Counted counts a draft for advice about it. It answers itself, and returns nil, where there is nothing to count yet
// or the count failed.
func (h *Handler) Counted(c *gin.Context) *Counted {
	v, err := h.Count(c)
	switch {
	case v == nil:
		return nil
	case err != nil:
		Uncounted(c, err)
		return nil
	case v.Report == nil:
		c.Status(http.StatusNoContent)
		return nil
	}
	return v
}

func (h *Handler) count(ctx context.Context, v *reachView) ([]column, error) {
	doc := v.Doc
	if len(doc.Validate()) > 0 || len(doc.Questions) == 0 {
		return nil, nil // the bar says what to fix first
	}
	o := counting.Options()
	switch v.Assume {
	case assumeSeen:
		var err error
		if o.Assume, err = h.assumeResponses(v.Quiz.ID, doc); err != nil {
			return nil, err
		}
	case assumeTyped:
		o.Assume = reach.Complete(doc, edit.ReadAssumed(v.Quiz.Assumed))
	}
	v.Options = o
	p, err := h.Counts.Prove(ctx, counting.Draft{Quiz: v.Quiz.ID, Doc: doc, Tables: v.Tables}, o)
	if err != nil {
		return nil, err
	}
	r := p.Report
	v.Report, v.Checks, v.Sent, v.Total = r, p.Checks, p.Messages, grouped(r.Combinations)
	if !r.Exact { // what is asked next to it is not counted either, and is simulated with fewer
		v.Options.Patience, v.Options.Samples = time.Nanosecond, sideSamples
	}
	for i, o := range r.Outcomes {
		s := segment{Mark: v.Marks[i], Reachable: o.Reachable, Walk: Steps(doc, o.Witness)}
		s.Share = o.Share
		if o.Interval != nil {
			s.Between = fmt.Sprintf(
				"%s to %s, %s",
				page.Percent(o.Interval[0]),
				page.Percent(o.Interval[1]),
				o.Settled,
			)
		}
		v.Segments = append(v.Segments, s)
	}
	v.find(r.Findings)
	return columnsOf(r), nil
}

// find sorts what is found, the most serious first. What the count does not see, such as a column that decides
// nothing, is a warning too.
func (v *reachView) find(list []reach.Finding) {
	of := map[string][]reach.Finding{}
	for _, f := range list {
		of[f.Severity] = append(of[f.Severity], f)
	}
	for _, p := range edit.Warnings(v.Doc, v.Tables) {
		of[reach.Warning] = append(of[reach.Warning],
			reach.Finding{Severity: reach.Warning, Where: p.Where, Message: p.Sentence()})
	}
	v.Errors, v.Warnings, v.Notes = len(of[reach.Error]), len(of[reach.Warning]), len(of[reach.Note])
	for _, f := range slices.Concat(of[reach.Error], of[reach.Warning], of[reach.Note]) {
		v.Findings = append(v.Findings, finding{f.In(words.Bench(language)), v.Draft.Link(f.Where), Steps(v.Doc, f.Witness)})
	}
}

// Steps writes a witness as the questions asked and what is answered.
func Steps(d *quiz.Document, witness map[string]any) []string {
	var out []string
	label := func(q *quiz.Question, v any) string {
		switch v := v.(type) {
		case []string:
			s := ""
			for i, id := range v {
				if i > 0 {
					s += ", "
				}
				s += choiceName(q, id)
			}
			return s
		default:
			return strings.TrimSpace(choiceName(q, fmt.Sprint(v)) + " " + q.Unit)
		}
	}
	for i := range d.Questions {
		q := &d.Questions[i]
		for _, field := range kind.FieldNames(q) {
			if v, ok := witness[field]; ok {
				out = append(out, fmt.Sprintf("%d: %s", i+1, label(q, v)))
			}
		}
	}
	for _, k := range fact.All() {
		if v, ok := witness[k.Name]; ok {
			out = append(out, k.Words+" "+d.ValueName(k.Name, rule.Scalar{Text: fmt.Sprint(v)}))
		}
	}
	return out
}

func choiceName(q *quiz.Question, id string) string {
	if i := q.Choice(id); i >= 0 {
		return q.Choices[i].Title()
	}
	return id
}

// maxBars is how many bars the head of a column has room for.
const maxBars = 16

func columnsOf(r *reach.Report) []column {
	var out []column
	for _, s := range r.Scales {
		c := column{ID: s.ID, Range: s.Least.String() + " to " + s.Most.String()}
		if s.Least.Cmp(s.Most) == 0 {
			c.Range = "Always " + s.Least.String()
		}
		n := min(maxBars, len(s.Shares))
		c.Bars = make([]float64, n)
		width := s.Most.Sub(s.Least)
		for _, p := range s.Shares {
			at := 0
			if width.Sign() > 0 {
				at = min(n-1, int(rule.Ratio(p.Value.Sub(s.Least), width).Float()*float64(n)))
			}
			c.Bars[at] += p.Share
		}
		top := 0.0
		for _, h := range c.Bars {
			top = max(top, h)
		}
		for i := range c.Bars {
			if top > 0 {
				c.Bars[i] /= top
			}
		}
		out = append(out, c)
	}
	return out
}

// assumeResponses is the assumption that answers come as they came in the responses so far: read from tallies, so that
// it costs the same however many these are.
func (h *Handler) assumeResponses(id string, d *quiz.Document) (*reach.Assumption, error) {
	counts, err := h.Store.Tallies.AnswerCounts(id)
	if err != nil {
		return nil, err
	}
	a := &reach.Assumption{Answers: map[string]map[string]float64{}}
	asked := map[string]float64{}
	for _, n := range counts {
		switch n.Value {
		case tallies.ValueAsked:
			asked[n.Field] = float64(n.Count)
			continue
		case tallies.ValueOthers:
			continue // no one knows which ones
		}
		if a.Answers[n.Field] == nil {
			a.Answers[n.Field] = map[string]float64{}
		}
		a.Answers[n.Field][n.Value] = float64(n.Count)
	}
	for i := range d.Questions {
		q := &d.Questions[i]
		switch about := kind.Of(q).About(); {
		case about.Ordered: // which orders there were is not tallied
			delete(a.Answers, q.ID)
			delete(a.Answers, q.ID+kind.FirstPart)
		case about.Many: // shares of respondents, not of picks; a single choice needs no division
			for v := range a.Answers[q.ID] {
				a.Answers[q.ID][v] /= asked[q.ID]
			}
		case about.Rows: // rows that were left blank are not among the answers
			delete(a.Answers, q.ID)
			for _, row := range q.Rows {
				seenRow(a, q.ID+"."+row.ID, asked[q.ID])
			}
		}
	}
	return a, nil
}

func seenRow(a *reach.Assumption, field string, asked float64) {
	blank := asked
	for _, n := range a.Answers[field] {
		blank -= n
	}
	if blank > 0 {
		if a.Answers[field] == nil {
			a.Answers[field] = map[string]float64{}
		}
		a.Answers[field][""] = blank
	}
}

// grouped writes a whole number of any size with commas; past 15 digits as a power of ten.
func grouped(digits string) string {
	if len(digits) > 15 {
		return "about 10^" + strconv.Itoa(len(digits)-1)
	}
	n, err := strconv.Atoi(digits)
	if err != nil {
		return digits
	}
	return page.Thousands(n)
}
