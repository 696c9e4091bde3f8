package engine

import (
	"bytes"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"strings"
	"time"

	"golang.org/x/text/language"

	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/app/words"
	"omphalos/core/fact"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Source is a document merged with the tables that stand next to it, made ready for walks: what a respondent meets. A
// launched version, a draft in the workbench and a sample are all sources; they differ in whether anything is stored.
type Source struct {
	QuizID    string
	Home      string         // address of its pages, such as /q/living-wall
	Number    int            // of the version; 0 for a draft
	Doc       *quiz.Document // with the answers that come from tables
	Tables    map[string]*documents.Table
	Look      *Look
	Stamp     string           // changes when the look does
	Languages []Language       // to choose from; none when there is only one
	Note      bool             // its pages say that nothing is kept
	Shared    responses.Shared // what a link to it looks like elsewhere
	Origin    string           // of the server, "" where that is not known
	Frames    string           // sites that may show its pages in a frame, as the header names them
	Prepared  any              // what anyone who draws the pages has made of it

	walk    *walk.Compiled
	groups  []group
	zone    *time.Location
	nonce   string // of the style sheet within the page, for a preview; "" when it has an address
	matcher language.Matcher
	own     *Source // in the quiz's own language, which responses are kept in
	others  map[string]*Source
	stores  bool // false: a rehearsal or a sample, of which nothing is kept
	beside  fill.Tables

	asksForContact bool // an ending hands over what the contact step was given
}

// newSource makes a document ready in all its languages; what it returns is the one in its own.
func newSource(quizID, home string, number int, d *quiz.Document, tables []documents.Table) (*Source, error) {
	languages := languagesOf(d)
	own, err := bare(quizID, home, number, d, tables)
	if err != nil {
		return nil, err
	}
	own.own, own.Languages, own.matcher, own.others = own, languages, matcher(languages), map[string]*Source{}
	for _, code := range d.Languages()[1:] {
		other, err := bare(quizID, home, number, words.InLanguage(d, code), tables)
		if err != nil {
			return nil, err
		}
		other.own, other.Languages = own, languages
		own.others[code] = other
	}
	return own, nil
}

// All are the source in each of its languages.
func (s *Source) All() []*Source {
	out := []*Source{s.own}
	for _, other := range s.own.others {
		out = append(out, other)
	}
	return out
}

// bare is a source in one language. It makes d its own: questions get their answers from tables.
func bare(quizID, home string, number int, d *quiz.Document, tables []documents.Table) (*Source, error) {
	s := &Source{
		QuizID: quizID, Home: home, Number: number, Doc: d, Tables: map[string]*documents.Table{},
		Look: newLook(d), groups: groups(d), zone: d.Zone(), beside: documents.Beside(tables, d.Language),
	}
	s.own = s
	for i := range tables {
		s.Tables[tables[i].Name] = &tables[i]
	}
	for i := range d.Questions {
		s.fromTable(&d.Questions[i])
	}
	endings, err := json.Marshal(d.Outcomes)
	if err != nil {
		return nil, err
	}
	s.asksForContact = bytes.Contains(endings, []byte("contact.")) || mentions(tables, "contact.")
	if s.walk, err = walk.New(d); err != nil {
		return nil, err
	}
	h := fnv.New32a()
	fmt.Fprint(h, s.Look.Style)
	s.Stamp = fmt.Sprintf("%d-%x", number, h.Sum32())
	return s, nil
}

// mentions reports whether a cell of the tables has the words in it.
func mentions(tables []documents.Table, words string) bool {
	for _, t := range tables {
		for _, row := range t.Rows {
			for _, cell := range row {
				if strings.Contains(cell, words) {
					return true
				}
			}
		}
	}
	return false
}

// fromTable gives a question its answers from a look-up table: the key as id, the named column as label.
func (s *Source) fromTable(q *quiz.Question) {
	from := q.ChoicesFrom
	if from == nil {
		return
	}
	t := s.Tables[from.Table]
	if t == nil {
		return
	}
	seen := map[string]bool{}
	for _, row := range t.Rows {
		if len(row) == 0 || row[0] == "" || seen[row[0]] {
			continue
		}
		seen[row[0]] = true
		q.Choices = append(
			q.Choices,
			quiz.Choice{ID: row[0], Label: quiz.FirstOf(s.cell(t, row, from.Label), row[0])},
		)
	}
}

// cell is what a table says in a column in the language of the pages.
func (s *Source) cell(t *documents.Table, row []string, column string) string {
	return t.CellIn(row, column, s.Doc.Language)
}

// SameForAll reports whether the page that begins with question i, a page of that question alone, is the same for
// everyone: no word of it is filled in, and its answers are not shuffled.
func (s *Source) SameForAll(i int) bool {
	g := s.groupOf(i)
	q := &s.Doc.Questions[i]
	return g.from == i && g.to == i+1 && !q.Shuffle && !s.Doc.Settings.Shuffle && !s.filled(q)
}

// SameIntro reports whether the opening page is the same for everyone.
func (s *Source) SameIntro() bool {
	i := s.Doc.Intro
	return i != nil && !hasSlots(i.Heading, i.Text)
}

// filled reports whether the words of a question, or of its section, are filled with what was answered before.
func (s *Source) filled(q *quiz.Question) bool {
	texts := []string{q.Text, q.Help}
	for _, section := range s.Doc.Sections {
		if section.ID == q.Section {
			texts = append(texts, section.Heading, section.Text)
		}
	}
	for _, c := range q.Choices {
		texts = append(texts, c.Label)
	}
	for _, r := range q.Rows {
		texts = append(texts, r.Label)
	}
	return hasSlots(texts...)
}

func hasSlots(texts ...string) bool {
	for _, t := range texts {
		if len(fill.Names(t)) > 0 {
			return true
		}
	}
	return false
}

// input is what the walk of a place computes on; today is the day on which it began, in the quiz's time zone.
func (s *Source) input(p *Place) walk.Input {
	today, when := fact.At(p.began().In(s.zone))
	if p.Time.Weekday > 0 || p.Today != "" { // a rehearsal pretends another day
		when.Weekday = p.Time.Weekday
	}
	if _, pretended := p.Time.Hour.Of(); pretended {
		when.Hour = p.Time.Hour
	}
	return walk.Input{
		Answers: p.Answers,
		Visitor: p.Visitor,
		Params:  p.Params,
		Today:   quiz.FirstOf(p.Today, today),
		Time:    when,
	}
}
