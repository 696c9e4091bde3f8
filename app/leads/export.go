package leads

import (
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/score"
	"omphalos/core/sheet"
)

// columns are those of the export: of everything that any version asked, scored or kept, by id.
type columns struct {
	scores, questions, contacts, params []string
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
		sheet.Guard(a.Doc.OutcomeName(a.Outcome)),
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
		out = append(out, answerCell(a, id))
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

func answerCell(a *store.Answered, id string) string {
	answer, asked := a.Answers[id]
	i := a.Doc.Question(id)
	switch {
	case !asked || i < 0 || answer.Blank():
		return ""
	case answer.Number != nil:
		return answer.Number.String()
	}
	return sheet.Guard(Words(&a.Doc.Questions[i], answer))
}

// writeDeadline is how long whoever reads an export may let one page of it wait: a reader that has stopped holds
// nothing.
const writeDeadline = 30 * time.Second

// export writes every kept response, those kept aside too.
func (h *Handler) export(c *gin.Context) {
	d := h.Bench.Load(c)
	if d == nil {
		return
	}
	k, err := h.columns(d)
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.Header("Content-Type", "text/csv; charset=utf-8; header=present")
	c.Header("Content-Disposition", `attachment; filename="`+fileName(d)+`-leads.csv"`)
	c.Header("Cache-Control", "no-store")
	if err := h.write(c, d, k); err != nil {
		_ = c.Error(err)
		panic(http.ErrAbortHandler) // the head is sent: whoever reads must not take a part for the whole
	}
}

// write writes the table page by page.
func (h *Handler) write(c *gin.Context, d *workbench.Draft, k *columns) error {
	control := http.NewResponseController(c.Writer)
	w, err := sheet.NewCSVWriter(c.Writer)
	if err == nil {
		err = w.Write(k.head())
	}
	for r, readErr := range h.Store.Reader(d.Quiz.ID, store.All).All() {
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
		err = w.Write(k.record(a, d.Zone))
	}
	return err
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
