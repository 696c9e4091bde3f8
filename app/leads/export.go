package leads

import (
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/xuri/excelize/v2"

	"omphalos/app/page"
	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/sheet"
	"omphalos/core/walk"
)

// writeDeadline is how long anyone who reads an export may let one page of it wait: a reader that has stopped holds
// nothing.
const writeDeadline = 30 * time.Second

// rows takes the lines of an export in one form.
type rows interface {
	head(f *fields) error
	row(f *fields, r *exportRow) error
	close() error
}

// forms are the forms of an export, by the ending of its address.
var forms = map[string]struct {
	kind string
	make func(out io.Writer) (rows, error)
}{
	"csv":         {"text/csv; charset=utf-8; header=present", newCSVRows},
	"answers.csv": {"text/csv; charset=utf-8; header=present", newAnswerRows},
	"xlsx":        {"application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", newXLSXRows},
	"jsonl":       {"application/x-ndjson", newJSONRows},
}

// export writes the kept responses that a filter chooses in one form; without one, those set aside too.
func (h *Handler) export(form string) gin.HandlerFunc {
	return func(c *gin.Context) {
		d := h.Bench.Load(c)
		if d == nil {
			return
		}
		k, err := h.fields(d, c.Query("as"))
		if err != nil {
			page.Failed(c, err)
			return
		}
		v := &view{Draft: d}
		reader := h.Store.Responses.Reader(d.Quiz.ID, responses.All).Only(v.filtered(c.Request.URL.Query()))
		c.Header("Content-Type", forms[form].kind)
		c.Header("Content-Disposition", `attachment; filename="`+fileName(d)+`-leads.`+form+`"`)
		c.Header("Cache-Control", "no-store")
		if err := h.write(c, d, k, reader, form); err != nil {
			_ = c.Error(err)
			panic(http.ErrAbortHandler) // the head is sent: anyone who reads must not take a part for the whole
		}
	}
}

// write writes the lines page by page.
func (h *Handler) write(c *gin.Context, d *workbench.Draft, k *fields, reader *responses.Reader, form string) error {
	control := http.NewResponseController(c.Writer)
	deals, err := h.Store.Responses.Deals(d.Quiz.ID)
	if err != nil {
		return err
	}
	w, err := forms[form].make(c.Writer)
	if err == nil {
		err = w.head(k)
	}
	for r, readErr := range reader.All() {
		if err == nil {
			err = readErr
		}
		if err != nil {
			return err
		}
		_ = control.SetWriteDeadline(
			time.Now().Add(writeDeadline),
		) // where there are none, a reader that no longer exists is noticed later
		a, readErr := h.Store.Responses.Answered(r)
		if readErr != nil {
			return readErr
		}
		err = w.row(k, &exportRow{a, deals[r.ID], d.Zone})
	}
	if err != nil {
		return err
	}
	return w.close()
}

// csvRows are the lines as CSV.
type csvRows struct{ w *sheet.CSVWriter }

func newCSVRows(out io.Writer) (rows, error) {
	w, err := sheet.NewCSVWriter(out)
	return csvRows{w}, err
}

func (r csvRows) head(f *fields) error {
	err := r.w.Write(f.head(f.ids))
	if err == nil && f.both {
		err = r.w.Write(f.head(true))
	}
	return err
}

func (r csvRows) row(f *fields, one *exportRow) error {
	var cells []string
	for _, v := range f.record(one) {
		cells = append(cells, f.written(v))
	}
	return r.w.Write(cells)
}
func (r csvRows) close() error { return nil }

// answerRows has a line for each answer instead of one for each response: what tools that count answers read.
type answerRows struct{ csvRows }

func newAnswerRows(out io.Writer) (rows, error) {
	w, err := sheet.NewCSVWriter(out)
	return answerRows{csvRows{w}}, err
}

func (r answerRows) head(*fields) error {
	return r.w.Write([]string{
		"id", "finished", "version", "outcome", "question", "row", "question_text", "choice", "answer",
	})
}

func (r answerRows) row(f *fields, a *exportRow) error {
	outcome := f.written(f.outcome(a.Answered))
	start := []string{a.ID, a.At.In(a.zone).Format(time.RFC3339), strconv.Itoa(a.Version), outcome}
	for i := range a.Doc.Questions {
		q := &a.Doc.Questions[i]
		answer, asked := a.Answers[q.ID]
		if !asked {
			continue
		}
		for _, one := range parts(q, answer) {
			line := append(slices.Clone(start), q.ID, one.row, sheet.Guard(q.Title()), sheet.Guard(one.choice), sheet.Guard(one.words))
			if err := r.w.Write(line); err != nil {
				return err
			}
		}
	}
	return nil
}

// part is one answer among those that a question may have: a pick, a row of a grid, a number, a text, or a blank.
type part struct{ row, choice, words string }

func parts(q *quiz.Question, a walk.Answer) []part {
	var out []part
	for _, id := range a.Picks {
		out = append(out, part{choice: id, words: choiceTitle(q, id)})
	}
	if a.Other != "" {
		out = append(out, part{words: a.Other})
	}
	for _, r := range q.Rows {
		if id := a.Rows[r.ID]; id != "" {
			out = append(out, part{r.ID, id, choiceTitle(q, id)})
		}
	}
	switch {
	case a.Number != nil:
		out = append(out, part{words: a.Number.String()})
	case a.Text != "":
		out = append(out, part{words: a.Text})
	case len(out) == 0:
		out = append(out, part{})
	}
	return out
}

// xlsxRows are the lines as a spreadsheet: figures as numbers, days and times as dates, all else as text. A second
// sheet has the ids of the columns. The library keeps what does not fit in memory in a file of its own.
type xlsxRows struct {
	out   io.Writer
	file  *excelize.File
	w     *excelize.StreamWriter
	names *excelize.StreamWriter
	n     int
	date  int // styles
	at    int
}

// mostXLSX is how many rows a sheet of this format has.
const mostXLSX = 1_048_576

func newXLSXRows(out io.Writer) (rows, error) {
	f := excelize.NewFile()
	r := &xlsxRows{out: out, file: f}
	err := f.SetSheetName("Sheet1", "Responses")
	for _, style := range []struct {
		to     *int
		format string
	}{{&r.date, "yyyy-mm-dd"}, {&r.at, "yyyy-mm-dd hh:mm"}} {
		var failed error
		*style.to, failed = f.NewStyle(&excelize.Style{CustomNumFmt: &style.format})
		err = errors.Join(err, failed)
	}
	if err == nil {
		_, err = f.NewSheet("Columns")
	}
	if err == nil {
		r.w, err = f.NewStreamWriter("Responses")
	}
	if err == nil {
		r.names, err = f.NewStreamWriter("Columns")
	}
	return r, err
}

// cell is a value as the library takes it.
func (r *xlsxRows) cell(v cellValue) any {
	switch v := v.(type) {
	case plain:
		if n, err := rule.ParseNumber(string(v)); err == nil {
			return n.Float()
		}
		return string(v)
	case day:
		if at, err := time.Parse(time.DateOnly, string(v)); err == nil {
			return excelize.Cell{StyleID: r.date, Value: at}
		}
		return string(v)
	case time.Time: // a sheet knows no zones: it shows the time of the quiz's
		shown := time.Date(v.Year(), v.Month(), v.Day(), v.Hour(), v.Minute(), v.Second(), 0, time.UTC)
		return excelize.Cell{StyleID: r.at, Value: shown}
	case string: // a postal code that begins with 0 stays as it was typed
		return sheet.Guard(v)
	}
	return nil
}

func (r *xlsxRows) put(cells []any) error {
	if r.n++; r.n > mostXLSX {
		return errors.New("this is more than an XLSX sheet can hold. Export CSV instead")
	}
	at, err := excelize.CoordinatesToCellName(1, r.n)
	if err != nil {
		return err
	}
	return r.w.SetRow(at, cells)
}

func (r *xlsxRows) head(f *fields) error {
	ids, titles := f.head(true), f.head(false)
	err := r.names.SetRow("A1", []any{"Column", "Id"})
	for i := range ids {
		err = errors.Join(err, r.names.SetRow("A"+strconv.Itoa(i+2), []any{titles[i], ids[i]}))
	}
	heads := [][]string{f.head(f.ids)}
	if f.both {
		heads = append(heads, ids)
	}
	for _, head := range heads {
		cells := make([]any, len(head))
		for i, name := range head {
			cells[i] = name
		}
		err = errors.Join(err, r.put(cells))
	}
	return err
}

func (r *xlsxRows) row(f *fields, one *exportRow) error {
	record := f.record(one)
	cells := make([]any, len(record))
	for i, v := range record {
		cells[i] = r.cell(v)
	}
	return r.put(cells)
}

func (r *xlsxRows) close() error {
	defer r.file.Close()
	if err := errors.Join(r.w.Flush(), r.names.Flush()); err != nil {
		return err
	}
	return r.file.Write(r.out)
}

// jsonRows are the lines as JSON, an object each: answers by question id as documents write them.
type jsonRows struct{ w *json.Encoder }

func newJSONRows(out io.Writer) (rows, error) {
	w := json.NewEncoder(out)
	w.SetEscapeHTML(false)
	return jsonRows{w}, nil
}

func (r jsonRows) head(*fields) error { return nil }
func (r jsonRows) close() error       { return nil }
func (r jsonRows) row(_ *fields, one *exportRow) error {
	out := one.Object(one.zone)
	if d := one.deal; d.State != "" {
		out["deal"] = map[string]string{
			"state": d.State, "amount": d.Amount, "currency": d.Currency, "at": d.At.In(one.zone).Format(time.RFC3339),
		}
	}
	return r.w.Encode(out)
}

func fileName(d *workbench.Draft) string {
	if d.Quiz.Slug != nil {
		return *d.Quiz.Slug
	}
	return d.Quiz.ID
}
