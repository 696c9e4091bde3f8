package leads

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/score"
	"omphalos/core/sheet"
	"omphalos/core/walk"
)

// fields are the columns of all versions, the oldest first.
func (h *Handler) fields(d *workbench.Draft, as string) (*fields, error) {
	versions, err := h.Store.Documents.Versions(d.Quiz.ID)
	if err != nil {
		return nil, err
	}
	k := &versionFields{map[string][]string{}, map[string]string{}}
	for _, v := range slices.Backward(versions) {
		doc, err := h.Store.Documents.VersionDocument(d.Quiz.ID, v.Number)
		if err != nil {
			return nil, err
		}
		k.add(doc)
	}
	f := &fields{ids: as == "ids", both: as == "both"}
	k.fields(f)
	return f, nil
}

// exportRow is a response with what came of it.
type exportRow struct {
	*responses.Answered
	deal responses.Deal
	zone *time.Location
}

// A cell of an export is a figure that was computed, a time.Time, a day, or text that someone typed.
type (
	cellValue any
	plain     string // a figure, or a word of the program: no text of anyone's
	day       string // YYYY-MM-DD
)

// field is a column of the export.
type field struct {
	id, title string
	of        func(r *exportRow) cellValue
}

// fields are the columns of the export: of everything that any version asked, scored or kept.
type fields struct {
	list []field
	ids  bool // answers and outcomes are written by their ids instead of their words, and so are the columns
	both bool // the ids of the columns stand below their words
}

// versionFields are what versions may differ in; a column has the title that its latest version gives it.
type versionFields struct {
	order  map[string][]string // ids by group
	titles map[string]string   // by group and id
}

// Groups of such columns, with what their ids begin with.
const (
	groupScore   = ""
	groupAnswer  = "answer."
	groupContact = "contact."
	groupParam   = "param."
)

// linkParameter begins the title of a column of a parameter.
const linkParameter = "Link parameter "

func (k *versionFields) put(group, id, title string) {
	if _, known := k.titles[group+id]; !known {
		k.order[group] = append(k.order[group], id)
	}
	k.titles[group+id] = title
}

// add adds the columns of a version.
func (k *versionFields) add(d *quiz.Document) {
	for _, name := range score.Columns(d) {
		if name != "outcome" && name != "verdict" &&
			name != "path" { // these stand at the beginning, or follow from the answers
			k.put(groupScore, name, d.FactName(name))
		}
	}
	for i := range d.Questions {
		k.put(groupAnswer, d.Questions[i].ID, d.Questions[i].Title())
	}
	if d.Contact != nil {
		for _, f := range d.Contact.Fields {
			k.put(groupContact, f.ID, quiz.FirstOf(f.Label, f.ID))
		}
	}
	for _, name := range d.Params {
		k.put(groupParam, name, linkParameter+name)
	}
}

// fields lays the columns out in their order.
func (k *versionFields) fields(f *fields) {
	put := func(id, title string, of func(r *exportRow) cellValue) { f.list = append(f.list, field{id, title, of}) }
	put("id", "Response", func(r *exportRow) cellValue { return r.ID })
	put("finished", "Finished", func(r *exportRow) cellValue { return r.At.In(r.zone) })
	put("seconds", "Seconds", func(r *exportRow) cellValue { return plain(strconv.Itoa(int(r.At.Sub(r.StartedAt).Seconds()))) })
	put("version", "Version", func(r *exportRow) cellValue { return plain(strconv.Itoa(r.Version)) })
	put("outcome", "Outcome", func(r *exportRow) cellValue { return f.outcome(r.Answered) })
	put("line", "Verdict line", func(r *exportRow) cellValue { return plain(r.Verdict) })
	each := func(group string, of func(r *exportRow, id string) cellValue) {
		for _, id := range k.order[group] {
			put(group+id, k.titles[group+id], func(r *exportRow) cellValue { return of(r, id) })
		}
	}
	each(groupScore, func(r *exportRow, id string) cellValue {
		if _, err := rule.ParseNumber(r.Scores[id]); err == nil {
			return plain(r.Scores[id])
		}
		return r.Scores[id]
	})
	each(groupAnswer, func(r *exportRow, id string) cellValue { return f.answer(r.Answered, id) })
	each(groupContact, func(r *exportRow, id string) cellValue { return r.Contact[id] })
	put("consent", "Consent", func(r *exportRow) cellValue { return r.Consent })
	put("consent_at", "Consent given", func(r *exportRow) cellValue {
		if r.ConsentAt == nil {
			return plain("")
		}
		return r.ConsentAt.In(r.zone)
	})
	put("source", "Source", func(r *exportRow) cellValue { return r.Source })
	put("kept_aside", "Set aside", func(r *exportRow) cellValue { return plain(r.Suspect) })
	each(groupParam, func(r *exportRow, id string) cellValue { return r.Params[id] })
	put("deal", "Deal", func(r *exportRow) cellValue { return plain(r.deal.State) })
	put("deal_amount", "Deal amount", func(r *exportRow) cellValue { return plain(r.deal.Amount) })
	put("deal_currency", "Deal currency", func(r *exportRow) cellValue { return plain(r.deal.Currency) })
	put("deal_at", "Deal entered", func(r *exportRow) cellValue {
		if r.deal.State == "" {
			return plain("")
		}
		return r.deal.At.In(r.zone)
	})
	f.tellApart()
}

// tellApart adds the id to titles that several columns have.
func (f *fields) tellApart() {
	n := map[string]int{}
	for _, one := range f.list {
		n[one.title]++
	}
	for i := range f.list {
		if one := &f.list[i]; n[one.title] > 1 {
			one.title += " (" + one.id + ")"
		}
	}
}

// head are the names of the columns: words, or ids where these are asked for.
func (f *fields) head(ids bool) []string {
	var out []string
	for _, one := range f.list {
		if ids {
			out = append(out, one.id)
		} else {
			out = append(out, one.title)
		}
	}
	return sheet.GuardAll(out)
}

// record is one line of the export.
func (f *fields) record(r *exportRow) []cellValue {
	out := make([]cellValue, len(f.list))
	for i, one := range f.list {
		out[i] = one.of(r)
	}
	return out
}

// written is a cell as text. What people typed is guarded; figures are written as they are. Next to words, a time is
// written as spreadsheets read it, in the quiz's time zone; next to ids, as programs do (RFC 3339).
func (f *fields) written(v cellValue) string {
	switch v := v.(type) {
	case plain:
		return string(v)
	case day:
		return string(v)
	case time.Time:
		if f.ids {
			return v.Format(time.RFC3339)
		}
		return v.Format(time.DateTime)
	case string:
		return sheet.Guard(v)
	}
	return ""
}

func (f *fields) outcome(a *responses.Answered) cellValue {
	if f.ids {
		return plain(a.Outcome)
	}
	return a.Doc.OutcomeName(a.Outcome)
}

func (f *fields) answer(a *responses.Answered, id string) cellValue {
	answer, asked := a.Answers[id]
	i := a.Doc.Question(id)
	switch {
	case !asked || i < 0 || answer.Blank():
		return plain("")
	case answer.Number != nil:
		return plain(answer.Number.String())
	case kind.Of(&a.Doc.Questions[i]).About().Day:
		return day(answer.Text)
	case f.ids:
		return byIDs(&a.Doc.Questions[i], answer)
	}
	return answer.Words(&a.Doc.Questions[i])
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
