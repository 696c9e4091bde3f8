package engine

import (
	"html/template"
	"strings"

	"omphalos/app/kinds"
	"omphalos/app/media"
	"omphalos/app/page"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Screen is what one page shows: the templates of respondents' pages draw it.
type Screen struct {
	S        *Source
	Title    string
	Heading  string // of the opening page
	Section  *Section
	Token    string
	Back     string // address, "" for none
	Done     string // of a thousand
	Blocks   []kinds.Block
	Many     bool // more than one question on the page
	Again    bool // the page asks for itself when an answer changes what is asked
	Error    *walk.FieldError
	Contact  []kinds.Input
	Consent  *kinds.Input
	Skip     bool
	Text     template.HTML
	Picture  *kinds.Picture
	Outcome  *quiz.Outcome
	Buttons  []quiz.Button
	Products []Product
	Score    []ScoreLine
	Charts   []Chart
	Review   []Reviewed
	Share    string
	Retake   string
	Event    *Event
	To       string // of a redirect with a notice
	Delay    int
	Kit      bool   // the page around sends them on, once it has the event
	Closed   string // why the quiz cannot be begun
	Asks     string // name of the field for a passphrase, "" for none
	Wrong    string // what is wrong with what was typed there
	After    bool   // the contact step stands after the outcome
	Thanks   bool
	Result   bool // shown to others
}

// Say is what a button or message says.
func (s Screen) Say(key string) string { return s.S.Look.say(key) }

// Preview reports whether this is shown to the quiz's makers: it runs no scripts.
func (s Screen) Preview() bool { return s.S.nonce != "" }

// Rehearsed reports whether this is a page of a rehearsal: what leads elsewhere opens next to it.
func (s Screen) Rehearsed() bool { return !s.S.stores && !s.Preview() }

// Inline is the theme's own style sheet within the page, where it has no address.
func (s Screen) Inline() template.HTML {
	if !s.Preview() {
		return ""
	}
	style := s.S.Look.Style // made of colours, fonts and the library's pictures
	return template.HTML(`<style nonce="` + s.S.nonce + `">` + style + `</style>`)
}

// Lang is the language of the pages.
func (s Screen) Lang() string { return quiz.FirstOf(s.S.Doc.Language, "en") }

// Advance reports whether a single answer continues by itself.
func (s Screen) Advance() bool {
	a := s.S.Doc.Settings.AutoAdvance
	if a != nil && !*a || len(s.Blocks) != 1 {
		return false
	}
	return kinds.Advances(s.Blocks[0].Q)
}

// Section is the heading above a page's questions, filled in.
type Section struct {
	Heading string
	Text    template.HTML
}

func pictureOf(image, alt, credit string) *kinds.Picture {
	if image = picturePath(image); image == "" {
		return nil
	}
	return &kinds.Picture{Image: image, Alt: alt, Credit: credit, Sources: media.Sources(image)}
}

// source is what texts are filled from on the way.
func (s *Source) source(p *Place) fill.Source {
	in := s.input(p)
	return fill.Source{Doc: s.Doc, Input: in, Result: s.walk.Advance(in), Lead: p.ID}
}

// filler fills the texts of a page in for a respondent; most have nothing to fill in.
type filler struct {
	s      *Source
	p      *Place
	budget *fill.Budget
	found  fill.Lookup
}

func (s *Source) filler(p *Place) *filler {
	return &filler{s: s, p: p, budget: fill.NewBudget(fill.MostOnPage)}
}

// look finds values; they are computed when the first is looked for.
func (f *filler) look(name string) ([]string, bool) {
	if f.found == nil {
		f.found = f.s.source(f.p).Reading
	}
	return f.found(name)
}

// plain fills in a text of one line.
func (f *filler) plain(text string) string {
	if !strings.Contains(text, "{") {
		return text
	}
	return fill.TextWithin(f.budget, text, f.look, fill.Plain)
}

// markdown fills in a longer text.
func (f *filler) markdown(text string) template.HTML {
	return page.FilledMarkdown(text, f.budget, f.look)
}

// Opening is the opening page.
func (s *Source) Opening(token string, p *Place) Screen {
	i, filled := s.Doc.Intro, s.filler(p)
	return Screen{
		S: s, Token: token, Done: "0", Title: s.Doc.Name,
		Heading: filled.plain(quiz.FirstOf(i.Heading, s.Doc.Name)),
		Text:    filled.markdown(i.Text),
		Picture: pictureOf(i.Image, i.Alt, i.Credit),
	}
}
