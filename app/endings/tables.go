package endings

import (
	"encoding/json"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/store/documents"
	"omphalos/app/workbench"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	tables "omphalos/core/sheet"
)

const catalogue = documents.Catalogue

// tableView is a table as it is edited.
type tableView struct {
	documents.Table
	Draft   *workbench.Draft
	Fresh   bool
	History []documents.DataTableChange
	Used    []string
	Misses  []documents.Miss

	Questions []option // whose answers can name the lines; the value is a JSON list of their words
	Long      bool     // only a part is shown, to look at: it is changed by a file
	Find      string   // what the lines shown have in them
	Shown     [][]string
}

// IsAddress reports whether the cells of column k are addresses, which can be filled in.
func (v *tableView) IsAddress(k int) bool {
	name, _, _ := strings.Cut(v.Columns[k], " ")
	return name == "url" || name == "link"
}

// IsPicture reports whether the cells of column k are pictures of products.
func (v *tableView) IsPicture(k int) bool { return v.Name == catalogue && v.Columns[k] == "picture" }

// A longer table is not edited line by line: its page would be too much for a browser.
const (
	maxEdited = 1000
	maxShown  = 100
)

// narrow picks the lines of a long table to be shown: the first, or the first that have the words in a cell.
func (v *tableView) narrow(words string) {
	if v.Long = len(v.Rows) > maxEdited; !v.Long {
		return
	}
	v.Find = strings.TrimSpace(words)
	wanted := strings.ToLower(v.Find)
	has := func(cell string) bool { return strings.Contains(strings.ToLower(cell), wanted) }
	for _, row := range v.Rows {
		if len(v.Shown) == maxShown {
			return
		}
		if wanted == "" || slices.ContainsFunc(row, has) {
			v.Shown = append(v.Shown, row)
		}
	}
}

func tableNamed(list []documents.Table, name string) *documents.Table {
	for i := range list {
		if list[i].Name == name {
			return &list[i]
		}
	}
	return nil
}

func (h *Handler) table(draft *workbench.Draft, list []documents.Table, name string) (*tableView, error) {
	v := &tableView{
		Draft: draft,
		Fresh: true,
		Table: documents.Table{Name: name, Columns: []string{"key", "value"}, Rows: [][]string{{"", ""}}},
	}
	if name == catalogue {
		v.Columns, v.Rows = documents.CatalogueColumns, [][]string{make([]string, len(documents.CatalogueColumns))}
	}
	if t := tableNamed(list, name); t != nil {
		v.Table, v.Fresh = *t, false
	}
	var err error
	if v.History, err = h.Store.Documents.TableHistory(draft.Quiz.ID, name); err != nil {
		return nil, err
	}
	all, err := h.Store.Documents.Misses(draft.Quiz.ID)
	for _, m := range all {
		if m.Name == name {
			v.Misses = append(v.Misses, m)
		}
	}
	v.Used = usersOf(draft.Doc, name)
	if name != catalogue {
		v.Questions = namingQuestions(draft.Doc)
	}
	return v, err
}

// usersOf names what looks something up in a table: endings, answers, messages.
func usersOf(d *quiz.Document, name string) []string {
	var out []string
	for i := range d.Outcomes {
		e := d.Outcomes[i].Ending
		if e != nil && (e.Lookup != nil && e.Lookup.Table == name || name == catalogue && e.Kind == quiz.EndProducts) {
			out = append(out, "the ending of "+d.Outcomes[i].Title())
		}
	}
	for i := range d.Questions {
		if f := d.Questions[i].ChoicesFrom; f != nil && f.Table == name {
			out = append(out, "the answers to question "+strconv.Itoa(i+1))
		}
	}
	for i := range d.Messages {
		if l := d.Messages[i].Lookup; l != nil && l.Table == name && d.Messages[i].To == quiz.ToLookup {
			out = append(out, "the message "+d.Messages[i].Title())
		}
	}
	return out
}

// namingQuestions are the questions whose answers can name a table's lines, each with the words of its answers.
func namingQuestions(d *quiz.Document) []option {
	var out []option
	for i := range d.Questions {
		q := &d.Questions[i]
		if !kind.OfOne(q) || len(q.Choices) == 0 {
			continue
		}
		var words []string
		for _, c := range q.Choices {
			words = append(words, c.Title())
		}
		text, err := json.Marshal(words)
		if err != nil {
			continue // a list of texts is always JSON
		}
		out = append(out, option{Name: quiz.Shorten(q.Title(), 60), Value: string(text)})
	}
	return out
}

// Routes adds the addresses of tables.
func (h *Handler) Routes(g gin.IRouter) {
	g.GET("/quizzes/:id/endings/preview", h.Bench.Counting(h.preview))
	g.POST("/quizzes/:id/files", h.addFile)
	g.POST("/quizzes/:id/files/:file/delete", h.dropFile)
	g.POST("/quizzes/:id/tables", h.create)
	g.POST("/quizzes/:id/tables/:table", h.save)
	g.POST("/quizzes/:id/tables/:table/file", h.upload)
	g.POST("/quizzes/:id/tables/:table/delete", h.remove)
	g.POST("/quizzes/:id/tables/:table/undelete", h.undrop)
	g.POST("/quizzes/:id/tables/:table/back/:number", h.restore)
	g.POST("/quizzes/:id/tables/:table/seen", h.dismissMiss)
	g.GET("/quizzes/:id/tables/:table/table.csv", h.export)
}

// maxTableCells bounds a table next to a quiz.
const maxTableCells = 1_000_000

// maxTable bounds what is sent of a table, in bytes.
const maxTable = 4 << 20

// quizOf finds the quiz of the address, or answers.
func (h *Handler) quizOf(c *gin.Context) *documents.Quiz {
	q, err := h.Store.Documents.Quiz(c.Param("id"))
	if err != nil {
		page.Failed(c, err)
		return nil
	}
	return q
}

func (h *Handler) create(c *gin.Context) {
	q := h.quizOf(c)
	if q == nil {
		return
	}
	name := strings.ToLower(strings.TrimSpace(c.PostForm("name")))
	if !edit.ValidTableName(name) {
		page.Fail(
			c,
			http.StatusUnprocessableEntity,
			"This isn’t a valid table name",
			"Start with a letter; use only lower-case letters, digits and hyphens.",
		)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+q.ID+"/endings?"+url.Values{"table": {name}}.Encode())
}

func (h *Handler) save(c *gin.Context) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, maxTable)
	var body struct {
		Table struct {
			Base    int
			Columns []string
			Rows    [][]string
			Origins []int
		}
	}
	if err := c.ShouldBindJSON(&body); err != nil {
		message := "Couldn’t read the table. It may be larger than 4 MB."
		c.JSON(http.StatusBadRequest, gin.H{"kind": "refused", "message": message})
		return
	}
	t := &documents.Table{Name: c.Param("table"), Columns: body.Table.Columns, Rows: body.Table.Rows}
	next, err := h.Bench.Editor.MergeTable(workbench.Actor(c), c.Param("id"), body.Table.Base, t, body.Table.Origins)
	switch kind := edit.KindOf(err); {
	case kind == edit.Busy:
		c.JSON(edit.Status(err), gin.H{"kind": "busy", "message": err.Error()})
	case kind != 0:
		c.JSON(edit.Status(err), gin.H{"kind": "refused", "message": err.Error()})
	case err != nil:
		page.Failed(c, err)
	default:
		c.PureJSON(http.StatusOK, gin.H{"kind": "stored", "number": next.Number, "columns": next.Columns, "rows": next.Rows})
	}
}

// upload replaces a table by a CSV file.
func (h *Handler) upload(c *gin.Context) {
	q := h.quizOf(c)
	if q == nil {
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, maxTable)
	fail := func(detail string) {
		if page.WantsJSON(c) {
			c.JSON(http.StatusUnprocessableEntity, gin.H{"message": detail + " The table hasn’t changed."})
			return
		}
		page.Fail(c, http.StatusUnprocessableEntity, "Couldn’t use this file", detail+" The table hasn’t changed.")
	}
	data, err := uploaded(c)
	if err != nil {
		fail("Choose a CSV file of up to 4 MB.")
		return
	}
	rows, faults := tables.NewCSV(data, tables.Separator(data)).All(maxTableCells)
	if len(faults) > 0 {
		fail(page.Sentence(faults[0]))
		return
	}
	rows, lines := numbered(rows)
	if len(rows) == 0 {
		fail("The file is empty. Put the column names in the first row.")
		return
	}
	for _, row := range rows {
		for k := range row {
			row[k] = tables.Unguard(row[k])
		}
	}
	base, _ := strconv.Atoi(c.PostForm("base")) // without one it is a new table
	t := &documents.Table{Name: c.Param("table"), Columns: rows[0], Rows: rows[1:]}
	t.Lines = lines[1:]
	err = h.Bench.Editor.SaveTable(workbench.Actor(c), q.ID, base, t)
	switch {
	case edit.KindOf(err) != 0:
		fail(err.Error())
	case err != nil:
		page.Failed(c, err)
	default:
		h.back(c, q, t.Name)
	}
}

// numbered leaves out blank rows, and tells which row of the file each of the others is.
func numbered(rows [][]string) (out [][]string, lines []int) {
	for i, row := range rows {
		if row != nil {
			out, lines = append(out, row), append(lines, i+1)
		}
	}
	return out, lines
}

// uploaded reads the file of a form.
func uploaded(c *gin.Context) ([]byte, error) {
	header, err := c.FormFile("file")
	if err != nil {
		return nil, err
	}
	f, err := header.Open()
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(f)
}

func (h *Handler) back(c *gin.Context, q *documents.Quiz, name string) {
	to := "/quizzes/" + q.ID + "/endings"
	if name != "" {
		to += "?" + url.Values{"table": {name}}.Encode()
	}
	c.Redirect(http.StatusSeeOther, to)
}

func (h *Handler) remove(c *gin.Context) {
	q := h.quizOf(c)
	if q == nil {
		return
	}
	said, err := h.dropped(q, c.Param("table"))
	if err == nil {
		err = h.Bench.Editor.DropTable(workbench.Actor(c), q.ID, c.Param("table"))
	}
	switch {
	case err != nil && page.WantsJSON(c) && edit.KindOf(err) != 0:
		c.JSON(edit.Status(err), gin.H{"kind": "refused", "message": err.Error()})
	case err != nil:
		h.failed(c, err)
	case page.WantsJSON(c):
		c.PureJSON(http.StatusOK, gin.H{"kind": "stored", "said": said})
	default:
		h.back(c, q, "")
	}
}

// dropped says what goes with a table, and what uses it.
func (h *Handler) dropped(q *documents.Quiz, name string) (string, error) {
	list, err := h.Store.Documents.Tables(q.ID)
	if err != nil {
		return "", err
	}
	t := tableNamed(list, name)
	d, err := quiz.ReadStored(q.Document)
	if t == nil || err != nil {
		return "", err
	}
	said := "Table “" + name + "” and " + page.Plural(len(t.Rows), "row", "rows") + " deleted."
	if used := usersOf(d, name); len(used) > 0 {
		said += " Still used by: " + strings.Join(used, ", ") + "."
	}
	return said, nil
}

// undrop brings a table back that was deleted, whole.
func (h *Handler) undrop(c *gin.Context) {
	err := h.Bench.Editor.RestoreTable(workbench.Actor(c), c.Param("id"), c.Param("table"))
	switch {
	case edit.KindOf(err) != 0:
		c.JSON(edit.Status(err), gin.H{"kind": "refused", "message": err.Error()})
	case err != nil:
		page.Failed(c, err)
	default:
		c.JSON(http.StatusOK, gin.H{"kind": "stored"})
	}
}

// failed answers a table that could not be changed.
func (h *Handler) failed(c *gin.Context, err error) {
	switch edit.KindOf(err) {
	case 0:
		page.Failed(c, err)
	case edit.Gone:
		page.NotFound(c)
	default:
		page.Fail(c, edit.Status(err), "Couldn’t change the table", err.Error())
	}
}

// restore makes a table what it was after an earlier change, as a change of its own.
func (h *Handler) restore(c *gin.Context) {
	q := h.quizOf(c)
	if q == nil {
		return
	}
	number, err := strconv.Atoi(c.Param("number"))
	if err != nil {
		page.NotFound(c)
		return
	}
	t, err := h.Store.Documents.TableAt(q.ID, c.Param("table"), number)
	if err != nil {
		page.Failed(c, err)
		return
	}
	base, _ := strconv.Atoi(c.PostForm("base")) // without one the table is not there
	if err := h.Bench.Editor.SaveTable(workbench.Actor(c), q.ID, base, t); err != nil {
		h.failed(c, err)
		return
	}
	h.back(c, q, t.Name)
}

func (h *Handler) dismissMiss(c *gin.Context) {
	if q := h.quizOf(c); q != nil {
		if err := h.Store.Documents.ForgetMiss(q.ID, c.Param("table"), c.PostForm("key")); err != nil {
			page.Failed(c, err)
			return
		}
		h.back(c, q, c.Param("table"))
	}
}

func (h *Handler) export(c *gin.Context) {
	q := h.quizOf(c)
	if q == nil {
		return
	}
	list, err := h.Store.Documents.Tables(q.ID)
	if err != nil {
		page.Failed(c, err)
		return
	}
	t := tableNamed(list, c.Param("table"))
	if t == nil {
		page.NotFound(c)
		return
	}
	guarded := [][]string{tables.GuardAll(t.Columns)}
	for _, row := range t.Rows {
		guarded = append(guarded, tables.GuardAll(row))
	}
	c.Header("Content-Disposition", `attachment; filename="`+t.Name+`.csv"`)
	c.Data(http.StatusOK, "text/csv; charset=utf-8", tables.CSVText(guarded))
}
