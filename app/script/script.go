// Package script is the room for writing a quiz: questions in reading order, with the points and votes of each answer
// next to it.
package script

import (
	"embed"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"omphalos/app/kinds"
	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/workbench"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

// Handler answers the room's own addresses.
type Handler struct {
	Bench *workbench.Handler
	Store *store.Store
	drawn drawingCache
}

// Room is the Script room of the workbench.
func (h *Handler) Room() workbench.Room {
	return workbench.Room{Key: "script", Title: "Script", Scripts: []string{"vendor/sortable.js", "script.js"},
		Template: templates, View: h.view, Blocks: blocks, Reach: samples,
		Count: func(d *workbench.Draft) string { return strconv.Itoa(len(d.Doc.Questions)) },
		Keys: []workbench.Keys{
			{
				Name: "The document",
				List: [][2]string{
					{"Enter", "Go to the next answer"},
					{"Alt+↑ Alt+↓", "Move the question or answer"},
					{"Ctrl+Enter", "Open the question’s settings"},
				},
			},
			{
				Name: "The ledger",
				List: [][2]string{
					{"← ↑ → ↓", "Move between cells"},
					{"→ ←", "Move between an answer’s text and its points"},
					{"Shift+arrows", "Select a block of cells"},
					{"0–9 − .", "Replace the weight"},
					{"F2", "Edit the weight"},
					{"Enter, Tab", "Save and move down or right"},
					{
						"Delete",
						"Clear the selected cells",
					},
					{"Ctrl+C Ctrl+X Ctrl+V", "Copy, cut or paste (works with spreadsheets)"},
					{"Ctrl+D", "Fill down"},
					{"Space", "Vote for, vote against, or clear the vote"},
				},
			}}}
}

var templates = workbench.Templates(kinds.Set, files)

// Routes adds the addresses of pieces that are fetched when they are opened.
func (h *Handler) Routes(g gin.IRouter) {
	g.GET("/quizzes/:id/settings/:question", h.settings)
	g.GET("/quizzes/:id/norm/:scale", h.Bench.Advising(h.norm))
}

func (h *Handler) settings(c *gin.Context) {
	d := h.Bench.Load(c)
	if d == nil {
		return
	}
	i := d.Doc.Question(c.Param("question"))
	if i < 0 {
		c.String(http.StatusNotFound, "This question no longer exists.")
		return
	}
	c.Data(http.StatusOK, "text/html; charset=utf-8", page.Execute(templates, "settings", settingsOf(d.Doc, i)))
}

type kindOption struct {
	Name     string
	Value    string
	Selected bool
	Patch    string
}

type question struct {
	*quiz.Question
	Path      string
	Number    int
	Kinds     []kindOption
	Rows      []row
	GridRows  []gridRow
	Fresh     string // an id for a new answer
	AddRow    string
	AddRowAt  string
	AddAnswer string
	AddFocus  string
	AddStep   string
	Last      bool
	Scored    bool     // has cells
	Choosable bool     // answers are typed one by one
	Silent    bool     // it wants no answer
	Rowed     bool     // Enter leads to its rows first
	Picks     bool     // an answer is a choice, which a branch can stand next to
	Branches  []string // in words, those that stand next to no answer
	Visible   string
	Summary   []string // of its settings
	Settings  *settings
	Compact   bool
	Wide      int // columns that a line without cells spans
}

type gridRow struct {
	Path, Label, Drop string
}

// section is a heading above the questions that follow.
type section struct {
	quiz.Section
	Path string
	Wide int
}

type sheet struct {
	Draft      *workbench.Draft
	Blocks     []workbench.Block
	Wide       int    // columns that a line without cells spans
	Fresh      string // an id for a new question
	Compact    bool   // the ledger alone
	Bare       bool   // nothing has been made of the quiz yet
	Columns    []column
	Count      int // of questions
	AddScale   string
	AddKeyword string
	AddScaleAt string
	AddKeyAt   string
	Adds       []kindOption
	Kinds      []string // that a question can become
	Intro      *quiz.Intro
	Picture    workbench.Picture
	AddIntro   string
	DropIntro  string
	Contact    contactView
	Targets    []workbench.Target
	Computed   []computed
	AddValue   string
	AddValueAt string
	Names      [][2]string // that formulas can use, each with the words of what it names
	Whole      wholeView
	Spoken     int        // further languages, 0 for none
	Languages  *languages // instead of all this
}

type computed struct {
	quiz.Computed
	Path     string
	Up, Drop string
}

var (
	patch  = quiz.JSON
	add    = quiz.Add
	remove = quiz.Remove
)

func (h *Handler) view(draft *workbench.Draft, query url.Values) (any, error) {
	d := draft.Doc
	if query.Get("view") == "languages" {
		return &sheet{Draft: draft, Languages: languagesOf(draft.Quiz.ID, d, query)}, nil
	}
	s := &sheet{Draft: draft, Intro: d.Intro, Compact: query.Get("view") == "ledger", Spoken: len(d.Translations)}
	s.columns(d)
	s.Wide, s.Count = len(s.Columns)+2, len(d.Questions)
	s.Fresh = quiz.Unused("q", func(id string) bool { return d.Question(id) >= 0 })
	top := largest(d)
	open := query["open"]
	seen := map[string]bool{} // sections that have been opened
	var lines []workbench.Block
	for i := range d.Questions {
		if id := d.Questions[i].Section; id != "" && !seen[id] {
			seen[id] = true
			if at := slices.IndexFunc(d.Sections, func(s quiz.Section) bool { return s.ID == id }); at >= 0 {
				lines = append(
					lines,
					block(
						"opens:"+id,
						"opens",
						&section{d.Sections[at], d.At("sections", at), s.Wide},
					),
				)
			}
		}
		lines = append(lines, h.question(s, d, i, top, slices.Contains(open, d.Questions[i].ID)))
	}
	for _, f := range append(usualForms(), otherForms()...) {
		s.Adds = append(s.Adds, kindOption{Name: f.Words, Patch: begins(f)})
	}
	for _, f := range forms {
		if !f.Preset {
			s.Kinds = append(s.Kinds, f.Words)
		}
	}
	if d.Intro == nil {
		s.AddIntro = patch(add("/intro", quiz.Intro{Heading: d.Name, Button: "Start"}))
	} else {
		s.DropIntro = patch(remove("/intro"))
		in := d.Intro
		s.Picture = workbench.Picture{Path: "/intro", Image: in.Image, Alt: in.Alt, Credit: in.Credit, Credits: true}
	}
	s.Bare = len(d.Questions) == 0 && d.Intro == nil && len(d.Scales) < 2 &&
		len(d.Keywords)+len(d.Computed)+len(d.Sections) == 0
	s.Contact = contact(d)
	s.Targets = workbench.Targets(d)
	s.values(d)
	s.Whole = wholeRow(d)
	s.draw(lines)
	return s, nil
}

// begins is what a question of a kind begins as, as JSON; the window gives it its id.
func begins(f form) string {
	text, err := json.Marshal(f.fresh(""))
	if err != nil {
		return "{}"
	}
	return string(text)
}

// values are the computed values, and the next one to add.
func (s *sheet) values(d *quiz.Document) {
	for i, c := range d.Computed {
		v := computed{
			Computed: c,
			Path:     d.At("computed", i),
			Drop:     patch(remove(d.At("computed", i))),
		}
		v.Up, _ = workbench.Order(d, "/computed", i, len(d.Computed))
		s.Computed = append(s.Computed, v)
	}
	value := quiz.Computed{ID: quiz.Unused("v", func(id string) bool {
		return slices.ContainsFunc(d.Computed, func(c quiz.Computed) bool { return c.ID == id })
	}), Formula: "0"}
	value.Name = "Value " + value.ID[1:]
	s.AddValue = patch(workbench.AddTo("/computed", value))
	s.AddValueAt = d.Next("/computed", value, "formula")
	s.Names = formulaNames(d)
}

// formulaNames are the names that formulas can use, each with the words of what it names.
func formulaNames(d *quiz.Document) [][2]string {
	var out [][2]string
	put := func(name, words string) { out = append(out, [2]string{name, quiz.Shorten(words, 50)}) }
	for i := range d.Questions {
		q := &d.Questions[i]
		for _, f := range kind.Of(q).Facts(q) {
			if f.Whole && f.Part == "" {
				put("answer."+q.ID, q.Title())
			} else if f.Whole {
				put("answer."+q.ID+"."+f.Part, q.Title()+" · "+f.Words)
			}
		}
	}
	for i := range d.Scales {
		put("scale."+d.Scales[i].ID, d.Scales[i].Title())
		put("percent."+d.Scales[i].ID, d.Scales[i].Title()+" in percent")
	}
	for i := range d.Keywords {
		put("keyword."+d.Keywords[i].ID, "votes for "+d.Keywords[i].Title())
	}
	for _, c := range d.Computed {
		put("computed."+c.ID, c.Name)
	}
	for _, f := range rule.Functions {
		put(f.Name+"(", f.Says)
	}
	return out
}

func (s *sheet) question(d *quiz.Document, i int, top map[string]rule.Number) question {
	q, at := &d.Questions[i], d.At("questions", i)
	about := kind.Of(q).About()
	v := question{
		Question:  q,
		Path:      at,
		Number:    i + 1,
		Last:      i == len(d.Questions)-1,
		Compact:   s.Compact,
		Wide:      s.Wide,
		Choosable: q.ChoicesFrom == nil && about.Choices,
		Silent:    about.Silent,
		Rowed:     about.Rows,
		Picks:     about.Picks,
	}
	for _, f := range forms {
		if is(f, q) || !f.Preset {
			v.Kinds = append(v.Kinds, kindOption{Name: f.Words, Value: f.Words, Selected: is(f, q)})
		}
	}
	v.Branches, v.Visible = branchesOf(d, q), visibleOf(d, q)
	v.Summary = summary(q)
	s.rows(d, &v, top)
	if kind.Of(q).About().Rows {
		list := at + "/rows"
		for j, r := range q.Rows {
			place := d.Below(list, j)
			v.GridRows = append(v.GridRows, gridRow{Path: place, Label: r.Label, Drop: patch(remove(place))})
		}
		row := quiz.Row{ID: quiz.Unused("r", func(id string) bool { return q.Row(id) >= 0 })}
		v.AddRow, v.AddRowAt = patch(workbench.AddTo(list, row)), d.Next(list, row, "label")
	}
	return v
}

// branchesOf are the branches of a question in words, those that stand next to no answer.
func branchesOf(d *quiz.Document, q *quiz.Question) []string {
	var out []string
	for j := range q.Branches {
		if _, ok := workbench.AnswerOf(q, &q.Branches[j]); !ok {
			out = append(out, "when "+d.Sentence(&q.Branches[j].When)+" → "+workbench.TargetName(d, q.Branches[j].Go))
		}
	}
	return out
}

// visibleOf is the condition under which a question is asked, in words; "" for none.
func visibleOf(d *quiz.Document, q *quiz.Question) string {
	if q.VisibleIf == nil {
		return ""
	}
	return d.Sentence(q.VisibleIf)
}

// summary says in a few words what the settings of a question are.
func summary(q *quiz.Question) []string {
	var out []string
	about := kind.Of(q).About()
	switch {
	case about.Silent:
		out = append(out, "no answer needed")
	case q.Required:
		out = append(out, "required")
	default:
		out = append(out, "optional")
	}
	if least, most := q.Picks(); about.Many && (q.Least > 1 || q.Most > 0) {
		out = append(out, fmt.Sprintf("choose %d to %d", least, most))
	}
	if q.Weight != nil {
		if q.Weight.Sign() == 0 {
			out = append(out, "not scored")
		} else {
			out = append(out, "counts "+q.Weight.String()+" times")
		}
	}
	if q.From != nil && q.To != nil {
		out = append(out, q.From.String()+" to "+q.To.String()+" "+q.Unit)
	}
	if q.Shuffle {
		out = append(out, "shuffled")
	}
	if q.ChoicesFrom != nil {
		out = append(out, "answers from lookup table "+q.ChoicesFrom.Table)
	}
	if slices.ContainsFunc(q.Choices, func(c quiz.Choice) bool { return c.Correct }) {
		out = append(out, "has correct answers")
	}
	if q.Image != "" {
		out = append(out, "picture")
	}
	return out
}

// samples shows the value of every formula for someone: a respondent of the outcome that most of them reach.
func samples(v *workbench.Counted) (map[string]template.HTML, error) {
	out := map[string]template.HTML{}
	for i := range v.Doc.Computed {
		out[fmt.Sprint("sample-", i)] = ""
	}
	r, who, err := v.Sample()
	if err != nil || r == nil {
		return out, err
	}
	for i := range v.Doc.Computed {
		text := "blank"
		if s := r.Computed[i].String(); s != "" {
			text = s
		}
		out[fmt.Sprint("sample-", i)] = template.HTML(
			"= <b>" + template.HTMLEscapeString(text) + "</b> for " + template.HTMLEscapeString(who),
		)
	}
	return out, nil
}
