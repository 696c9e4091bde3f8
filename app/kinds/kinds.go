// Package kinds is how the kinds of questions are shown. Each has a folder with two templates: ask.html is the question
// as a respondent is asked it, set.html what can be set of it in Script. The file of the kind fills the first one in.
package kinds

import (
	"embed"
	"html/template"
	"strings"

	"omphalos/core/kind"
)

// Ask are the templates "ask-KIND" of respondents' pages.
//
//go:embed ask.html */ask.html
var Ask embed.FS

// Set are the templates "set-KIND" of Script, for kinds that have something to set.
//
//go:embed set.html */set.html
var Set embed.FS

// Settings names the template of what can be set of a kind alone; "" where there is nothing.
func Settings(name kind.Name) string {
	if _, err := Set.Open(string(name) + "/set.html"); err != nil {
		return ""
	}
	return "set-" + string(name)
}

// Block is one question on a page.
type Block struct {
	Q        *kind.Question
	Title    string
	Help     template.HTML
	Range    string
	Inputs   []Input
	Rows     []GridLine
	Columns  []string
	Picture  *Picture
	Error    string
	Why      string // id of the message, for what is described by it
	HasOther bool
	Grouped  bool // its controls are a group with a legend
}

// Described are the ids of what describes a group: its help, and what is wrong.
func (b Block) Described() string {
	var ids []string
	if b.Help != "" {
		ids = append(ids, "help-"+b.Q.ID)
	}
	if b.Error != "" {
		ids = append(ids, b.Why)
	}
	return strings.Join(ids, " ")
}

// Ask names the template that asks the question.
func (b Block) Ask() string { return "ask-" + string(b.Q.Kind) }

// Silent reports whether the question wants no answer.
func (b Block) Silent() bool { return kind.Of(b.Q).About().Silent }

// GridLine is a row of a grid, or a place of a ranking.
type GridLine struct {
	Label  string
	Name   string
	Error  string
	Inputs []Input
}

// Input is one control.
type Input struct {
	Name     string
	Value    string
	Label    string
	Checked  bool
	Type     string
	Error    string
	Other    *Input // the fill-in next to it
	Need     bool
	Auto     string // autocomplete
	Picture  *Picture
	Alone    bool
	Numbered int // key that chooses it, 1 to 9; 0 for none
}

// Picture is a picture of the library.
type Picture struct {
	Image, Alt, Credit, Sources string
}

// Page is what a question is asked on.
type Page interface {
	// Say is what a button or message says, by its key.
	Say(key string) string
	// Fill fills names in braces in.
	Fill(text string) string
	// Typed is what was typed into a field and could not be taken.
	Typed(field string) string
	// Wrong is what is wrong with a field; "" for nothing.
	Wrong(field string) string
	// Choices are the choices of a question in this respondent's order.
	Choices(q *kind.Question) []kind.Choice
	// Picture is a picture of the library; nil for none.
	Picture(image, alt string) *Picture
}

// controls give a block the inputs of its question, with what was answered before.
var controls = map[kind.Name]func(b *Block, a kind.Answer, p Page){
	kind.Single:    choices,
	kind.Multiple:  choices,
	kind.Rating:    rating,
	kind.NumberQ:   number,
	kind.Grid:      grid,
	kind.Ranking:   ranking,
	kind.ShortText: line("", ""),
	kind.LongText:  line("", ""),
	kind.Email:     line("email", "email"),
	kind.Phone:     line("tel", "tel"),
	kind.Date:      line("date", ""),
	kind.Consent:   consent,
	kind.Statement: func(*Block, kind.Answer, Page) {},
}

// Fill gives a block the inputs of its question, with what was answered before.
func (b *Block) Fill(a kind.Answer, p Page) { controls[b.Q.Kind](b, a, p) }

// Advances reports whether a question can go on by itself once it is answered.
func Advances(q *kind.Question) bool {
	about := kind.Of(q).About()
	return about.Scale || about.Picks && !about.Many && q.Display != "dropdown"
}
