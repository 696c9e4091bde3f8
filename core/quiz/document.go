// Package quiz is the quiz document: its types, strict reading, schema, validation and edits.
package quiz

import (
	"slices"

	"omphalos/core/kind"
	"omphalos/core/rule"
	"omphalos/core/verdict"
)

// Format is the only value of a document's "format".
const Format = "omphalos-quiz/1"

// Document holds a whole quiz: the draft, a launched version and the export file are all this.
type Document struct {
	Format          string           `json:"format"`
	Name            string           `json:"name"`
	Language        string           `json:"language,omitempty"` // BCP 47
	Intro           *Intro           `json:"intro,omitempty"`
	Scales          []Scale          `json:"scales,omitempty"`
	Keywords        []Keyword        `json:"keywords,omitempty"`
	Questions       []Question       `json:"questions"`
	Sections        []Section        `json:"sections,omitempty"`
	Params          []string         `json:"params,omitempty"` // link parameters that a response keeps
	Computed        []Computed       `json:"computed,omitempty"`
	Outcomes        []Outcome        `json:"outcomes"`
	Verdicts        []Verdict        `json:"verdicts,omitempty"`
	Otherwise       string           `json:"otherwise"` // the outcome of everyone whom no verdict line takes
	Contact         *Contact         `json:"contact,omitempty"`
	Recommendations *Recommendations `json:"recommendations,omitempty"`
	Settings        Settings         `json:"settings,omitzero"`
	Theme           Theme            `json:"theme,omitzero"`
	Translations    Translations     `json:"translations,omitempty"`
	Checks          []Check          `json:"checks,omitempty"`   // kept rehearsals
	Messages        []Message        `json:"messages,omitempty"` // sent when a response is stored

	refs *references // of the text that it was read from
}

// Intro is the opening page.
type Intro struct {
	Heading string `json:"heading,omitempty"`
	Text    string `json:"text,omitempty"` // Markdown
	Image   string `json:"image,omitempty"`
	Alt     string `json:"alt,omitempty"`
	Credit  string `json:"credit,omitempty"`
	Button  string `json:"button,omitempty"`
}

// Scale is a named sum of points.
type Scale struct {
	ID    string      `json:"id"`
	Name  string      `json:"name,omitempty"`
	Start rule.Number `json:"start,omitzero"`
	Norm  Norm        `json:"norm,omitempty"` // what percentile.ID is taken from
}

// Keyword collects votes.
type Keyword struct {
	ID    string      `json:"id"`
	Name  string      `json:"name,omitempty"`
	Start rule.Number `json:"start,omitzero"` // added to its votes once it has some
}

// What a question is, and its kinds, are in the package kind.
type (
	// Question is one step of the walk.
	Question = kind.Question
	// Choice is an answer that can be picked.
	Choice = kind.Choice
	// ChoicesFrom names a look-up table whose rows are the choices.
	ChoicesFrom = kind.ChoicesFrom
	// Row is one line of a grid.
	Row = kind.Row
	// LinearPoint gives factor × value + offset points.
	LinearPoint = kind.LinearPoint
	// Step gives points to the values from From up to the next step.
	Step = kind.Step
	// Branch leads on from a question when its condition holds.
	Branch = kind.Branch
	// Given is an answer as a document writes it.
	Given = kind.Given
)

// Kinds that documents are made with by hand; kind.Names lists all.
const (
	Single    = kind.Single
	Multiple  = kind.Multiple
	Rating    = kind.Rating
	NumberQ   = kind.NumberQ
	Grid      = kind.Grid
	ShortText = kind.ShortText
	LongText  = kind.LongText
	Email     = kind.Email
	Date      = kind.Date
	Consent   = kind.Consent
	Statement = kind.Statement
)

// Section groups questions under a heading.
type Section struct {
	ID      string `json:"id"`
	Heading string `json:"heading,omitempty"`
	Text    string `json:"text,omitempty"`
}

// Computed is a value that a formula gives.
type Computed struct {
	ID      string `json:"id"`
	Name    string `json:"name,omitempty"`
	Formula string `json:"formula"`
	Price   bool   `json:"price,omitempty"` // texts show it with the currency of the quiz
}

// Outcome is where a respondent can end.
type Outcome struct {
	ID        string  `json:"id"`
	Name      string  `json:"name,omitempty"`    // internal
	Heading   string  `json:"heading,omitempty"` // public
	Text      string  `json:"text,omitempty"`    // Markdown
	Image     string  `json:"image,omitempty"`
	Alt       string  `json:"alt,omitempty"`
	Credit    string  `json:"credit,omitempty"`
	Qualified bool    `json:"qualified,omitempty"`
	Keep      *bool   `json:"keep,omitempty"` // none is true; false: nothing about the respondent is stored
	Event     string  `json:"event,omitempty"`
	Ending    *Ending `json:"ending,omitempty"`
}

// Kinds of ending.
const (
	EndPage     = "page"
	EndProducts = "products"
	EndRedirect = "redirect"
)

// Ending is what the respondent gets.
type Ending struct {
	Kind     string   `json:"kind"`
	Buttons  []Button `json:"buttons,omitempty"`
	Products []string `json:"products,omitempty"`
	URL      string   `json:"url,omitempty"`   // a URI template (RFC 6570)
	Delay    int      `json:"delay,omitempty"` // seconds
	Lookup   *Lookup  `json:"lookup,omitempty"`
	Charts   []Chart  `json:"charts,omitempty"`
}

// Button is a link of an ending page.
type Button struct {
	Label string `json:"label"`
	URL   string `json:"url"`
}

// Lookup takes an address from a table next to the quiz.
type Lookup struct {
	Table    string `json:"table"`
	Key      string `json:"key"`
	Column   string `json:"column"`
	Fallback string `json:"fallback"`
}

// What verdict lines are is in the package verdict.
type (
	// Verdict is one line that may decide the outcome.
	Verdict = verdict.Verdict
	// Table decides by the first row whose cells all match.
	Table = verdict.Table
	// TableRow is one line of a table, a cell for each fact.
	TableRow = verdict.TableRow
	// Cell lists the values that match; nil (null) matches anything.
	Cell = verdict.Cell
	// Bands cut a number into ranges.
	Bands = verdict.Bands
	// Cut owns the values from From up to the next cut.
	Cut = verdict.Cut
	// Leader decides by the keyword with the most votes.
	Leader = verdict.Leader
	// Matrix crosses two numbers.
	Matrix = verdict.Matrix
	// Edge is one of the numbers that a matrix crosses.
	Edge = verdict.Edge
	// CellOutcome is the id of an outcome, or "" (null) for a cell that decides nothing.
	CellOutcome = verdict.CellOutcome
	// Closest decides by the outcome whose profile is nearest.
	Closest = verdict.Closest
)

// Places of the contact step.
const (
	ContactBefore = "before_outcome"
	ContactAfter  = "after_outcome"
	ContactNone   = "none"
)

// Contact is the step that asks who the respondent is.
type Contact struct {
	Place    string         `json:"place"`
	Optional bool           `json:"optional,omitempty"`
	Heading  string         `json:"heading,omitempty"`
	Text     string         `json:"text,omitempty"`
	Fields   []ContactField `json:"fields,omitempty"`
	Consent  *ConsentText   `json:"consent,omitempty"`
}

// Asks reports whether the contact step has a field with the id.
func (c *Contact) Asks(id string) bool {
	return c != nil && slices.ContainsFunc(c.Fields, func(f ContactField) bool { return f.ID == id })
}

// Email is the email address among what the contact step was given, by field; "" for none.
func (c *Contact) Email(given map[string]string) string {
	if c == nil {
		return ""
	}
	for _, f := range c.Fields {
		if f.Kind == "email" && given[f.ID] != "" {
			return given[f.ID]
		}
	}
	return ""
}

// ContactField is one line of the contact step.
type ContactField struct {
	ID       string `json:"id"`
	Kind     string `json:"kind"`
	Label    string `json:"label,omitempty"`
	Required bool   `json:"required,omitempty"`
}

// ConsentText is what the respondent agrees to.
type ConsentText struct {
	Text     string `json:"text"`
	Required bool   `json:"required,omitempty"`
}

// Recommendations pick products next to the outcome.
type Recommendations struct {
	Mode  string               `json:"mode,omitempty"`
	Limit int                  `json:"limit,omitempty"`
	Lines []RecommendationLine `json:"lines,omitempty"`
}

// RecommendationLine names a product for those whom its condition holds for.
type RecommendationLine struct {
	When    *rule.Condition `json:"when,omitempty"`
	Product string          `json:"product"`
}

// Settings of the whole quiz.
type Settings struct {
	Pages       string `json:"pages,omitempty"`
	Shuffle     bool   `json:"shuffle,omitempty"`
	ShowScore   bool   `json:"show_score,omitempty"`
	Review      string `json:"review,omitempty"`
	Retakes     *int   `json:"retakes,omitempty"` // none and -1: always
	AutoAdvance *bool  `json:"auto_advance,omitempty"`
	Tag         string `json:"tag,omitempty"`          // HTML that ending pages run in a sealed frame, for an ad platform
	SameAddress bool   `json:"same_address,omitempty"` // qualified and unqualified outcomes may share an address
	Currency    string `json:"currency,omitempty"`     // of prices, a code of ISO 4217; "" leaves prices as they are typed
	TimeZone    string `json:"time_zone,omitempty"`    // of the IANA database, for today, days and shown times; "" is UTC
}

// Theme is how the respondent's pages look, and what their buttons and messages say.
type Theme struct {
	Colour     string            `json:"colour,omitempty"`     // of buttons and headings, as #rrggbb
	Background string            `json:"background,omitempty"` // as #rrggbb
	Picture    string            `json:"picture,omitempty"`    // behind the pages
	Logo       string            `json:"logo,omitempty"`
	LogoAlt    string            `json:"logo_alt,omitempty"`
	Fonts      string            `json:"fonts,omitempty"`     // didot, plain or book; "" is didot
	Direction  string            `json:"direction,omitempty"` // ltr or rtl; "" is that of the language
	Words      map[string]string `json:"words,omitempty"`     // of buttons and messages, by key
}

// New returns the draft that a new quiz starts as. It is not ready to launch: it has no question yet.
func New(name string) *Document {
	return &Document{
		Format: Format, Name: name, Language: "en",
		Scales:    []Scale{{ID: "score", Name: "Score"}},
		Questions: []Question{},
		Outcomes:  []Outcome{{ID: "thanks", Name: "Thank you", Heading: "Thank you", Ending: &Ending{Kind: EndPage}}},
		Otherwise: "thanks",
	}
}

// Question returns the position of the question with this id, or -1.
func (d *Document) Question(id string) int {
	return indexFunc(d.Questions, func(q *Question) bool { return q.ID == id })
}

// Outcome returns the outcome with this id, or nil.
func (d *Document) Outcome(id string) *Outcome {
	return find(d.Outcomes, func(o *Outcome) bool { return o.ID == id })
}

// Scale returns the scale with this id, or nil.
func (d *Document) Scale(id string) *Scale {
	return find(d.Scales, func(s *Scale) bool { return s.ID == id })
}

// Keyword returns the keyword with this id, or nil.
func (d *Document) Keyword(id string) *Keyword {
	return find(d.Keywords, func(k *Keyword) bool { return k.ID == id })
}

// Keeps reports whether a response that ends here is stored.
func (o *Outcome) Keeps() bool { return o.Keep == nil || *o.Keep }

// Title returns the internal name, or what stands in for it.
func (o *Outcome) Title() string { return FirstOf(o.Name, o.Heading, o.ID) }

// Title returns the public name, or the id.
func (s *Scale) Title() string { return FirstOf(s.Name, s.ID) }

// Title returns the public name, or the id.
func (k *Keyword) Title() string { return FirstOf(k.Name, k.ID) }

// FirstOf returns the first text that is not empty.
func FirstOf(texts ...string) string {
	for _, t := range texts {
		if t != "" {
			return t
		}
	}
	return ""
}

func indexFunc[T any](list []T, is func(*T) bool) int {
	for i := range list {
		if is(&list[i]) {
			return i
		}
	}
	return -1
}

func find[T any](list []T, is func(*T) bool) *T {
	if i := indexFunc(list, is); i >= 0 {
		return &list[i]
	}
	return nil
}
