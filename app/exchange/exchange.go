// Package exchange imports and exports quizzes as text, sheets (CSV, XLSX) and documents (JSON). An import shows a
// preview first.
package exchange

import (
	"bytes"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"reflect"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/account"
	"omphalos/app/edit"
	"omphalos/app/limits"
	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/store/documents"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/sheet"
)

//go:embed *.html
var files embed.FS

var templates = page.New(files)

// Handler answers the addresses of import and export.
type Handler struct {
	Store *store.Store
	Bench *workbench.Handler
	Heavy *limits.Heavy
}

// Routes adds them.
func (h *Handler) Routes(g gin.IRouter) {
	g.GET("/import", h.show)
	g.POST("/import", h.preview)
	g.POST("/import/take", h.create)
	g.GET("/quizzes/:id/exchange", h.show)
	g.POST("/quizzes/:id/exchange", h.preview)
	g.POST("/quizzes/:id/exchange/take", h.take)
	g.GET("/quizzes/:id/export/:file", h.export)
}

// view is what the page shows; without Quiz it makes a new one.
type view struct {
	Quiz   *documents.Quiz
	Name   string
	Text   string // as pasted
	In     *preview
	Error  string
	Sample string
}

type preview struct {
	Kind      string
	Faults    []string
	Questions []line
	Columns   []string
	Other     []string // what else changes, in words
	Payload   string   // the patch, or the document of a new quiz
	Base      int
	Name      string
	Added     int
	Changed   int
	Same      int
}

// line is one question as it would come in.
type line struct {
	State   string // new, changed, same
	Number  int
	Text    string
	Kind    string
	Answers []answerLine
}

type answerLine struct {
	Label   string
	Weights []string
	Right   bool
}

const sample = `# Is your balcony ready for ferns?

## The place
1. How much sun does it get?
   - None [4, #Fern 2]
   - An hour or two [2]
   - All day [0, #Cactus]
2. What do you want? (several)
   - Green all year [2]
   - Little work [1]
3. How sure are you? (rating 0 - 10)`

// unnamed is what a quiz is called that came without a name.
const unnamed = "New quiz"

func (h *Handler) open(c *gin.Context) (*view, *quiz.Document, bool) {
	v := &view{Sample: sample}
	if c.Param("id") == "" {
		return v, quiz.New(unnamed), true
	}
	d := h.Bench.Load(c)
	if d == nil {
		return nil, nil, false
	}
	v.Quiz, v.Name = d.Quiz, d.Doc.Name
	return v, d.Doc, true
}

func (h *Handler) render(c *gin.Context, status int, v *view) {
	title := "Import a quiz"
	if v.Quiz != nil {
		title = v.Name + ": import and export"
	}
	page.Render(
		c,
		status,
		templates,
		page.Shell{Title: title, Account: account.Of(c).Email, Scripts: []string{"home.js"}, Body: v},
	)
}

func (h *Handler) show(c *gin.Context) {
	if v, _, ok := h.open(c); ok {
		h.render(c, http.StatusOK, v)
	}
}

// maxImport bounds what is imported.
const maxImport = quiz.MaxBytes

func (h *Handler) preview(c *gin.Context) {
	v, d, ok := h.open(c)
	if !ok {
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, maxImport+1<<16)
	data, err := brought(c)
	if err != nil {
		v.Error = page.Sentence(err)
		h.render(c, http.StatusUnprocessableEntity, v)
		return
	}
	v.Text = c.PostForm("text")
	if err := h.Heavy.DoFor(c.Request.Context(), account.Of(c).ID, func() { v.look(d, data) }); err != nil {
		v.Error = page.Sentence(err)
		h.render(c, http.StatusServiceUnavailable, v)
		return
	}
	status := http.StatusOK
	if len(v.In.Faults) > 0 {
		status = http.StatusUnprocessableEntity
	}
	h.render(c, status, v)
}

// look reads what was brought and compares it with the quiz.
func (v *view) look(d *quiz.Document, data []byte) {
	in := read(d, data)
	v.In = &preview{Kind: in.Kind, Faults: in.Faults}
	if len(in.Faults) == 0 {
		if err := v.In.fill(v, d, in); err != nil {
			v.In.Faults = []string{page.Sentence(err)}
		}
	}
	if n := len(v.In.Faults); n > quiz.MaxProblems {
		v.In.Faults = append(v.In.Faults[:quiz.MaxProblems], fmt.Sprintf("… and %d more. Fix "+
			"these first.", n-quiz.MaxProblems))
	}
}

// brought is the file that was sent, else the text that was pasted.
func brought(c *gin.Context) ([]byte, error) {
	header, err := c.FormFile("file")
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		return nil, fmt.Errorf("the file is larger than %d MB", maxImport>>20)
	}
	if err == nil && header.Size > 0 {
		f, err := header.Open()
		if err != nil {
			return nil, err
		}
		defer f.Close()
		return io.ReadAll(f)
	}
	if text := c.PostForm("text"); strings.TrimSpace(text) != "" {
		return []byte(text), nil
	}
	return nil, errors.New("paste some text or choose a file")
}

func marshal(d *quiz.Document) ([]byte, error) { return json.Marshal(d) }

// fill compares what is with what would be.
func (p *preview) fill(v *view, d *quiz.Document, in incoming) error {
	p.heads(in.Next)
	for i := range in.Next.Questions {
		p.question(v, d, in.Next, i)
	}
	for i := range d.Questions {
		if in.Next.Question(d.Questions[i].ID) < 0 {
			p.Other = append(p.Other, fmt.Sprintf("question %d, “%s”, will be removed", i+1, d.Questions[i].Title()))
		}
	}
	if v.Quiz == nil {
		return p.fresh(v, in)
	}
	patch, parts, err := difference(d, in.Next, in.Whole)
	if err != nil {
		return err
	}
	p.besides(d, in, parts)
	p.Base = v.Quiz.Revision
	p.Payload = quiz.JSON(patch...)
	if len(patch) == 0 {
		return errors.New("nothing to import: this is identical to the quiz")
	}
	return nil
}

// heads names the columns of weights.
func (p *preview) heads(next *quiz.Document) {
	for i := range next.Scales {
		p.Columns = append(p.Columns, next.Scales[i].Title())
	}
	for i := range next.Keywords {
		p.Columns = append(p.Columns, next.Keywords[i].Title())
	}
}

// question lists a question as it would be, and whether that is new.
func (p *preview) question(v *view, d, next *quiz.Document, i int) {
	q := &next.Questions[i]
	l := line{State: "new", Number: i + 1, Text: q.Title(), Kind: strings.ReplaceAll(string(q.Kind), "_", " ")}
	if at := d.Question(q.ID); at >= 0 && v.Quiz != nil {
		l.State = "changed"
		if same(d.Questions[at], *q) {
			l.State = "same"
		}
	}
	switch l.State {
	case "new":
		p.Added++
	case "changed":
		p.Changed++
	default:
		p.Same++
	}
	for _, c := range q.Choices {
		l.Answers = append(l.Answers, answerLine{Label: c.Title(), Right: c.Correct, Weights: weights(next, c)})
	}
	p.Questions = append(p.Questions, l)
}

// weights are the cells of an answer; those of 0 are empty.
func weights(d *quiz.Document, c quiz.Choice) []string {
	var out []string
	add := func(n rule.Number) {
		text := ""
		if n.Sign() != 0 {
			text = n.String()
		}
		out = append(out, text)
	}
	for _, s := range d.Scales {
		add(c.Points[s.ID])
	}
	for _, k := range d.Keywords {
		add(c.Votes[k.ID])
	}
	return out
}

// fresh is the preview of a new quiz: it carries the document itself.
func (p *preview) fresh(v *view, in incoming) error {
	p.Name = in.Next.Name
	if p.Name == unnamed && in.Kind == "text" {
		pasted, _ := sheet.ParseText(v.Text, "Score")
		p.Name = pasted.Name
	}
	in.Next.Name = p.Name
	data, err := marshal(in.Next)
	p.Payload = string(data)
	return err
}

// besides lists in words what changes next to the questions.
func (p *preview) besides(d *quiz.Document, in incoming, parts []string) {
	for _, part := range parts {
		if in.Whole && part != "questions" {
			p.Other = append(p.Other, "the part “"+part+"” will be replaced")
		}
	}
	for _, code := range in.Next.Languages()[1:] {
		n := 0
		for place, text := range in.Next.Translations[code] {
			if d.Translations[code][place] != text {
				n++
			}
		}
		if n > 0 {
			p.Other = append(p.Other, page.Plural(n, "text", "texts")+" in "+quiz.LanguageName(code))
		}
	}
	if in.Whole {
		return
	}
	for i := range in.Next.Scales {
		if s := &in.Next.Scales[i]; d.Scale(s.ID) == nil {
			p.Other = append(p.Other, "a new scale, "+s.Title())
		}
	}
	for i := range in.Next.Keywords {
		if k := &in.Next.Keywords[i]; d.Keyword(k.ID) == nil {
			p.Other = append(p.Other, "a new keyword, "+k.Title())
		}
	}
}

func same(a, b any) bool {
	x, _ := json.Marshal(a)
	y, _ := json.Marshal(b)
	return bytes.Equal(x, y)
}

// members are those of a document that an import can replace, in the order in which they are told.
var members = []string{
	"name", "language", "intro", "scales", "keywords", "questions", "sections", "params", "computed", "outcomes",
	"verdicts", "otherwise", "contact", "recommendations", "settings", "theme", "translations",
}

// scriptMembers are those that text and sheets hold.
var scriptMembers = []string{"scales", "keywords", "questions", "sections", "intro", "translations"}

// difference is the edit that turns one document into the other, part by part; without whole only questions, columns,
// sections and the opening page.
func difference(from, to *quiz.Document, whole bool) ([]quiz.Operation, []string, error) {
	parts := func(d *quiz.Document) (map[string]json.RawMessage, error) {
		data, err := marshal(d)
		if err != nil {
			return nil, err
		}
		var out map[string]json.RawMessage
		return out, json.Unmarshal(data, &out)
	}
	a, err := parts(from)
	if err != nil {
		return nil, nil, err
	}
	b, err := parts(to)
	if err != nil {
		return nil, nil, err
	}
	var ops []quiz.Operation
	var names []string
	for _, key := range members {
		if !whole && !slices.Contains(scriptMembers, key) {
			continue
		}
		switch {
		case reflect.DeepEqual(a[key], b[key]):
			continue
		case b[key] == nil:
			ops = append(ops, quiz.Remove("/"+key))
		default:
			ops = append(ops, quiz.Operation{Op: "add", Path: "/" + key, Value: b[key]})
		}
		names = append(names, key)
	}
	return ops, names, nil
}

// take makes the previewed edit.
func (h *Handler) take(c *gin.Context) {
	v, _, ok := h.open(c)
	if !ok {
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, 3*maxImport)
	var base int
	_, err := fmt.Sscan(c.PostForm("base"), &base)
	var patch quiz.Patch
	if err == nil {
		patch, err = quiz.ReadPatch([]byte(c.PostForm("payload")))
	}
	if err != nil {
		v.Error = "Something was missing from the form. Check the preview again."
		h.render(c, http.StatusBadRequest, v)
		return
	}
	_, err = h.Bench.Editor.Apply(
		c.Request.Context(),
		workbench.Actor(c),
		v.Quiz.ID,
		edit.Edit{Base: base, Patch: patch},
	)
	switch edit.KindOf(err) {
	case 0:
		if err != nil {
			page.Failed(c, err)
			return
		}
		c.Redirect(http.StatusSeeOther, "/quizzes/"+v.Quiz.ID+"/script")
	case edit.Stale:
		v.Error = "Someone has changed the quiz in the meantime. Check the preview again."
		h.render(c, edit.Status(err), v)
	default:
		v.Error = err.Error()
		h.render(c, edit.Status(err), v)
	}
}

// create makes a new quiz of what was previewed.
func (h *Handler) create(c *gin.Context) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, 3*maxImport)
	v := &view{Sample: sample}
	d, err := quiz.ReadDraft([]byte(c.PostForm("payload")))
	if err == nil {
		if name := strings.TrimSpace(c.PostForm("name")); name != "" {
			d.Name = name
		}
		var text []byte
		if text, err = marshal(d); err == nil {
			var q *documents.Quiz
			if q, err = h.Bench.Editor.Create(workbench.Actor(c), text); err == nil {
				c.Redirect(http.StatusSeeOther, "/quizzes/"+q.ID+"/script")
				return
			}
		}
	}
	v.Error = page.Sentence(err)
	h.render(c, http.StatusUnprocessableEntity, v)
}

// export sends the draft as a document or a sheet.
func (h *Handler) export(c *gin.Context) {
	d := h.Bench.Load(c)
	if d == nil {
		return
	}
	var data []byte
	var kind string
	var err error
	file := c.Param("file")
	switch file {
	case "quiz.json":
		var b bytes.Buffer
		err = json.Indent(&b, d.Quiz.Document, "", "  ")
		data, kind = b.Bytes(), "application/json"
	case "sheet.csv":
		data, kind = sheet.CSVText(sheet.Guarded(sheet.Write(d.Doc))), "text/csv; charset=utf-8"
	case "texts.csv":
		texts := sheet.WriteTexts(d.Doc, buttons(d.Doc)...)
		data, kind = sheet.CSVText(sheet.GuardedTexts(texts)), "text/csv; charset=utf-8"
	case "texts.xlsx":
		data, err = writeTextsXLSX(sheet.WriteTexts(d.Doc, buttons(d.Doc)...))
		kind = spreadsheet
	case "sheet.xlsx":
		data, err = writeXLSX(sheet.Write(d.Doc))
		kind = spreadsheet
	default:
		page.NotFound(c)
		return
	}
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Header("Content-Disposition", `attachment; filename="`+file+`"`)
	c.Data(http.StatusOK, kind, data)
}

const spreadsheet = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
