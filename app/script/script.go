// Package script is the room in which a quiz is written and weighed: questions in reading order, each answer a line that
// runs on into the ledger of points and votes.
package script

import (
	"embed"
	"fmt"
	"net/url"
	"strconv"

	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

// Room is the Script room of the workbench.
func Room() workbench.Room {
	return workbench.Room{Key: "script", Title: "Script", Scripts: []string{"vendor/sortable.js", "script.js"},
		Template: workbench.Templates(files, "*.html"), View: view,
		Count: func(d *workbench.Draft) string { return strconv.Itoa(len(d.Doc.Questions)) }}
}

// A column of the ledger is a scale or a keyword.
type column struct {
	ID     string
	Name   string
	Path   string // of its name
	Group  string // points or votes
	Remove string // patch
}

type cell struct {
	Column string
	Text   string
	Tint   string
}

// row is one line of the ledger: an answer, or the factor or offset of a rating or number.
type row struct {
	Path  string // JSON Pointer of the answer
	Label string
	Base  string // JSON Pointer of the question's part that holds the cells
	Part  string // "" for an answer or a step; factor or offset
	Step  *quiz.Step
	Cells []cell
	Up    string // patches
	Down  string
	Copy  string
	Drop  string
}

type kindOption struct {
	Kind     quiz.Kind
	Name     string
	Selected bool
	Patch    string
}

type question struct {
	*quiz.Question
	Path      string
	Number    int
	KindName  string
	Kinds     []kindOption
	Rows      []row
	AddAnswer string
	AddFocus  string
	AddStep   string
	Up        string
	Down      string
	Copy      string
	Drop      string
	Scored    bool // has cells
	Choosable bool
	Branches  []string // in words
	Visible   string
}

type sheet struct {
	Draft      *workbench.Draft
	Columns    []column
	Questions  []question
	Width      int // columns of the table
	AddScale   string
	AddKeyword string
	AddScaleAt string
	AddKeyAt   string
	Adds       []kindOption
	AddFocus   string
	Intro      *quiz.Intro
	AddIntro   string
	DropIntro  string
	Contact    contactView
}

var kindNames = []struct {
	kind quiz.Kind
	name string
}{
	{quiz.Single, "one answer"}, {quiz.Multiple, "several answers"}, {quiz.Rating, "rating"}, {quiz.NumberQ, "number"},
	{quiz.ShortText, "short text"}, {quiz.Email, "e-mail"},
}

var (
	patch  = quiz.JSON
	add    = quiz.Add
	remove = quiz.Remove
	move   = quiz.Move
)

func view(draft *workbench.Draft, _ url.Values) (any, error) {
	d := draft.Doc
	s := &sheet{Draft: draft, Intro: d.Intro}
	for i := range d.Scales {
		s.Columns = append(s.Columns, column{d.Scales[i].ID, d.Scales[i].Title(), quiz.Pointer("scales", i, "name"), "points", dropColumn(d, "scales", i, d.Scales[i].ID)})
	}
	for i := range d.Keywords {
		s.Columns = append(s.Columns, column{d.Keywords[i].ID, d.Keywords[i].Title(), quiz.Pointer("keywords", i, "name"), "votes", dropColumn(d, "keywords", i, d.Keywords[i].ID)})
	}
	s.Width = len(s.Columns) + 3
	s.addColumns(d)
	top := largest(d)
	for i := range d.Questions {
		s.Questions = append(s.Questions, s.question(d, i, top))
	}
	id := quiz.Unused("q", func(id string) bool { return d.Question(id) >= 0 })
	for _, k := range kindNames {
		s.Adds = append(s.Adds, kindOption{Kind: k.kind, Name: k.name, Patch: patch(add("/questions/-", fresh(id, k.kind)))})
	}
	s.AddFocus = quiz.Pointer("questions", len(d.Questions), "text")
	if d.Intro == nil {
		s.AddIntro = patch(add("/intro", quiz.Intro{Heading: d.Name, Button: "Begin"}))
	} else {
		s.DropIntro = patch(remove("/intro"))
	}
	s.Contact = contact(d)
	return s, nil
}

func (s *sheet) addColumns(d *quiz.Document) {
	scale := quiz.Scale{ID: quiz.Unused("s", func(id string) bool { return d.Scale(id) != nil })}
	scale.Name = "Scale " + scale.ID[1:]
	keyword := quiz.Keyword{ID: quiz.Unused("k", func(id string) bool { return d.Keyword(id) != nil })}
	keyword.Name = "Keyword " + keyword.ID[1:]
	addTo := func(list string, n int, value any) string {
		if n == 0 {
			return patch(add("/"+list, []any{value}))
		}
		return patch(add("/"+list+"/-", value))
	}
	s.AddScale, s.AddScaleAt = addTo("scales", len(d.Scales), scale), quiz.Pointer("scales", len(d.Scales), "name")
	s.AddKeyword, s.AddKeyAt = addTo("keywords", len(d.Keywords), keyword), quiz.Pointer("keywords", len(d.Keywords), "name")
}

// fresh is a new question of a kind, with what the kind needs to be answered.
func fresh(id string, k quiz.Kind) quiz.Question {
	q := quiz.Question{ID: id, Kind: k, Required: true}
	switch k {
	case quiz.Single, quiz.Multiple:
		q.Choices = []quiz.Choice{{ID: "a1"}, {ID: "a2"}}
	case quiz.Rating:
		q.From, q.To = whole(1), whole(5)
	case quiz.NumberQ:
		q.From, q.To = whole(0), whole(100)
	}
	return q
}

func whole(n int64) *rule.Number { v := rule.Int(n); return &v }

func (s *sheet) question(d *quiz.Document, i int, top map[string]rule.Number) question {
	q, at := &d.Questions[i], quiz.Pointer("questions", i)
	v := question{Question: q, Path: at, Number: i + 1, Choosable: q.Kind == quiz.Single || q.Kind == quiz.Multiple || q.Kind == quiz.Grid}
	for _, k := range kindNames {
		if k.kind == q.Kind {
			v.KindName = k.name
		}
		v.Kinds = append(v.Kinds, kindOption{k.kind, k.name, k.kind == q.Kind, become(q, at, k.kind)})
	}
	if v.KindName == "" {
		v.KindName = string(q.Kind)
		v.Kinds = append(v.Kinds, kindOption{Kind: q.Kind, Name: v.KindName, Selected: true})
	}
	last := len(d.Questions) - 1
	if i > 0 {
		v.Up = patch(move(at, quiz.Pointer("questions", i-1)))
	}
	if i < last {
		v.Down = patch(move(at, quiz.Pointer("questions", i+1)))
	}
	twin := *q
	twin.ID = quiz.Unused("q", func(id string) bool { return d.Question(id) >= 0 })
	v.Copy = patch(add(quiz.Pointer("questions", i+1), twin))
	v.Drop = patch(dropQuestion(d, i)...)
	for j := range q.Branches {
		v.Branches = append(v.Branches, "when "+d.Sentence(&q.Branches[j].When)+" → "+targetName(d, q.Branches[j].Go))
	}
	if q.VisibleIf != nil {
		v.Visible = d.Sentence(q.VisibleIf)
	}
	switch {
	case v.Choosable:
		v.Scored = true
		s.answers(&v, top)
	case q.Kind == quiz.Rating || q.Kind == quiz.NumberQ:
		v.Scored = true
		for _, part := range []string{"factor", "offset"} {
			r := row{Path: at, Base: at + "/linear", Part: part, Label: "points for each 1 of the value"}
			if part == "offset" {
				r.Label = "and points added once"
			}
			for _, c := range s.Columns {
				if c.Group != "points" {
					r.Cells = append(r.Cells, cell{})
					continue
				}
				n := q.Linear[c.ID].Factor
				if part == "offset" {
					n = q.Linear[c.ID].Offset
				}
				r.Cells = append(r.Cells, cell{c.ID, cellText(n), tint(n, rule.Number{})})
			}
			v.Rows = append(v.Rows, r)
		}
		s.steps(&v, top)
	}
	return v
}

// steps are lines for the values from a number up, which give points and votes of their own.
func (s *sheet) steps(v *question, top map[string]rule.Number) {
	list := v.Path + "/steps"
	var next quiz.Step
	if v.Question.From != nil {
		next.From = *v.Question.From
	}
	for j := range v.Question.Steps {
		step, at := &v.Question.Steps[j], list+quiz.Pointer(j)
		r := row{Path: at, Base: at, Step: step, Drop: patch(remove(at))}
		for _, col := range s.Columns {
			n := step.Points[col.ID]
			if col.Group == "votes" {
				n = step.Votes[col.ID]
			}
			r.Cells = append(r.Cells, cell{col.ID, cellText(n), tint(n, top[col.Group+col.ID])})
		}
		v.Rows = append(v.Rows, r)
		next.From = step.From.Add(rule.Int(1))
	}
	v.AddStep, v.AddFocus = patch(add(list+"/-", next)), list+quiz.Pointer(len(v.Question.Steps), "from")
	if len(v.Question.Steps) == 0 {
		v.AddStep = patch(add(list, []quiz.Step{next}))
	}
}

func (s *sheet) answers(v *question, top map[string]rule.Number) {
	q, list := v.Question, v.Path+"/choices"
	for j := range q.Choices {
		c, at := &q.Choices[j], list+quiz.Pointer(j)
		r := row{Path: at, Label: c.Label, Base: at, Drop: patch(remove(at))}
		if j > 0 {
			r.Up = patch(move(at, list+quiz.Pointer(j-1)))
		}
		if j < len(q.Choices)-1 {
			r.Down = patch(move(at, list+quiz.Pointer(j+1)))
		}
		twin := *c
		twin.ID = quiz.Unused("a", func(id string) bool { return q.Choice(id) >= 0 })
		r.Copy = patch(add(list+quiz.Pointer(j+1), twin))
		for _, col := range s.Columns {
			n := c.Points[col.ID]
			if col.Group == "votes" {
				n = c.Votes[col.ID]
			}
			r.Cells = append(r.Cells, cell{col.ID, cellText(n), tint(n, top[col.Group+col.ID])})
		}
		v.Rows = append(v.Rows, r)
	}
	next := quiz.Choice{ID: quiz.Unused("a", func(id string) bool { return q.Choice(id) >= 0 })}
	v.AddAnswer, v.AddFocus = patch(add(list+"/-", next)), list+quiz.Pointer(len(q.Choices), "label")
	if len(q.Choices) == 0 {
		v.AddAnswer = patch(add(list, []quiz.Choice{next}))
	}
}

func cellText(n rule.Number) string {
	if n.Sign() == 0 {
		return ""
	}
	return n.String()
}

// largest finds the greatest size in each column, for the tints.
func largest(d *quiz.Document) map[string]rule.Number {
	top := map[string]rule.Number{}
	see := func(key string, n rule.Number) {
		if n.Sign() < 0 {
			n = rule.Int(0).Sub(n)
		}
		if n.Cmp(top[key]) > 0 {
			top[key] = n
		}
	}
	for i := range d.Questions {
		for _, c := range d.Questions[i].Choices {
			for id, n := range c.Points {
				see("points"+id, n)
			}
			for id, n := range c.Votes {
				see("votes"+id, n)
			}
		}
		for _, c := range d.Questions[i].Steps {
			for id, n := range c.Points {
				see("points"+id, n)
			}
			for id, n := range c.Votes {
				see("votes"+id, n)
			}
		}
	}
	return top
}

// tint is one of three steps of green or red by sign and size.
func tint(n, top rule.Number) string {
	if n.Sign() == 0 || top.Sign() == 0 {
		return ""
	}
	size := n.Float() / top.Float()
	step := func(f float64) int { return min(3, max(1, int(f*3+0.999))) }
	if size < 0 {
		return fmt.Sprint("m", step(-size))
	}
	return fmt.Sprint("p", step(size))
}

// become is the patch that turns a question into another kind, keeping what both kinds have.
func become(q *quiz.Question, at string, k quiz.Kind) string {
	if k == q.Kind {
		return ""
	}
	ops := []quiz.Operation{add(at+"/kind", k)}
	f := fresh(q.ID, k)
	if len(f.Choices) > 0 && len(q.Choices) == 0 {
		ops = append(ops, add(at+"/choices", f.Choices))
	}
	if f.From != nil && (q.From == nil || q.To == nil) {
		ops = append(ops, add(at+"/from", f.From), add(at+"/to", f.To))
	}
	return patch(ops...)
}

// dropQuestion removes a question and the branches that lead to it.
func dropQuestion(d *quiz.Document, i int) []quiz.Operation {
	var ops []quiz.Operation
	for n := range d.Questions {
		for b := len(d.Questions[n].Branches) - 1; b >= 0; b-- {
			if d.Questions[n].Branches[b].Go == "question:"+d.Questions[i].ID {
				ops = append(ops, remove(quiz.Pointer("questions", n, "branches", b)))
			}
		}
	}
	return append(ops, remove(quiz.Pointer("questions", i)))
}

// dropColumn removes a scale or keyword with every point or vote given to it.
func dropColumn(d *quiz.Document, list string, i int, id string) string {
	group := map[string]string{"scales": "points", "keywords": "votes"}[list]
	var ops []quiz.Operation
	has := func(m map[string]rule.Number) bool { _, ok := m[id]; return ok }
	for n := range d.Questions {
		q := &d.Questions[n]
		for c := range q.Choices {
			if group == "points" && has(q.Choices[c].Points) || group == "votes" && has(q.Choices[c].Votes) {
				ops = append(ops, remove(quiz.Pointer("questions", n, "choices", c, group, id)))
			}
		}
		for s := range q.Steps {
			if group == "points" && has(q.Steps[s].Points) || group == "votes" && has(q.Steps[s].Votes) {
				ops = append(ops, remove(quiz.Pointer("questions", n, "steps", s, group, id)))
			}
		}
		if _, ok := q.Linear[id]; ok && list == "scales" {
			ops = append(ops, remove(quiz.Pointer("questions", n, "linear", id)))
		}
	}
	return patch(append(ops, remove(quiz.Pointer(list, i)))...)
}

func targetName(d *quiz.Document, to string) string {
	if to == "finish" {
		return "finish"
	}
	for i := range d.Questions {
		if to == "question:"+d.Questions[i].ID {
			return fmt.Sprintf("%d %s", i+1, d.Questions[i].Title())
		}
	}
	for i := range d.Outcomes {
		if to == "outcome:"+d.Outcomes[i].ID {
			return d.Outcomes[i].Title()
		}
	}
	return to
}

// contactView is the contact step as it is edited at the end of the script.
type contactView struct {
	Place   string
	Places  []kindOption
	Fields  []contactToggle
	Contact *quiz.Contact
	Consent string // "" when there is none
	HasText bool
	On, Off string // patches of the consent line
}

type contactToggle struct {
	Name     string
	Shown    bool
	On, Off  string // patches
	Required bool
	Path     string
}

func contact(d *quiz.Document) contactView {
	c := quiz.Contact{Place: quiz.ContactNone}
	if d.Contact != nil {
		c = *d.Contact
	}
	v := contactView{Place: c.Place, Contact: d.Contact}
	with := func(change func(*quiz.Contact)) string {
		next := c
		next.Fields = append([]quiz.ContactField{}, c.Fields...)
		change(&next)
		return patch(add("/contact", next))
	}
	for _, p := range []struct{ place, name string }{{quiz.ContactNone, "nobody is asked"}, {quiz.ContactBefore, "asked before the outcome"}} {
		v.Places = append(v.Places, kindOption{Name: p.name, Selected: p.place == c.Place, Patch: with(func(n *quiz.Contact) {
			n.Place = p.place
			if len(n.Fields) == 0 {
				n.Fields = []quiz.ContactField{{ID: "name", Kind: "name", Label: "Name"}, {ID: "email", Kind: "email", Label: "E-mail", Required: true}}
			}
		})})
	}
	for _, f := range []quiz.ContactField{{ID: "name", Kind: "name", Label: "Name"}, {ID: "email", Kind: "email", Label: "E-mail", Required: true}} {
		t := contactToggle{Name: f.Label, On: with(func(n *quiz.Contact) { n.Fields = append(n.Fields, f) })}
		for i := range c.Fields {
			if c.Fields[i].ID == f.ID {
				t.Shown, t.On, t.Required, t.Path = true, "", c.Fields[i].Required, quiz.Pointer("contact", "fields", i, "required")
				t.Off = patch(remove(quiz.Pointer("contact", "fields", i)))
			}
		}
		v.Fields = append(v.Fields, t)
	}
	v.On = with(func(n *quiz.Contact) {
		n.Consent = &quiz.ConsentText{Text: "You may write to me about this result.", Required: true}
	})
	if c.Consent != nil {
		v.HasText, v.Off = true, patch(remove("/contact/consent"))
	}
	return v
}
