package responses

import (
	"encoding/base64"
	"encoding/json"
	"errors"
	"iter"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"omphalos/app/store/database"
	"omphalos/core/check"
	"omphalos/core/fact"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Response returns a response by its id.
func (s *Store) Response(id string) (*Response, error) {
	var r Response
	err := s.Read.Where("id = ?", id).First(&r).Error
	return &r, database.NotFound(err)
}

// Which responses a Reader reads. Before and After take Genuine or Aside.
const (
	Genuine = iota // those that do not look like a program's
	Aside          // those that are set aside
	All            // both
)

// Reader reads kept responses of a quiz, in pages by their place in time. It holds no connection between pages,
// however slow anyone who reads is.
type Reader struct {
	s      *Store
	quiz   string
	which  int
	filter Filter
	sort   Sort
	lean   bool  // only what a walk depended on is read
	hits   *hits // of what the filter searches for; nil before it was looked up
}

// Filter chooses some of the responses; the zero one chooses all.
type Filter struct {
	Outcome  string
	Source   *string // "" is none
	Version  int
	Deal     string // state of what came of it
	Search   string // words as they begin, of names, email addresses, contact fields and typed answers; or an id
	Device   *string
	Country  *string
	Language *string
	Way      *string
	Day      string  // YYYY-MM-DD in the quiz's time zone
	From, To string  // days, both included; "" for no bound
	Answer   *Answer // that was given
	Range    *Range  // of an answer that is a number, or of a score
	Import   string  // OnlyImported, NotImported, or "" for both
}

// Which responses a filter chooses by whether they were imported.
const (
	OnlyImported = "only"
	NotImported  = "none"
)

// Range is From or more and under To: of the number answered to a question, or of a scale, such as scale.fit.
type Range struct {
	Field    string
	From, To float64
}

// Answer is a value of a field as AnswerTally has it: a question's id, or QUESTION.ROW of a grid, with the id of a
// choice, a number, or ValueBlank.
type Answer struct{ Field, Value string }

// Only is a reader of those responses that a filter chooses.
func (r *Reader) Only(f Filter) *Reader {
	only := *r
	only.filter, only.hits = f, nil
	return &only
}

// Lean is a reader of the same responses that reads only what their walks depended on, and what came of them.
func (r *Reader) Lean() *Reader {
	lean := *r
	lean.lean = true
	return &lean
}

// leanColumns are what a lean reader reads, with the places that pages go by.
var leanColumns = strings.Fields(
	"id name email quiz_id version outcome answers params device country language started_at at",
)

// Count is how many responses the reader reads. Where a search finds more than MostCounted, it is one more than that.
func (r *Reader) Count() (int, error) {
	if err := r.look(); err != nil {
		return 0, err
	}
	if r.hits != nil && r.hits.many {
		return MostCounted + 1, nil
	}
	var n int64
	err := r.where().Model(&Response{}).Count(&n).Error
	return int(n), err
}

// Reader returns a reader of the kept responses of a quiz.
func (s *Store) Reader(quizID string, which int) *Reader {
	return &Reader{s: s, quiz: quizID, which: which}
}

// Cursor is a place among responses in time; the zero one is before the first and after the last.
type Cursor struct {
	At    time.Time
	ID    string
	Value string // of what is sorted by next to the time
}

// String writes the cursor for an address.
func (c Cursor) String() string {
	if c.ID == "" {
		return ""
	}
	text := c.At.UTC().Format(time.RFC3339Nano) + " " + c.ID
	if c.Value != "" {
		text += " " + c.Value
	}
	return base64.RawURLEncoding.EncodeToString([]byte(text))
}

// ParseCursor reads what String wrote.
func ParseCursor(text string) (Cursor, error) {
	if text == "" {
		return Cursor{}, nil
	}
	plain, err := base64.RawURLEncoding.DecodeString(text)
	if err != nil {
		return Cursor{}, errCursor
	}
	at, rest, _ := strings.Cut(string(plain), " ")
	id, value, _ := strings.Cut(rest, " ")
	c := Cursor{ID: id, Value: value}
	if c.At, err = time.Parse(time.RFC3339Nano, at); err != nil || id == "" {
		return Cursor{}, errCursor
	}
	return c, nil
}

var errCursor = errors.New("couldn’t read the position in the list")

// CursorOf is the place of a response among others.
func CursorOf(r *Response) Cursor { return Cursor{At: r.At, ID: r.ID} }

// where chooses the responses of the reader; which is Genuine or Aside.
func (r *Reader) where() *gorm.DB {
	q, place := r.s.Read, "quiz_id = ? AND kept = ? AND aside = ?"
	if r.hits != nil && !r.hits.many {
		q, place = amongIDs(q, r.s.Dialect, r.hits.ids), r.s.Dialect.Place
	}
	q = q.Where(place, r.quiz, true, r.which == Aside)
	if r.lean && (r.hits == nil || !r.hits.many) { // a search looks at all
		q = q.Select(leanColumns)
	}
	if r.hits != nil && r.hits.many {
		q = r.hits.hinted(q, r.s.Dialect)
	}
	f := r.filter
	if f.Outcome != "" {
		q = q.Where("outcome = ?", f.Outcome)
	}
	if f.Source != nil {
		q = q.Where("source = ?", *f.Source)
	}
	if f.Version > 0 {
		q = q.Where("version = ?", f.Version)
	}
	if f.Deal != "" {
		q = q.Where(
			"id IN (?)",
			r.s.Read.Model(&Deal{}).Select("response_id").Where("quiz_id = ? AND state = ?", r.quiz, f.Deal),
		)
	}
	if f.Device != nil {
		q = q.Where("device = ?", *f.Device)
	}
	if f.Country != nil {
		q = q.Where("country = ?", *f.Country)
	}
	if f.Day != "" {
		q = q.Where("day = ?", f.Day)
	}
	if f.From != "" {
		q = q.Where("day >= ?", f.From)
	}
	if f.To != "" {
		q = q.Where("day <= ?", f.To)
	}
	switch f.Import {
	case OnlyImported:
		q = q.Where("import_id <> ''")
	case NotImported:
		q = q.Where("import_id = ''")
	}
	if f.Answer != nil {
		q = q.Where(r.s.Dialect.Inside+" > 0", mark(f.Answer.Field, f.Answer.Value))
	}
	if f.Range != nil {
		q = f.Range.choose(q, r.s.Dialect)
	}
	if f.Language != nil {
		q = q.Where("language = ?", *f.Language)
	}
	if f.Way != nil {
		q = q.Where("way = ?", *f.Way)
	}
	return q
}

// look looks up what the filter searches for, once for a reader.
func (r *Reader) look() (err error) {
	if r.hits == nil && strings.TrimSpace(r.filter.Search) != "" {
		r.hits, err = r.s.find(r.quiz, r.filter.Search)
	}
	return err
}

// walkedMore is how many more than are wanted are read at once: the database has looked for the words already, and few
// that it finds are none.
const walkedMore = 10

// walked takes pages from next, from a place on, until there are n responses in which the search is found.
func (r *Reader) walked(c Cursor, n int, next func(Cursor, int) ([]Response, error)) ([]Response, error) {
	out := []Response{}
	step := n + walkedMore
	for {
		list, err := next(c, step)
		if err != nil {
			return nil, err
		}
		for i := range list {
			if matches(wordsOf(&list[i], nil), r.hits.search) {
				out = append(out, list[i])
			}
			if len(out) == n {
				return out, nil
			}
		}
		if len(list) < step {
			return out, nil
		}
		if c, err = r.CursorOf(&list[len(list)-1]); err != nil {
			return nil, err
		}
	}
}

// Before returns at most n responses behind a place in the reader's order, which begins with the newest; Cursor{} is
// its beginning.
func (r *Reader) Before(c Cursor, n int) ([]Response, error) {
	if err := r.look(); err != nil {
		return nil, err
	}
	if r.hits != nil && r.hits.many {
		return r.walked(c, n, r.before)
	}
	return r.before(c, n)
}

func (r *Reader) before(c Cursor, n int) ([]Response, error) {
	var list []Response
	return list, r.ordered(r.where(), c, false).Limit(n).Find(&list).Error
}

// After returns at most n responses before a place in the reader's order: those next to it, in that order. Cursor{} is
// its end.
func (r *Reader) After(c Cursor, n int) ([]Response, error) {
	if err := r.look(); err != nil {
		return nil, err
	}
	var list []Response
	var err error
	if r.hits != nil && r.hits.many {
		list, err = r.walked(c, n, r.after)
	} else {
		list, err = r.after(c, n)
	}
	slices.Reverse(list)
	return list, err
}

// after returns those next to the place first.
func (r *Reader) after(c Cursor, n int) ([]Response, error) {
	var list []Response
	return list, r.ordered(r.where(), c, true).Limit(n).Find(&list).Error
}

// Since returns at most n responses that were finished at a time or later, the oldest first, behind a place; Cursor{}
// is the beginning.
func (r *Reader) Since(at time.Time, c Cursor, n int) ([]Response, error) {
	q := r.where()
	if !at.IsZero() {
		q = q.Where("at >= ?", at.UTC())
	}
	if c.ID != "" {
		q = q.Where("(at, id) > (?, ?)", c.At.UTC(), c.ID)
	}
	var list []Response
	return list, q.Order("at, id").Limit(n).Find(&list).Error
}

// ReaderPage is how many responses All reads at a time.
const ReaderPage = 500

// All returns every response, the oldest first. A reader of All merges those of both kinds, each in its own order.
func (r *Reader) All() iter.Seq2[*Response, error] {
	if r.which == All {
		return merged(r.s.Reader(r.quiz, Genuine).Only(r.filter).All(), r.s.Reader(r.quiz, Aside).Only(r.filter).All())
	}
	return func(yield func(*Response, error) bool) {
		var at Cursor
		for {
			page, err := r.After(at, ReaderPage)
			if err != nil {
				yield(nil, err)
				return
			}
			for i := range slices.Backward(page) {
				if !yield(&page[i], nil) {
					return
				}
			}
			if len(page) < ReaderPage {
				return
			}
			at = CursorOf(&page[0])
		}
	}
}

// Newest returns every response, the newest first.
func (r *Reader) Newest() iter.Seq2[*Response, error] {
	return func(yield func(*Response, error) bool) {
		var at Cursor
		for {
			page, err := r.Before(at, ReaderPage)
			if err != nil {
				yield(nil, err)
				return
			}
			for i := range page {
				if !yield(&page[i], nil) {
					return
				}
			}
			if len(page) < ReaderPage {
				return
			}
			at = CursorOf(&page[len(page)-1])
		}
	}
}

// merged yields two sequences by time.
func merged(a, b iter.Seq2[*Response, error]) iter.Seq2[*Response, error] {
	return func(yield func(*Response, error) bool) {
		next, stop := iter.Pull2(b)
		defer stop()
		later, err, more := next()
		upTo := func(r *Response) bool {
			for more && (r == nil || err != nil || later.At.Before(r.At)) {
				if !yield(later, err) || err != nil {
					return false
				}
				later, err, more = next()
			}
			return true
		}
		for r, failed := range a {
			if failed != nil {
				yield(nil, failed)
				return
			}
			if !upTo(r) || !yield(r, nil) {
				return
			}
		}
		upTo(nil)
	}
}

// Answered is a response read by the version that it belongs to: what was said then keeps its name.
type Answered struct {
	*Response
	Doc     *quiz.Document
	Answers map[string]walk.Answer
	Scores  map[string]string // by column of core/score
	Contact map[string]string
	Params  map[string]string
}

// InputIn is what the walk of a response depended on, with its day and time in the zone of the quiz.
func (a *Answered) InputIn(zone *time.Location) walk.Input {
	in := walk.Input{
		Answers: a.Answers, Params: a.Params,
		Visitor: walk.Visitor{Country: a.Country, Language: a.Language, Device: a.Device},
	}
	in.Today, in.Time = fact.At(a.StartedAt.In(zone))
	return in
}

// Object is a response as an object of JSON, with answers as documents write them, and times in a zone.
func (a *Answered) Object(zone *time.Location) map[string]any {
	return map[string]any{
		"id": a.ID, "at": a.At.In(zone).Format(time.RFC3339), "version": a.Version, "source": a.Source,
		"outcome": a.Outcome, "line": a.Verdict, "scores": a.Scores, "answers": check.GivenAnswers(a.Doc, a.Answers),
		"contact": a.Contact, "consent": a.Consent, "params": a.Params,
	}
}

// Answered reads what the walk of a response depended on: no version, scores or contact fields.
func (r *Response) Answered() (*Answered, error) {
	a := &Answered{Response: r}
	for _, part := range []struct {
		from []byte
		to   any
	}{{r.Answers, &a.Answers}, {r.Params, &a.Params}} {
		if len(part.from) <= len("{}") {
			continue
		}
		if err := json.Unmarshal(part.from, part.to); err != nil {
			return nil, err
		}
	}
	return a, nil
}

// Answered reads a response by its version.
func (s *Store) Answered(r *Response) (*Answered, error) {
	doc, err := s.Documents.VersionDocument(r.QuizID, r.Version)
	if err != nil {
		return nil, err
	}
	a := &Answered{Response: r, Doc: doc}
	labels := map[string]map[string]string{}
	for _, part := range []struct {
		from []byte
		to   any
	}{
		{r.Scores, &a.Scores},
		{r.Answers, &a.Answers},
		{r.Contact, &a.Contact},
		{r.Params, &a.Params},
		{r.Labels, &labels},
	} {
		if len(part.from) == 0 {
			continue
		}
		if err := json.Unmarshal(part.from, part.to); err != nil {
			return nil, err
		}
	}
	if len(labels) > 0 {
		a.Doc = withLabels(doc, labels)
	}
	return a, nil
}

// withLabels gives questions whose choices come from a table the ones that the response picked, as they were called
// then.
func withLabels(doc *quiz.Document, labels map[string]map[string]string) *quiz.Document {
	out := *doc
	out.Questions = slices.Clone(doc.Questions)
	for i := range out.Questions {
		q := &out.Questions[i]
		for id, label := range labels[q.ID] {
			if q.Choice(id) < 0 {
				q.Choices = append(slices.Clip(q.Choices), quiz.Choice{ID: id, Label: label})
			}
		}
	}
	return &out
}
