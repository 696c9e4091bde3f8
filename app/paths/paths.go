// Package paths is the room that shows a quiz as a map. Questions are stations on a line, jumps are arcs next to it,
// and ribbons lead to the outcomes, as thick as their share of respondents.
package paths

import (
	"embed"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/walk"
)

//go:embed *.html *.js *.css
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

var templates = workbench.Templates(files)

//go:embed map.css
var mapStyle string

// Handler answers the room's own addresses.
type Handler struct {
	Bench *workbench.Handler
	Store *store.Store
}

// Room is the Paths room of the workbench.
func (h *Handler) Room() workbench.Room {
	return workbench.Room{
		Key:      "paths",
		Title:    "Paths",
		Scripts:  []string{"paths.js"},
		Template: templates,
		View:     h.view,
		Reach:    h.draw,
		Keys: []workbench.Keys{
			{
				Name: "Paths",
				List: [][2]string{
					{"Tab", "Move between questions, arcs and outcomes"},
					{"Enter", "Select it and edit its rule"},
					{"Esc", "Clear the selection"},
				},
			},
		},
	}
}

// Routes adds the addresses of the map as a file, and of what could go.
func (h *Handler) Routes(g gin.IRouter) {
	g.GET("/quizzes/:id/paths.svg", h.Bench.Counting(h.file))
	g.GET("/quizzes/:id/spare", h.Bench.Advising(h.showRemovals))
}

// selection is what of the map is chosen.
type selection struct {
	Question int    // position, -1 for none
	From, To string // of an arc: the question's id, and where it leads
	Outcome  string
	Response string // whose walk is lit
	Cell     *workbench.Cell
}

func selected(d *quiz.Document, query url.Values) selection {
	s := selection{
		Question: d.Question(query.Get("station")),
		Outcome:  query.Get("outcome"),
		Response: query.Get("response"),
	}
	if from, to, ok := strings.Cut(query.Get("arc"), " "); ok && d.Question(from) >= 0 {
		s.From, s.To = from, to
	}
	if d.Outcome(s.Outcome) == nil {
		s.Outcome = ""
	}
	if cell, ok := workbench.CellOf(d, query.Get("cell")); ok {
		s.Cell = &cell
	}
	return s
}

// view is the side next to the map.
type view struct {
	Draft    *workbench.Draft
	Chosen   selection
	Title    string
	Question *quiz.Question
	Number   int
	Flow     *workbench.Flow
	Only     []workbench.Branch // of an arc: the branches that make it
	Skipped  []string           // of an arc: questions between that are not asked
	ToName   string
	Mark     page.Mark
	Outcome  *quiz.Outcome
	In       string // of a cell: the values in it
	Back     string // and where its line is edited
}

func (h *Handler) view(draft *workbench.Draft, query url.Values) (any, error) {
	d := draft.Doc
	s := &view{Draft: draft, Chosen: selected(d, query)}
	switch c := s.Chosen; {
	case c.From != "":
		i := d.Question(c.From)
		s.Question, s.Number, s.ToName = &d.Questions[i], i+1, workbench.TargetName(d, c.To)
		flow := workbench.NewFlow(d, i)
		s.Flow = &flow
		for j := range d.Questions[i].Branches {
			if d.Questions[i].Branches[j].Go == c.To {
				s.Only = append(s.Only, flow.Branches[j])
			}
		}
		if id, ok := strings.CutPrefix(c.To, "question:"); ok && len(s.Only) == 0 {
			for k := i + 1; k < d.Question(id); k++ {
				s.Skipped = append(s.Skipped, fmt.Sprintf("%d %s", k+1, d.Questions[k].Title()))
			}
		}
	case c.Question >= 0:
		s.Question, s.Number = &d.Questions[c.Question], c.Question+1
		flow := workbench.NewFlow(d, c.Question)
		s.Flow = &flow
	case c.Outcome != "":
		s.Outcome, s.Mark = d.Outcome(c.Outcome), draft.Mark(c.Outcome)
	case c.Cell != nil:
		s.Number, s.In = c.Cell.Line, c.Cell.In(d)
		s.Back = draft.Link(quiz.Pointer("verdicts", c.Cell.Line-1))
	}
	return s, nil
}

// draw makes the map, and next to it what the shares say of what is chosen.
func (h *Handler) draw(v *workbench.Counted) (map[string]template.HTML, error) {
	out := map[string]template.HTML{
		"map":  `<p class="quiet p-6">Fix the problems listed below to see the map.</p>`,
		"said": "",
	}
	if len(v.Doc.Questions) == 0 {
		out["map"] = `<p class="quiet p-6">Add a question in Script to see the map.</p>`
	}
	if v.Report == nil {
		return out, nil
	}
	c := selected(v.Doc, v.Query)
	w, err := h.walkOf(v, c)
	if err != nil {
		return nil, err
	}
	var path *walk.Result
	if w != nil {
		path = w.Result
	}
	out["map"] = template.HTML(page.Execute(templates, "map", newMap(v, c, path, true)))
	out["said"] = template.HTML(page.Execute(templates, "said", w))
	return out, nil
}

// file is the map as an SVG of its own.
func (h *Handler) file(c *gin.Context) {
	v, err := h.Bench.Count(c)
	if v == nil {
		return
	}
	if err != nil || v.Report == nil {
		page.Fail(
			c,
			http.StatusUnprocessableEntity,
			"The map isn’t available yet",
			"Fix the problems listed in the quiz first.",
		)
		return
	}
	m := newMap(v, selection{Question: -1}, nil, false)
	m.Style = template.CSS(mapStyle) // our own file
	c.Header("Content-Disposition", `attachment; filename="paths.svg"`)
	c.Data(
		http.StatusOK,
		"image/svg+xml",
		append([]byte(`<?xml version="1.0" encoding="UTF-8"?>`+"\n"), page.Execute(templates, "map", m)...),
	)
}

// highlight is a walk that is shown on the map.
type highlight struct {
	*walk.Result
	Heading string
	Steps   []string
	Mark    page.Mark
	Scores  []string
	Nobody  bool
	Figures []string
}

// walkOf finds someone who walks what is chosen: a respondent, or an example.
func (h *Handler) walkOf(v *workbench.Counted, c selection) (*highlight, error) {
	compiled, err := walk.New(v.Doc)
	if err != nil {
		return nil, nil // the frame tells what is wrong with the draft
	}
	if c.Response != "" {
		return h.walkOfResponse(v, compiled, c.Response)
	}
	l := &highlight{Heading: "Example answers that lead here"}
	var witness map[string]any
	var found bool
	switch {
	case c.From != "":
		l.Figures = []string{share(v, c.From, c.To)}
		witness, found, err = witnessFor(v, c.From, c.To)
	case c.Question >= 0:
		l.Figures = ofQuestion(v.Report, c.Question)
		witness, found, err = reach.Through(v.Context, v.Doc, c.Question, -1, v.Options)
	case c.Outcome != "":
		for _, o := range v.Report.Outcomes {
			if o.ID == c.Outcome {
				witness, found = o.Witness, o.Reachable
				l.Figures = append(l.Figures, page.Percent(o.Share)+" of respondents end here.")
			}
		}
	case c.Cell != nil:
		var in *reach.CrossCell
		if in, err = cross(v, *c.Cell); err == nil {
			witness, found = in.Witness, in.Reached
			l.Figures = []string{page.Percent(in.Share) + " of respondents land in this cell."}
		}
	default:
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	if !found {
		l.Nobody = true
		return l, nil
	}
	in := reach.InputOf(v.Doc, witness)
	compiled.Finish(&in)
	l.tell(v, compiled, in)
	return l, nil
}

// walkOfResponse is the way of a respondent; nil where there is none.
func (h *Handler) walkOfResponse(v *workbench.Counted, compiled *walk.Compiled, id string) (*highlight, error) {
	r, err := h.Store.Responses.Response(id)
	if database.IsNotFound(err) || err == nil && (r.QuizID != v.Quiz.ID || !r.Kept) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	a, err := h.Store.Responses.Answered(r)
	if err != nil {
		return nil, err
	}
	l := &highlight{Heading: "Response of " + v.Moment(r.At) + ", using the draft’s rules"}
	l.tell(v, compiled, walk.Input{Answers: a.Answers, Params: a.Params})
	return l, nil
}

// tell walks and says where it leads.
func (l *highlight) tell(v *workbench.Counted, compiled *walk.Compiled, in walk.Input) {
	l.Result = compiled.Walk(in)
	l.Mark = v.Mark(l.Outcome)
	l.Steps = workbench.Steps(v.Doc, workbench.Fields(v.Doc, in, l.Result))
	for i := range v.Doc.Scales {
		l.Scores = append(l.Scores, v.Doc.Scales[i].Title()+" "+l.Scales[i].String())
	}
}

// cross counts who falls in a cell.
func cross(v *workbench.Counted, at workbench.Cell) (*reach.CrossCell, error) {
	x, err := reach.Cross(v.Context, v.Doc, at.Line, v.Options)
	if err != nil {
		return nil, err
	}
	return &x.Cells[at.Down][at.Across], nil
}

// ofQuestion says who is asked a question, and what it decides.
func ofQuestion(r *reach.Report, i int) []string {
	q := r.Questions[i]
	out := []string{"Asked of " + page.Percent(q.Asked) + " of respondents."}
	switch {
	case q.Asked == 0 || !r.Exact:
	case !q.Matters:
		out = append(out, "This question has no effect on the outcome. Consider removing it.")
	default:
		out = append(out, "It explains "+page.Percent(q.Settles)+" of the outcome.")
	}
	return out
}

// witnessFor is someone who goes from a question straight to a place: by a branch, or as one of the report's examples.
func witnessFor(v *workbench.Counted, from, to string) (witness map[string]any, found bool, err error) {
	i := v.Doc.Question(from)
	for j, b := range v.Doc.Questions[i].Branches {
		if b.Go != to {
			continue
		}
		if witness, found, err = reach.Through(v.Context, v.Doc, i, j, v.Options); found || err != nil {
			return witness, found, err
		}
	}
	witness, found = walksOver(v, from, to)
	return witness, found, nil
}

// walksOver looks among the examples of the report for one that goes from a question straight to a place.
func walksOver(v *workbench.Counted, from, to string) (map[string]any, bool) {
	compiled, err := walk.New(v.Doc)
	if err != nil {
		return nil, false
	}
	for _, o := range v.Report.Outcomes {
		if !o.Reachable {
			continue
		}
		r := compiled.Walk(reach.InputOf(v.Doc, o.Witness))
		for i, id := range r.Path {
			if id == from && r.Exit(i) == to {
				return o.Witness, true
			}
		}
	}
	return nil, false
}

func share(v *workbench.Counted, from, to string) string {
	for _, e := range v.Report.Edges {
		if e.From == from && e.To == to {
			return page.Percent(e.Share) + " of respondents take this path."
		}
	}
	return "No respondent takes this path."
}
