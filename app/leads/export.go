package leads

import (
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/xuri/excelize/v2"

	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/workbench"
	"omphalos/core/check"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/score"
	"omphalos/core/sheet"
	"omphalos/core/walk"
)

// columns are those of the export: of everything that any version asked, scored or kept, by id.
type columns struct {
	scores, questions, contacts, params []string

	ids bool // answers and outcomes are written by their ids instead of their words
}

// add adds the columns of a version.
func (k *columns) add(d *quiz.Document) {
	for _, name := range score.Columns(d) {
		if name != "outcome" && name != "verdict" &&
			name != "path" { // these stand at the beginning, or follow from the answers
			k.scores = appendNew(k.scores, name)
		}
	}
	for i := range d.Questions {
		k.questions = appendNew(k.questions, d.Questions[i].ID)
	}
	if d.Contact != nil {
		for _, f := range d.Contact.Fields {
			k.contacts = appendNew(k.contacts, f.ID)
		}
	}
	for _, name := range d.Params {
		k.params = appendNew(k.params, name)
	}
}

func appendNew(list []string, s string) []string {
	if slices.Contains(list, s) {
		return list
	}
	return append(list, s)
}

func (k *columns) head() []string {
	out := []string{"id", "finished", "seconds", "version", "outcome", "line"}
	out = append(out, k.scores...)
	for _, group := range []struct {
		prefix string
		names  []string
	}{{"answer.", k.questions}, {"contact.", k.contacts}} {
		for _, name := range group.names {
			out = append(out, group.prefix+name)
		}
	}
	out = append(out, "consent", "consent_at", "source", "kept_aside")
	for _, name := range k.params {
		out = append(out, "param."+name)
	}
	return sheet.GuardAll(out)
}

// record is one line of the export. Text is guarded; the numbers that were computed are written as numbers.
func (k *columns) record(a *store.Answered, zone *time.Location) []string {
	out := []string{
		a.ID,
		a.At.In(zone).Format(time.RFC3339),
		strconv.Itoa(int(a.At.Sub(a.StartedAt).Seconds())),
		strconv.Itoa(a.Version),
		k.outcome(a),
		a.Verdict,
	}
	for _, name := range k.scores {
		cell := a.Scores[name]
		if _, err := rule.ParseNumber(cell); err != nil {
			cell = sheet.Guard(cell)
		}
		out = append(out, cell)
	}
	for _, id := range k.questions {
		out = append(out, k.answer(a, id))
	}
	for _, id := range k.contacts {
		out = append(out, sheet.Guard(a.Contact[id]))
	}
	at := ""
	if a.ConsentAt != nil {
		at = a.ConsentAt.In(zone).Format(time.RFC3339)
	}
	out = append(out, sheet.Guard(a.Consent), at, sheet.Guard(a.Source), a.Suspect)
	for _, name := range k.params {
		out = append(out, sheet.Guard(a.Params[name]))
	}
	return out
}

func (k *columns) outcome(a *store.Answered) string {
	if k.ids {
		return a.Outcome
	}
	return sheet.Guard(a.Doc.OutcomeName(a.Outcome))
}

func (k *columns) answer(a *store.Answered, id string) string {
	answer, asked := a.Answers[id]
	i := a.Doc.Question(id)
	switch {
	case !asked || i < 0 || answer.Blank():
		return ""
	case answer.Number != nil:
		return answer.Number.String()
	}
	if k.ids {
		return sheet.Guard(byIDs(&a.Doc.Questions[i], answer))
	}
	return sheet.Guard(answer.Words(&a.Doc.Questions[i]))
}

// byIDs writes an answer by the ids of what was chosen; what was typed stays as it is.
func byIDs(q *quiz.Question, a walk.Answer) string {
	switch {
	case len(a.Picks) > 0:
		return strings.Join(a.Picks, ", ")
	case len(a.Rows) > 0:
		var rows []string
		for _, r := range q.Rows {
			if choice := a.Rows[r.ID]; choice != "" {
				rows = append(rows, r.ID+": "+choice)
			}
		}
		return strings.Join(rows, ", ")
	}
	return a.Words(q)
}

// writeDeadline is how long whoever reads an export may let one page of it wait: a reader that has stopped holds
// nothing.
const writeDeadline = 30 * time.Second

// rows takes the lines of an export in one form.
type rows interface {
	head(k *columns) error
	row(k *columns, a *store.Answered, zone *time.Location) error
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

// export writes the kept responses that a filter chooses in one form; without one, those kept aside too.
func (h *Handler) export(form string) gin.HandlerFunc {
	return func(c *gin.Context) {
		d := h.Bench.Load(c)
		if d == nil {
			return
		}
		k, err := h.columns(d)
		if err != nil {
			page.Failed(c, err)
			return
		}
		k.ids = c.Query("as") == "ids"
		v := &view{Draft: d}
		reader := h.Store.Reader(d.Quiz.ID, store.All).Only(v.filtered(c.Request.URL.Query()))
		c.Header("Content-Type", forms[form].kind)
		c.Header("Content-Disposition", `attachment; filename="`+fileName(d)+`-leads.`+form+`"`)
		c.Header("Cache-Control", "no-store")
		if err := h.write(c, d, k, reader, form); err != nil {
			_ = c.Error(err)
			panic(http.ErrAbortHandler) // the head is sent: whoever reads must not take a part for the whole
		}
	}
}

// write writes the lines page by page.
func (h *Handler) write(c *gin.Context, d *workbench.Draft, k *columns, reader *store.Reader, form string) error {
	control := http.NewResponseController(c.Writer)
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
		) // where there are none, a reader that is gone is noticed later
		a, readErr := h.Store.Answered(r)
		if readErr != nil {
			return readErr
		}
		err = w.row(k, a, d.Zone)
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

func (r csvRows) head(k *columns) error { return r.w.Write(k.head()) }
func (r csvRows) row(k *columns, a *store.Answered, zone *time.Location) error {
	return r.w.Write(k.record(a, zone))
}
func (r csvRows) close() error { return nil }

// answerRows has a line for each answer instead of one for each response: what tools that count answers read.
type answerRows struct{ csvRows }

func newAnswerRows(out io.Writer) (rows, error) {
	w, err := sheet.NewCSVWriter(out)
	return answerRows{csvRows{w}}, err
}

func (r answerRows) head(*columns) error {
	return r.w.Write([]string{"id", "finished", "version", "outcome", "question", "row", "question_text", "choice", "answer"})
}

func (r answerRows) row(k *columns, a *store.Answered, zone *time.Location) error {
	start := []string{a.ID, a.At.In(zone).Format(time.RFC3339), strconv.Itoa(a.Version), k.outcome(a)}
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

// xlsxRows are the lines as a spreadsheet: figures as numbers, all else as text. The library keeps what does not fit in
// memory in a file of its own.
type xlsxRows struct {
	out  io.Writer
	file *excelize.File
	w    *excelize.StreamWriter
	n    int
}

// mostXLSX is how many rows a sheet of this format has.
const mostXLSX = 1_048_576

func newXLSXRows(out io.Writer) (rows, error) {
	f := excelize.NewFile()
	w, err := f.NewStreamWriter("Sheet1")
	return &xlsxRows{out: out, file: f, w: w}, err
}

func (r *xlsxRows) put(cells []string) error {
	if r.n++; r.n > mostXLSX {
		return errors.New("a sheet has no more rows: export CSV")
	}
	line := make([]any, len(cells))
	for i, cell := range cells {
		line[i] = cell
		if n, err := rule.ParseNumber(cell); err == nil && r.n > 1 {
			line[i] = n.Float()
		}
	}
	at, err := excelize.CoordinatesToCellName(1, r.n)
	if err != nil {
		return err
	}
	return r.w.SetRow(at, line)
}

func (r *xlsxRows) head(k *columns) error { return r.put(k.head()) }
func (r *xlsxRows) row(k *columns, a *store.Answered, zone *time.Location) error {
	return r.put(k.record(a, zone))
}
func (r *xlsxRows) close() error {
	defer r.file.Close()
	if err := r.w.Flush(); err != nil {
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

func (r jsonRows) head(*columns) error { return nil }
func (r jsonRows) close() error        { return nil }
func (r jsonRows) row(_ *columns, a *store.Answered, zone *time.Location) error {
	return r.w.Encode(AsJSON(a, zone))
}

// AsJSON is a response as an object: answers by question id as documents write them.
func AsJSON(a *store.Answered, zone *time.Location) map[string]any {
	return map[string]any{
		"id": a.ID, "at": a.At.In(zone).Format(time.RFC3339), "version": a.Version, "outcome": a.Outcome, "line": a.Verdict,
		"scores": a.Scores, "answers": check.GivenAnswers(a.Doc, a.Answers), "contact": a.Contact, "consent": a.Consent, "params": a.Params, "source": a.Source,
	}
}

// columns are those of all versions, the oldest first.
func (h *Handler) columns(d *workbench.Draft) (*columns, error) {
	versions, err := h.Store.Versions(d.Quiz.ID)
	if err != nil {
		return nil, err
	}
	k := &columns{}
	for _, v := range slices.Backward(versions) {
		doc, err := h.Store.VersionDocument(d.Quiz.ID, v.Number)
		if err != nil {
			return nil, err
		}
		k.add(doc)
	}
	return k, nil
}

func fileName(d *workbench.Draft) string {
	if d.Quiz.Slug != nil {
		return *d.Quiz.Slug
	}
	return d.Quiz.ID
}
