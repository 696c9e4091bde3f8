package respond

import (
	"embed"
	"fmt"
	"hash/fnv"
	"html/template"

	"golang.org/x/text/language"

	"omphalos/app/media"
	"omphalos/app/page"
	"omphalos/app/store"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

var pages = page.Parse(template.New("").Funcs(page.Funcs).Funcs(template.FuncMap{"sources": media.Sources}), files)

// version is a launched document made ready: compiled, with the tables that it draws answers from, and with every page already
// written that is the same for everybody.
type version struct {
	QuizID string
	Slug   string
	Number int
	Doc    *quiz.Document // with the answers that come from tables
	Tables map[string]*store.Table
	Look   *look
	Stamp  string // changes when the look does
	walk   *walk.Compiled
	groups []group
	intro  ready
	asks   map[int]ready // by first question of a page of one question

	nonce   string // of the style sheet within the page, for a preview; "" when it has an address
	matcher language.Matcher
	Tongues []tongue // the languages to choose from; none when there is only one
	own     *version // in the quiz's own language, which responses are kept in
	others  map[string]*version
}

// newVersion makes a launched version ready in all its languages; what it returns is the one in its own.
func newVersion(q *store.Quiz, v *store.Version, tables []store.Table) (*version, error) {
	d, err := quiz.Read(v.Document)
	if err != nil {
		return nil, err
	}
	tongues := tonguesOf(d)
	own, err := spoken(q, v, d, tables, tongues, nil)
	if err != nil {
		return nil, err
	}
	own.matcher = matcher(tongues)
	own.others = map[string]*version{}
	for _, code := range d.Languages()[1:] {
		if own.others[code], err = spoken(q, v, d.In(code), tables, tongues, own); err != nil {
			return nil, err
		}
	}
	return own, nil
}

// spoken makes a version ready in one language; own is the one in the quiz's own language, nil when this is it.
func spoken(q *store.Quiz, v *store.Version, d *quiz.Document, tables []store.Table, tongues []tongue, own *version) (*version, error) {
	ver, err := bare(q, v.Number, d, tables)
	if err != nil {
		return nil, err
	}
	ver.Tongues, ver.own = tongues, own
	if own == nil {
		ver.own = ver
	}
	s := ver.screen(slotToken, slotDone)
	if d.Intro != nil && !hasSlots(d.Intro.Heading, d.Intro.Text) {
		ver.intro = cut(ver.draw("intro", ver.opening(s, &place{})))
	}
	s.Back = "?w=" + slotBack
	for _, g := range ver.groups {
		if g.to-g.from == 1 && !d.Questions[g.from].Shuffle && !d.Settings.Shuffle && !ver.slotted(&d.Questions[g.from]) {
			ver.asks[g.from] = cut(ver.draw("ask", ver.ask(s, &place{}, []int{g.from})))
		}
	}
	return ver, nil
}

// bare is a version with no page drawn yet. It makes d its own: questions get their answers from tables.
func bare(q *store.Quiz, number int, d *quiz.Document, tables []store.Table) (*version, error) {
	ver := &version{QuizID: q.ID, Number: number, Doc: d, Tables: map[string]*store.Table{}, Look: newLook(d), groups: groups(d), asks: map[int]ready{}}
	if q.Slug != nil {
		ver.Slug = *q.Slug
	}
	for i := range tables {
		ver.Tables[tables[i].Name] = &tables[i]
	}
	for i := range d.Questions {
		ver.fromTable(&d.Questions[i])
	}
	var err error
	if ver.walk, err = walk.New(d); err != nil {
		return nil, err
	}
	h := fnv.New32a()
	fmt.Fprint(h, ver.Look.Style)
	ver.Stamp = fmt.Sprintf("%x", h.Sum32())
	return ver, nil
}

// fromTable gives a question its answers from a look-up table: the key as id, the named column as label.
func (v *version) fromTable(q *quiz.Question) {
	from := q.ChoicesFrom
	if from == nil {
		return
	}
	t := v.Tables[from.Table]
	if t == nil {
		return
	}
	seen := map[string]bool{}
	for _, row := range t.Rows {
		if len(row) == 0 || row[0] == "" || seen[row[0]] {
			continue
		}
		seen[row[0]] = true
		q.Choices = append(q.Choices, quiz.Choice{ID: row[0], Label: quiz.FirstOf(v.cell(t, row, from.Label), row[0])})
	}
}

// cell is what a table says in a column in the language of the pages: "name de" stands before "name".
func (v *version) cell(t *store.Table, row []string, column string) string {
	return quiz.FirstOf(t.Cell(row, column+" "+v.Doc.Language), t.Cell(row, column))
}

// slotted reports whether the words of a question, or of its section, are filled with what was answered before.
func (v *version) slotted(q *quiz.Question) bool {
	texts := []string{q.Text, q.Help}
	for _, s := range v.Doc.Sections {
		if s.ID == q.Section {
			texts = append(texts, s.Heading, s.Text)
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

// opening fills in the opening page.
func (v *version) opening(s screen, p *place) screen {
	i, filled := v.Doc.Intro, v.filler(p)
	s.Title, s.Heading = v.Doc.Name, filled(quiz.FirstOf(i.Heading, v.Doc.Name), fill.Plain)
	s.Text = page.Markdown(filled(i.Text, fill.EscapeMarkdown))
	s.Picture = pictureOf(i.Image, i.Alt, i.Credit)
	return s
}

func (v *version) draw(name string, s screen) []byte { return page.Execute(pages, name, s) }

// screen is what the templates of respondents' pages draw.
type screen struct {
	V        *version
	Title    string
	Heading  string // of the opening page
	Section  *section
	Token    string
	Back     string // address, "" for none
	Done     string // of a thousand
	Blocks   []block
	Many     bool // more than one question on the page
	Again    bool // the page asks for itself when an answer changes what is asked
	Error    *fieldError
	Contact  []input
	Consent  *input
	Skip     bool
	Text     template.HTML
	Picture  *picture
	Outcome  *quiz.Outcome
	Buttons  []quiz.Button
	Products []product
	Score    []scoreLine
	Review   []reviewed
	Share    string
	Retake   string
	Event    *event
	To       string // of a redirect with a notice
	Delay    int
	After    bool // the contact step stands after the outcome
	Thanks   bool
}

func (v *version) screen(token, done string) screen { return screen{V: v, Token: token, Done: done} }

// Say is what a button or message says.
func (s screen) Say(key string) string { return s.V.Look.say(key) }

// Preview reports whether this is shown to the quiz's makers: it runs no scripts.
func (s screen) Preview() bool { return s.V.nonce != "" }

// Inline is the theme's own style sheet within the page, where it has no address.
func (s screen) Inline() template.HTML {
	if !s.Preview() {
		return ""
	}
	return template.HTML(`<style nonce="` + s.V.nonce + `">` + s.V.Look.Style + `</style>`) // made of colours, fonts and the library's pictures
}

// Lang is the language of the pages.
func (s screen) Lang() string { return quiz.FirstOf(s.V.Doc.Language, "en") }

// section is the heading above a page's questions, filled in.
type section struct {
	Heading string
	Text    template.HTML
}

// Advance reports whether a single answer goes on by itself.
func (s screen) Advance() bool {
	a := s.V.Doc.Settings.AutoAdvance
	return (a == nil || *a) && len(s.Blocks) == 1 && s.Blocks[0].Q.Kind == quiz.Single && s.Blocks[0].Q.Display != "dropdown"
}

type picture struct {
	Image, Alt, Credit, Sources string
}

func pictureOf(image, alt, credit string) *picture {
	if image = picturePath(image); image == "" {
		return nil
	}
	return &picture{image, alt, credit, media.Sources(image)}
}

type fieldError struct {
	Field   string
	Message string
}
