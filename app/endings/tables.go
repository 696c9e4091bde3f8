package endings

import (
	"bytes"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/account"
	"omphalos/app/page"
	"omphalos/app/respond"
	"omphalos/app/store"
	"omphalos/app/workbench"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	tables "omphalos/core/sheet"
)

const catalogue = respond.Catalogue

// tableView is a table as it is edited.
type tableView struct {
	store.Table
	Fresh   bool
	History []store.DataTableChange
	Used    []string
	Misses  []store.Miss
	Links   []string // columns whose cells are addresses
}

func tableNamed(list []store.Table, name string) *store.Table {
	for i := range list {
		if list[i].Name == name {
			return &list[i]
		}
	}
	return nil
}

func (desk *Desk) table(draft *workbench.Draft, list []store.Table, name string) (*tableView, error) {
	v := &tableView{Fresh: true, Table: store.Table{Name: name, Columns: []string{"key", "value"}, Rows: [][]string{{"", ""}}}}
	if name == catalogue {
		v.Columns, v.Rows = respond.CatalogueColumns, [][]string{make([]string, len(respond.CatalogueColumns))}
	}
	if t := tableNamed(list, name); t != nil {
		v.Table, v.Fresh = *t, false
	}
	var err error
	if v.History, err = desk.Store.TableHistory(draft.Quiz.ID, name); err != nil {
		return nil, err
	}
	all, err := desk.Store.Misses(draft.Quiz.ID)
	for _, m := range all {
		if m.Name == name {
			v.Misses = append(v.Misses, m)
		}
	}
	for i := range draft.Doc.Outcomes {
		if e := draft.Doc.Outcomes[i].Ending; e != nil && (e.Lookup != nil && e.Lookup.Table == name || name == catalogue && e.Kind == quiz.EndProducts) {
			v.Used = append(v.Used, "the ending of "+draft.Doc.Outcomes[i].Title())
		}
	}
	for i := range draft.Doc.Questions {
		if f := draft.Doc.Questions[i].ChoicesFrom; f != nil && f.Table == name {
			v.Used = append(v.Used, "the answers of question "+strconv.Itoa(i+1))
		}
	}
	return v, err
}

// Routes adds the addresses of tables.
func (desk *Desk) Routes(g gin.IRouter) {
	g.GET("/quizzes/:id/endings/preview", desk.preview)
	g.POST("/quizzes/:id/tables", desk.create)
	g.POST("/quizzes/:id/tables/:table", desk.save)
	g.POST("/quizzes/:id/tables/:table/file", desk.upload)
	g.POST("/quizzes/:id/tables/:table/delete", desk.remove)
	g.POST("/quizzes/:id/tables/:table/back/:number", desk.restore)
	g.POST("/quizzes/:id/tables/:table/seen", desk.seen)
	g.GET("/quizzes/:id/tables/:table/table.csv", desk.export)
}

// maxTableCells bounds a table beside a quiz.
const maxTableCells = 1_000_000

var tableName = regexp.MustCompile(`^[a-z][a-z0-9_-]{0,39}$`)

// check says what is wrong with a table, by line and column.
func checkTable(t *store.Table) error {
	if !tableName.MatchString(t.Name) {
		return errors.New("a table’s name has small letters, digits and -, beginning with a letter")
	}
	if len(t.Columns) == 0 {
		return errors.New("a table has at least one column")
	}
	seen := map[string]bool{}
	for i, c := range t.Columns {
		if c == "" || seen[c] {
			return fmt.Errorf("column %d needs a name of its own", i+1)
		}
		seen[c] = true
	}
	keys := map[string]int{}
	for i, row := range t.Rows {
		if len(row) != len(t.Columns) {
			return fmt.Errorf("line %d has %d cells for %d columns", i+1, len(row), len(t.Columns))
		}
		if row[0] == "" {
			return fmt.Errorf("line %d has no %s", i+1, t.Columns[0])
		}
		if first, twice := keys[row[0]]; twice {
			return fmt.Errorf("lines %d and %d have the same %s, %s", first, i+1, t.Columns[0], row[0])
		}
		keys[row[0]] = i + 1
		for k, cell := range row {
			if (t.Columns[k] == "url" || t.Columns[k] == "link") && cell != "" {
				if _, err := fill.ParseAddress(cell); err != nil {
					return fmt.Errorf("line %d, %s: %s", i+1, t.Columns[k], err.Error())
				}
			}
		}
	}
	return nil
}

// tidy takes away lines that are empty and spaces around cells.
func tidy(t *store.Table) {
	for i := range t.Columns {
		t.Columns[i] = strings.TrimSpace(t.Columns[i])
	}
	for _, row := range t.Rows {
		for k := range row {
			row[k] = strings.TrimSpace(row[k])
		}
	}
	t.Rows = slices.DeleteFunc(t.Rows, func(row []string) bool { return strings.Join(row, "") == "" })
}

// quizOf finds the quiz of the address, or answers.
func (desk *Desk) quizOf(c *gin.Context) *store.Quiz {
	q, err := desk.Store.Quiz(c.Param("id"))
	if err != nil {
		page.NotFound(c)
		return nil
	}
	return q
}

func (desk *Desk) create(c *gin.Context) {
	q := desk.quizOf(c)
	if q == nil {
		return
	}
	name := strings.ToLower(strings.TrimSpace(c.PostForm("name")))
	if !tableName.MatchString(name) {
		page.Fail(c, http.StatusUnprocessableEntity, "That cannot be the name of a table", "Use small letters, digits and -, beginning with a letter.")
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+q.ID+"/endings?"+url.Values{"table": {name}}.Encode())
}

func (desk *Desk) save(c *gin.Context) {
	q := desk.quizOf(c)
	if q == nil {
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, 4<<20)
	var body struct {
		Base    int
		Columns []string
		Rows    [][]string
	}
	if err := c.ShouldBindJSON(&body); err != nil {
		c.JSON(http.StatusBadRequest, gin.H{"message": "The table could not be read: " + err.Error()})
		return
	}
	t := &store.Table{Name: c.Param("table"), Columns: body.Columns, Rows: body.Rows}
	tidy(t)
	err := checkTable(t)
	if err == nil {
		err = desk.store(c, q, body.Base, t)
	}
	switch {
	case errors.Is(err, store.ErrChanged):
		c.JSON(http.StatusConflict, gin.H{"message": "Somebody else has changed this table meanwhile. Load it again, then make your change."})
	case err != nil:
		c.JSON(http.StatusUnprocessableEntity, gin.H{"message": page.Sentence(err)})
	default:
		c.JSON(http.StatusOK, gin.H{"number": t.Number})
	}
}

func (desk *Desk) store(c *gin.Context, q *store.Quiz, base int, t *store.Table) error {
	err := desk.Store.SaveTable(q.ID, account.Of(c).ID, base, t)
	if err == nil {
		desk.Forget()
	}
	return err
}

// upload replaces a table by a CSV file.
func (desk *Desk) upload(c *gin.Context) {
	q := desk.quizOf(c)
	if q == nil {
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, 4<<20)
	fail := func(detail string) {
		page.Fail(c, http.StatusUnprocessableEntity, "The file could not be taken", detail+" The table is as it was.")
	}
	header, err := c.FormFile("file")
	if err != nil {
		fail("Choose a CSV file of at most 4 MB.")
		return
	}
	f, err := header.Open()
	if err != nil {
		fail(page.Sentence(err))
		return
	}
	defer f.Close()
	var b bytes.Buffer
	if _, err := b.ReadFrom(f); err != nil {
		fail(page.Sentence(err))
		return
	}
	rows, faults := tables.NewCSV(b.Bytes(), tables.Separator(b.Bytes())).All(maxTableCells)
	if len(faults) > 0 {
		fail(page.Sentence(faults[0]))
		return
	}
	rows = slices.DeleteFunc(rows, func(row []string) bool { return row == nil })
	if len(rows) == 0 {
		fail("The file is empty: its first line names the columns.")
		return
	}
	for _, row := range rows {
		for k := range row {
			row[k] = tables.Unguard(row[k])
		}
	}
	t := &store.Table{Name: c.Param("table"), Columns: rows[0], Rows: rows[1:]}
	tidy(t)
	base, _ := strconv.Atoi(c.PostForm("base"))
	if err = checkTable(t); err == nil {
		err = desk.store(c, q, base, t)
	}
	if err != nil {
		fail(page.Sentence(err))
		return
	}
	desk.back(c, q, t.Name)
}

func (desk *Desk) back(c *gin.Context, q *store.Quiz, name string) {
	to := "/quizzes/" + q.ID + "/endings"
	if name != "" {
		to += "?" + url.Values{"table": {name}}.Encode()
	}
	c.Redirect(http.StatusSeeOther, to)
}

func (desk *Desk) remove(c *gin.Context) {
	if q := desk.quizOf(c); q != nil {
		if err := desk.Store.DeleteTable(q.ID, c.Param("table")); err != nil {
			page.NotFound(c)
			return
		}
		desk.Forget()
		desk.back(c, q, "")
	}
}

// restore makes a table what it was after an earlier change, as a change of its own.
func (desk *Desk) restore(c *gin.Context) {
	q := desk.quizOf(c)
	if q == nil {
		return
	}
	number, err := strconv.Atoi(c.Param("number"))
	var t *store.Table
	if err == nil {
		t, err = desk.Store.TableAt(q.ID, c.Param("table"), number)
	}
	if err != nil {
		page.NotFound(c)
		return
	}
	base, _ := strconv.Atoi(c.PostForm("base"))
	if err := desk.store(c, q, base, t); err != nil {
		page.Fail(c, http.StatusConflict, "The table could not be changed", err.Error())
		return
	}
	desk.back(c, q, t.Name)
}

func (desk *Desk) seen(c *gin.Context) {
	if q := desk.quizOf(c); q != nil {
		if err := desk.Store.ForgetMiss(q.ID, c.Param("table"), c.PostForm("key")); err != nil {
			page.Fail(c, http.StatusInternalServerError, "This could not be stored", err.Error())
			return
		}
		desk.back(c, q, c.Param("table"))
	}
}

func (desk *Desk) export(c *gin.Context) {
	q := desk.quizOf(c)
	if q == nil {
		return
	}
	list, err := desk.Store.Tables(q.ID)
	t := tableNamed(list, c.Param("table"))
	if err != nil || t == nil {
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
