package leads

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/engine"
	"omphalos/app/page"
	"omphalos/app/store/database"
	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/score"
	"omphalos/core/sheet"
	"omphalos/core/walk"
)

// Bounds of one import.
const (
	mostBrought  = 20_000
	mostTold     = 30 // problems that a preview names
	shownBrought = 5  // rows that it shows
)

// bringing is a table of past responses as it would come in.
type bringing struct {
	Name      string
	Responses []*responses.Submission
	Problems  []string
	More      int // problems that are not named
	Bad       int // rows that cannot come in
	First     []broughtRow
	Outcomes  []page.Mark // with how many end at each
	Payload   string      // the table itself
	There     int         // of Responses, those that were imported before
	Columns   []broughtColumn
	taking    *taking
}

// broughtColumn is a column of the table, and what it is taken as.
type broughtColumn struct {
	Field string // of the form
	Head  string // as the table has it
	First string // what stands in its first row
	As    string // the name of what it is taken as
}

// New is how many responses come in that are not there yet.
func (b *bringing) New() int { return len(b.Responses) - b.There }

// Names returns what columns can be taken as, for a list that all of them share.
func (b *bringing) Names() []string { return b.taking.names }

// mostColumns is how many columns a table of past responses has at most.
const mostColumns = 2000

// leftOut is what a column is taken as that nothing takes.
const leftOut = "Leave out"

// taking is what columns of a table can be taken as: by the names that people choose, and by what a heading can say.
type taking struct {
	names  []string
	id     map[string]string // by name
	name   map[string]string // by id
	byHead map[string]string // id by a heading in small letters
}

// plainHead leaves out of a heading what differs between programs: capitals, and the marks around it.
func plainHead(s string) string { return strings.ToLower(strings.Trim(s, " \t?:*")) }

// usualHeads are headings that other programs have for columns of ours.
var usualHeads = map[string]string{
	"finished": "at", "response": "id", // of our own exports
	"when": "at", "date": "at", "finished at": "at", "submitted": "at", "submitted at": "at",
	"e-mail": "email", "mail": "email", "email address": "email", "full name": "name",
}

// newTaking lists the columns of score for a quiz, with when each response was finished and by whom.
func newTaking(d *quiz.Document) *taking {
	t := &taking{id: map[string]string{}, name: map[string]string{}, byHead: maps.Clone(usualHeads)}
	put := func(id, name string, heads ...string) {
		if _, taken := t.id[name]; taken {
			name += " (" + id + ")"
		}
		t.names = append(t.names, name)
		t.id[name], t.name[id] = id, name
		for _, head := range heads {
			if _, taken := t.byHead[plainHead(head)]; !taken {
				t.byHead[plainHead(head)] = id
			}
		}
	}
	for _, one := range [][2]string{
		{leftOut, leftOut}, {"at", "Time finished"}, {"id", "Response ID"}, {"source", "Source"},
		{"seconds", "Duration in seconds"}, {"name", "Name"}, {"email", "Email address"},
		{"visitor.country", "Visitor’s country"},
	} {
		put(one[0], one[1])
	}
	if d.Contact != nil {
		for _, f := range d.Contact.Fields {
			if f.ID != "name" && f.ID != "email" {
				put(f.ID, "Contact: "+quiz.FirstOf(f.Label, f.ID), f.Label)
			}
		}
	}
	for i := range d.Questions {
		q := &d.Questions[i]
		switch about := kind.Of(q).About(); {
		case about.Silent:
		case about.Rows:
			put(q.ID, q.Title(), q.Title(), q.Title()+" ("+groupAnswer+q.ID+")")
			for _, r := range q.Rows {
				put(q.ID+"."+r.ID, q.Title()+" · "+r.Label, q.Title()+" · "+r.Label, q.Title()+" "+r.Label)
			}
		default:
			put(q.ID, q.Title(), q.Title(), q.Title()+" ("+groupAnswer+q.ID+")")
		}
	}
	for _, name := range d.Params {
		put("param."+name, "Parameter "+name, linkParameter+name)
	}
	// A question's own heading comes first.
	for _, id := range []string{"at", "id", "source", "seconds", "name", "email"} {
		if _, taken := t.byHead[id]; !taken {
			t.byHead[id] = id
		}
	}
	return t
}

// columnFor returns what a column is taken as: what people have chosen for it, or what its heading says. "" is unknown.
func (t *taking) columnFor(chosen, head string) string {
	if id := t.id[strings.TrimSpace(chosen)]; id != "" {
		return id
	}
	name := otherName(head)
	if t.name[name] != "" {
		return name
	}
	return t.byHead[plainHead(head)]
}

type broughtRow struct{ When, Who, Outcome string }

// columnField is the field of the form for a column.
func columnField(column int) string { return "col." + strconv.Itoa(column) }

// otherName returns what a column of our own exports is called here.
func otherName(column string) string {
	switch name := strings.TrimSpace(column); {
	case name == "finished":
		return "at"
	case strings.HasPrefix(name, "answer."):
		return strings.TrimPrefix(name, "answer.")
	case strings.HasPrefix(name, "contact."):
		return strings.TrimPrefix(name, "contact.")
	default:
		return name
	}
}

// readPast reads a table: the columns of score, with at, name, email, other contact fields, source and id.
// chosen is what people have chosen for the columns, by their number.
func readPast(
	d *workbench.Draft, live *quiz.Document, name, text string, chosen func(column int) string, now time.Time,
) (*bringing, error) {
	b := &bringing{Name: name, Payload: text}
	c, err := walk.New(live)
	if err != nil {
		return nil, err
	}
	head, again, err := b.renamed(live, text, chosen)
	if err != nil {
		return nil, err
	}
	at := map[string]int{}
	for i, name := range head {
		at[name] = i
	}
	if _, has := at["at"]; !has {
		return b, errors.New("choose the column that says when each response was finished, such as 2026-03-31")
	}
	r, err := score.NewReader(c, strings.NewReader(again), now.In(d.Zone).Format(time.DateOnly))
	if err != nil {
		return b, err
	}
	for {
		row, err := r.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return b, err
		}
		if len(b.Responses) == mostBrought {
			return b, fmt.Errorf("the table has more than %s rows. Split it and import the parts "+
				"one by one", page.Thousands(mostBrought))
		}
		b.add(d, live, pastRow{row, at}, now)
	}
	b.count(d.Marks)
	return b, nil
}

// renamed returns the head of the table, and the table with commas and the names of columns that score knows. It notes
// what each column is taken as.
func (b *bringing) renamed(d *quiz.Document, text string, chosen func(int) string) ([]string, string, error) {
	data := []byte(text)
	records := sheet.NewCSV(data, sheet.Separator(data))
	head, _, err := records.Next()
	if err != nil {
		return nil, "", errors.New("the table is empty. Put the column names in the first row")
	}
	if len(head) > mostColumns {
		return nil, "", fmt.Errorf("the table has more than %s columns", page.Thousands(mostColumns))
	}
	b.taking = newTaking(d)
	for i := range head {
		as := b.taking.columnFor(chosen(i), head[i])
		b.Columns = append(b.Columns, broughtColumn{
			Field: columnField(i), Head: head[i], As: quiz.FirstOf(b.taking.name[as], leftOut),
		})
		switch as {
		case leftOut:
			head[i] = "left out " + strconv.Itoa(i)
		case "":
			head[i] = otherName(head[i])
		default:
			head[i] = as
		}
	}
	var out strings.Builder
	w := sheet.NewPlainCSVWriter(&out)
	spelled, head := newSpelledOut(d, head)
	for record, n := head, 0; ; n++ {
		if n > 0 {
			record = spelled.write(record)
		}
		if err := w.Write(record); err != nil {
			return nil, "", err
		}
		if n > 0 {
			b.show(record)
		}
		if record, _, err = records.Next(); errors.Is(err, io.EOF) {
			return head, out.String(), nil
		} else if err != nil {
			return nil, "", err
		}
	}
}

// show keeps the first cell of each column that says anything.
func (b *bringing) show(record []string) {
	for i := range min(len(record), len(b.Columns)) {
		if c := &b.Columns[i]; c.First == "" {
			c.First = quiz.Shorten(record[i], 40)
		}
	}
}

// count counts where those who come in end.
func (b *bringing) count(marks []page.Mark) {
	for _, m := range marks {
		m.Count = 0
		for _, one := range b.Responses {
			if one.Outcome == m.ID {
				m.Count++
			}
		}
		if m.Count > 0 {
			b.Outcomes = append(b.Outcomes, m)
		}
	}
}

func (b *bringing) problem(number int, column, message string) {
	if len(b.Problems) == mostTold {
		b.More++
		return
	}
	place := fmt.Sprintf("row %d", number+1) // as a spreadsheet counts, the head being 1
	if column != "" {
		place += ", column " + column
	}
	b.Problems = append(b.Problems, place+": "+message)
}

// pastRow is a row of the table with its cells by name.
type pastRow struct {
	*score.Row
	at map[string]int
}

func (r pastRow) cell(name string) string {
	if i, has := r.at[name]; has && i < len(r.Cells) {
		return strings.TrimSpace(r.Cells[i])
	}
	return ""
}

// add makes a response of a row, or says why it cannot be one.
func (b *bringing) add(d *workbench.Draft, live *quiz.Document, row pastRow, now time.Time) {
	for _, bad := range row.Bad {
		b.problem(row.Number, bad.Column, bad.Message)
	}
	finished, err := readMoment(row.cell("at"), d.Zone)
	if err == nil && finished.After(now) {
		err = errors.New("this time is in the future")
	}
	if err != nil {
		b.problem(row.Number, "at", err.Error())
	}
	email := row.cell("email")
	wrong := email != "" && !kind.ValidEmail(email)
	if wrong {
		b.problem(row.Number, "email", fmt.Sprintf("“%s” isn’t an email address", quiz.Shorten(email, 60)))
	}
	if err != nil || wrong || len(row.Bad) > 0 || row.Result == nil {
		b.Bad++
		return
	}
	f := row.finished(d, live, finished)
	r, err := engine.Response(live, row.Result, f)
	if err != nil {
		b.problem(row.Number, "", err.Error())
		b.Bad++
		return
	}
	b.Responses = append(b.Responses, r)
	if len(b.First) < shownBrought {
		who := quiz.FirstOf(f.Name, f.Email, "someone")
		b.First = append(b.First, broughtRow{d.Moment(finished), who, live.OutcomeName(r.Outcome)})
	}
}

// finished is the row as a walk that has come to its end.
func (r pastRow) finished(d *workbench.Draft, live *quiz.Document, at time.Time) engine.Finished {
	f := engine.Finished{
		ID:      pastID(d.Quiz.ID, quiz.FirstOf(r.cell("id"), strings.Join(r.Cells, "\x1f"))),
		QuizID:  d.Quiz.ID,
		Version: d.Quiz.LiveVersion,
		Began:   at,
		At:      at,
		Day:     at.In(d.Zone).Format(time.DateOnly),
		Input:   r.Input,
		Source:  quiz.FirstOf(r.cell("source"), importedSource),
		Name:    r.cell("name"),
		Email:   r.cell("email"),
		Contact: map[string]string{},
	}
	if took, err := time.ParseDuration(r.cell("seconds") + "s"); err == nil && took > 0 && took < 24*time.Hour {
		f.Began = at.Add(-took)
	}
	if live.Contact != nil {
		for _, field := range live.Contact.Fields {
			if text := r.cell(field.ID); text != "" {
				f.Contact[field.ID] = text
			}
		}
	}
	return f
}

// importedSource is the source of past responses that name none.
const importedSource = "imported"

// pastID is the same for the same row: what is imported twice is there once.
func pastID(quizID, row string) string {
	sum := sha256.Sum256([]byte(quizID + "\x00" + row))
	return "in" + hex.EncodeToString(sum[:10])
}

// readMoment reads when something was: RFC 3339, or a day with or without a time in the quiz's zone.
func readMoment(text string, zone *time.Location) (time.Time, error) {
	forms := []string{time.RFC3339, "2006-01-02T15:04:05", time.DateTime, "2006-01-02 15:04", time.DateOnly}
	for _, form := range forms {
		if t, err := time.ParseInLocation(form, text, zone); err == nil {
			return t, nil
		}
	}
	return time.Time{}, fmt.Errorf("“%s” isn’t a valid time. Type it like 2026-03-31 or "+
		"2026-03-31 14:05", quiz.Shorten(text, 40))
}

// past reads what a request brings, for the version that runs.
func (h *Handler) past(c *gin.Context, d *workbench.Draft) (*bringing, error) {
	if d.Quiz.LiveVersion == 0 {
		return nil, errors.New("launch the quiz before you import responses; each response belongs to a version")
	}
	live, err := h.Store.Documents.VersionDocument(d.Quiz.ID, d.Quiz.LiveVersion)
	if err != nil {
		return nil, err
	}
	name, text := quiz.FirstOf(c.PostForm("name"), "pasted"), c.PostForm("table")
	if file, err := c.FormFile("file"); err == nil && file.Size > 0 {
		in, err := file.Open()
		if err != nil {
			return nil, err
		}
		defer in.Close()
		data, err := io.ReadAll(in)
		if err != nil {
			return nil, err
		}
		name, text = file.Filename, string(data)
	}
	b, err := readPast(d, live, quiz.Shorten(name, 80), strings.TrimPrefix(text, "\ufeff"), func(column int) string {
		return c.PostForm(columnField(column))
	}, h.Now())
	if err == nil {
		b.There, err = h.Store.Responses.Present(d.Quiz.ID, b.Responses)
	}
	return b, err
}

// bringIn shows the form, with the columns that the quiz takes.
func (h *Handler) bringIn(c *gin.Context) {
	if d := h.Bench.Load(c); d != nil {
		h.showBringing(c, http.StatusOK, d, nil, nil)
	}
}

func (h *Handler) showBringing(c *gin.Context, status int, d *workbench.Draft, b *bringing, failed error) {
	said := ""
	if failed != nil {
		said = page.Sentence(failed)
	}
	c.Data(status, "text/html; charset=utf-8", page.Execute(templates, "bringing", map[string]any{
		"D": d, "B": b, "Failed": said, "Table": c.PostForm("table"),
	}))
}

// previewPast shows what a table would bring in.
func (h *Handler) previewPast(c *gin.Context) {
	d := h.Bench.Load(c)
	if d == nil {
		return
	}
	b, err := h.past(c, d)
	status := http.StatusOK
	if err != nil {
		status = http.StatusBadRequest
	}
	h.showBringing(c, status, d, b, err)
}

// takePast brings in what was previewed. It reads the table again: rows with a problem stay out.
func (h *Handler) takePast(c *gin.Context) {
	d := h.Bench.Load(c)
	if d == nil {
		return
	}
	b, err := h.past(c, d)
	if err != nil {
		h.showBringing(c, http.StatusBadRequest, d, b, err)
		return
	}
	in := &responses.Import{
		ID:        database.NewID(),
		QuizID:    d.Quiz.ID,
		Name:      b.Name,
		AccountID: workbench.Actor(c).Account,
	}
	if _, err := h.Store.Responses.BringIn(in, b.Responses); err != nil {
		page.Failed(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quizzes/"+d.Quiz.ID+"/leads#beside")
}
