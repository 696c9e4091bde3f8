// Package endings is the room for outcomes: their endings (a page, products or a redirect) and what all endings share,
// such as the theme, wording, lookup tables and the product catalogue.
package endings

import (
	"embed"
	"html/template"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/respond"
	"omphalos/app/store"
	"omphalos/app/store/documents"
	"omphalos/app/workbench"
	"omphalos/core/fill"
	"omphalos/core/message"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/walk"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

// Handler answers the room's own addresses.
type Handler struct {
	Store *store.Store
	Bench *workbench.Handler
	Pages *respond.Handler
}

// preview shows an ending of the draft, or with no outcome the first page of questions, as respondents will get it.
func (h *Handler) preview(c *gin.Context) {
	v, err := h.Bench.Count(c)
	if v == nil {
		return
	}
	outcome := c.Query("outcome")
	var in *walk.Input
	if err == nil && v.Report != nil {
		for _, o := range v.Report.Outcomes {
			if o.ID == outcome && o.Witness != nil {
				somebody := reach.InputOf(v.Doc, o.Witness)
				in = &somebody
			}
		}
	}
	h.Pages.Preview(c, v.Quiz, outcome, in)
}

// Room is the Endings room of the workbench.
func (h *Handler) Room() workbench.Room {
	return workbench.Room{Key: "endings", Title: "Endings", Scripts: []string{"endings.js"},
		Template: templates, View: h.view, Reach: shares,
		Blocks: func(v any) []workbench.Block { return v.(*view).Blocks },
		Count:  func(d *workbench.Draft) string { return strconv.Itoa(len(d.Doc.Outcomes)) },
		Keys: []workbench.Keys{
			{
				Name: "Tables",
				List: [][2]string{
					{"Enter, ↓ ↑", "Move between cells"},
					{"Ctrl+V", "Paste cells from a spreadsheet"},
				},
			},
		}}
}

var templates = workbench.Templates(files)

type button struct {
	quiz.Button
	Path string
	Drop string
}

type option = workbench.Option

type view struct {
	SheetRows []sheetRow
	Draft     *workbench.Draft
	Part      string // outcome, look, all, products, files, table
	Chosen    *outcome
	Look      *lookView
	All       *allView
	Products  *productsView
	Tables    []documents.Table
	Table     *tableView
	Files     *filesView
	Misses    []documents.Miss
	Blocks    []workbench.Block // of what has a preview next to it, which stays while the fields are drawn again
}

// draw draws the blocks.
func (s *view) draw() {
	for _, name := range []string{"list", "shown", "fields"} {
		key := name
		if name == "shown" {
			key = "shown:"
			if s.Chosen != nil {
				key += s.Chosen.ID
			}
		}
		s.Blocks = append(s.Blocks, workbench.NewBlock(key, page.Execute(templates, name, s)))
	}
}

// editableTexts is what is typed into the page: the texts as they are, before anything is filled in.
type editableTexts struct {
	Path    string        `json:"path"`
	Heading string        `json:"heading"`
	Text    string        `json:"text"`
	Buttons []typedButton `json:"buttons"`
}

type typedButton struct {
	At    string `json:"at"`
	Label string `json:"label"`
}

// outcome is one outcome as it is edited.
type outcome struct {
	*quiz.Outcome
	Fresh    bool // it has just been made: its name comes first
	Typed    editableTexts
	Mark     page.Mark
	Path     string
	Kinds    []option
	Kind     string
	Ending   quiz.Ending
	Buttons  []button
	AddBtn   string
	AddBtnAt string
	Picture  workbench.Picture
	Keep     bool
	KeepOn   string
	KeepOff  string
	Up, Down string
	Drop     string
	Used     []string      // where the outcome is used
	Sent     []sentMessage // messages that respondents who end here can set off
	Names    []string      // that addresses can fill in
	Unknown  []string      // in the address
	Lookup   *lookupView
	AddTable string // patch: take the address from a table
	NoTables bool
	Skus     []sku

	Charts    []chartView
	AddCharts []option
}

// sentMessage is a message as an outcome lists it.
type sentMessage struct {
	ID, Name, To string
	Agreed       bool // only with consent
}

func sentAt(d *quiz.Document, outcome string) []sentMessage {
	var out []sentMessage
	for _, m := range message.May(d, outcome) {
		to := "your team"
		if m.To == quiz.ToRespondent {
			to = "the respondent"
		}
		out = append(out, sentMessage{m.ID, m.Title(), to, m.Agreed})
	}
	return out
}

// lookupView is a redirect's table as it is chosen.
type lookupView struct {
	Path    string
	Tables  []option
	Keys    []option
	Columns []option
	Drop    string
	Fall    string
}

type sku struct {
	Name  string
	On    bool
	Value string
}

func (h *Handler) view(draft *workbench.Draft, query url.Values) (any, error) {
	d := draft.Doc
	s := &view{Draft: draft, Part: query.Get("part")}
	var err error
	if s.Tables, err = h.Store.Documents.Tables(draft.Quiz.ID); err != nil {
		return nil, err
	}
	if s.Misses, err = h.Store.Documents.Misses(draft.Quiz.ID); err != nil {
		return nil, err
	}
	at, _ := d.Find(query.Get("at"))
	switch {
	case query.Get("table") != "":
		s.Part = "table"
		if s.Table, err = h.table(draft, s.Tables, query.Get("table")); err == nil {
			s.Table.narrow(query.Get("find"))
		}
		return s, err
	case s.Part == "look" || strings.HasPrefix(at, "/theme"):
		s.Part, s.Look = "look", lookOf(d)
		s.draw()
		return s, nil
	case s.Part == "all" || strings.HasPrefix(at, "/settings"):
		s.Part, s.All = "all", allOf(d)
		return s, nil
	case s.Part == "sheet":
		s.SheetRows = sheetRows(d)
		return s, nil
	case s.Part == "files":
		s.Files, err = h.files(s, query)
		return s, err
	case s.Part == "products" || strings.HasPrefix(at, "/recommendations"):
		s.Part, s.Products = "products", productsOf(d, s.Tables)
		s.Products.AsLines = query.Get("show") == "conditions"
		return s, nil
	}
	s.Part = "outcome"
	chosen := slices.IndexFunc(d.Outcomes, func(o quiz.Outcome) bool { return o.ID == query.Get("outcome") })
	if parts := strings.Split(at, "/"); chosen < 0 && len(parts) > 2 {
		if n, err := strconv.Atoi(parts[2]); err == nil && n >= 0 && n < len(d.Outcomes) {
			chosen = n
		}
	}
	if chosen < 0 && len(d.Outcomes) > 0 {
		chosen = 0
	}
	if chosen >= 0 {
		s.choose(chosen)
		s.Chosen.Fresh = query.Has("new")
		s.draw()
	}
	return s, nil
}

func (s *view) choose(i int) {
	d := s.Draft.Doc
	o := &d.Outcomes[i]
	v := &outcome{Outcome: o, Mark: s.Draft.Mark(o.ID), Path: d.At("outcomes", i)}
	s.Chosen = v
	if o.Ending != nil {
		v.Ending = *o.Ending
	}
	if v.Ending.Kind == "" {
		v.Ending.Kind = quiz.EndPage
	}
	v.Kind = v.Ending.Kind
	for _, k := range []struct{ kind, name string }{
		{quiz.EndPage, "Page"},
		{quiz.EndProducts, "Products"},
		{quiz.EndRedirect, "Redirect"},
	} {
		v.Kinds = append(
			v.Kinds,
			option{
				Name:     k.name,
				Value:    k.kind,
				Selected: k.kind == v.Kind,
			},
		)
	}
	for j, b := range v.Ending.Buttons {
		at := d.Below(v.Path, "ending", "buttons", j)
		v.Buttons = append(v.Buttons, button{b, at, quiz.JSON(quiz.Remove(at))})
	}
	v.Typed = editableTexts{Path: v.Path, Heading: o.Heading, Text: o.Text, Buttons: []typedButton{}}
	for i, b := range v.Ending.Buttons {
		v.Typed.Buttons = append(v.Typed.Buttons, typedButton{d.Below(v.Path, "ending", "buttons", i), b.Label})
	}
	v.charts(d)
	v.AddBtn = v.ending(workbench.AddTo(v.Path+"/ending/buttons", quiz.Button{}))
	v.AddBtnAt = d.Next(v.Path+"/ending/buttons", quiz.Button{}, "label")
	v.Picture = workbench.Picture{Path: v.Path, Image: o.Image, Alt: o.Alt, Credit: o.Credit, Credits: true}
	v.Keep = o.Keeps()
	v.KeepOn, v.KeepOff = quiz.JSON(quiz.Add(v.Path+"/keep", true)), quiz.JSON(quiz.Add(v.Path+"/keep", false))
	v.Up, v.Down = workbench.Order(d, "/outcomes", i, len(d.Outcomes))
	v.Drop = quiz.JSON(quiz.Remove(v.Path))
	v.Used = Uses(d, o.ID)
	v.Sent = sentAt(d, o.ID)
	v.Names = names(d)
	if a, err := fill.ParseAddress(v.Ending.URL); err == nil {
		for _, name := range a.Names() {
			if !fill.Known(d, name) {
				v.Unknown = append(v.Unknown, name)
			}
		}
	}
	s.lookup(v)
	s.skus(v)
}

// ending is an edit of the ending, which gets its kind first where there is none yet.
func (v *outcome) ending(ops ...quiz.Operation) string {
	if v.Outcome.Ending == nil {
		ops = append([]quiz.Operation{quiz.Add(v.Path+"/ending/kind", v.Kind)}, ops...)
	}
	return quiz.JSON(ops...)
}

func names(d *quiz.Document) []string {
	var out []string
	for j := range d.Questions {
		if workbench.Whole(&d.Questions[j]) {
			out = append(out, d.Questions[j].ID)
		}
	}
	for _, scale := range d.Scales {
		out = append(out, "scale."+scale.ID)
	}
	for _, c := range d.Computed {
		out = append(out, "computed."+c.ID)
	}
	for _, p := range d.Params {
		out = append(out, "param."+p)
	}
	return append(out, "lead.id")
}

// lookup offers the table that a redirect takes its address from.
func (s *view) lookup(v *outcome) {
	d := s.Draft.Doc
	at := v.Path + "/ending/lookup"
	var first *documents.Table
	for i := range s.Tables {
		if s.Tables[i].Name != catalogue && first == nil {
			first = &s.Tables[i]
		}
	}
	v.NoTables = first == nil
	keys := workbench.LookupKeys(d)
	l := v.Ending.Lookup
	if l == nil {
		if first != nil && len(first.Columns) > 1 {
			v.AddTable = quiz.JSON(quiz.Add(at, quiz.Lookup{
				Table:    first.Name,
				Key:      keys[0].Value,
				Column:   first.Columns[1],
				Fallback: v.Ending.URL,
			}))
		}
		return
	}
	var tables, columns []option
	for _, t := range s.Tables {
		tables = append(tables, option{Name: t.Name, Value: t.Name})
		if t.Name == l.Table {
			for _, c := range t.Columns[min(1, len(t.Columns)):] {
				columns = append(columns, option{Name: c, Value: c})
			}
		}
	}
	v.Lookup = &lookupView{
		Path:    at,
		Drop:    quiz.JSON(quiz.Remove(at)),
		Fall:    l.Fallback,
		Tables:  workbench.Choosing(at+"/table", l.Table, tables),
		Keys:    workbench.Choosing(at+"/key", l.Key, keys),
		Columns: workbench.Choosing(at+"/column", l.Column, columns),
	}
}

// skus offers the products of the catalogue to an ending of products.
func (s *view) skus(v *outcome) {
	if v.Kind != quiz.EndProducts {
		return
	}
	for _, one := range skusOf(s.Tables) {
		v.Skus = append(v.Skus, sku{one.Name, slices.Contains(v.Ending.Products, one.Value), one.Value})
	}
}

// shares puts the share of all respondents next to each outcome, and below its address what someone who ends there
// would be sent to.
func shares(v *workbench.Counted) (map[string]template.HTML, error) {
	out := map[string]template.HTML{}
	if v.Report != nil {
		if err := samples(v, out); err != nil {
			return nil, err
		}
	}
	for i, o := range v.Doc.Outcomes {
		text := ""
		if v.Report != nil {
			if text = page.Percent(v.Report.Outcomes[i].Share); !v.Report.Outcomes[i].Reachable {
				text = "nobody"
			}
		}
		out["ends-"+o.ID] = template.HTML(template.HTMLEscapeString(text))
	}
	return out, nil
}

// samples fills the address of each redirect for someone who ends there.
func samples(v *workbench.Counted, out map[string]template.HTML) error {
	c, err := walk.New(v.Doc)
	if err != nil {
		return err
	}
	for i, o := range v.Report.Outcomes {
		e := v.Doc.Outcomes[i].Ending
		if e == nil || e.Kind != quiz.EndRedirect || e.URL == "" || o.Witness == nil {
			continue
		}
		a, err := fill.ParseAddress(e.URL)
		if err != nil {
			continue // the field says so
		}
		in := reach.InputOf(v.Doc, o.Witness)
		source := fill.Source{Doc: v.Doc, Input: in, Result: c.Walk(in), Lead: "k3x9m2q7w4ta", Contact: sampleContact(v.Doc)}
		if to, err := a.Fill(source.Lookup); err == nil {
			out["filled-"+o.ID] = template.HTML("For example " + template.HTMLEscapeString(to))
		}
	}
	return nil
}

// sampleContact is what someone may have given in the contact step.
func sampleContact(d *quiz.Document) map[string]string {
	out := map[string]string{}
	if d.Contact == nil {
		return out
	}
	kinds := map[string]string{
		"email":   "name@example.org",
		"phone":   "+31612345678",
		"name":    "Orla Quill",
		"company": "Fenhall",
	}
	for _, f := range d.Contact.Fields {
		out[f.ID] = quiz.FirstOf(kinds[f.Kind], "…")
	}
	return out
}

// Uses names the places that lead to an outcome.
func Uses(d *quiz.Document, id string) []string {
	var out []string
	if d.Otherwise == id {
		out = append(out, "everyone else")
	}
	for i, v := range d.Verdicts {
		if slices.Contains(v.Leads(), id) {
			out = append(out, "Verdict line "+strconv.Itoa(i+1))
		}
	}
	for i, q := range d.Questions {
		if slices.ContainsFunc(q.Branches, func(b quiz.Branch) bool { return b.Go == "outcome:"+id }) {
			out = append(out, "a branch after question "+strconv.Itoa(i+1))
		}
	}
	return out
}
