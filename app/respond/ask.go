package respond

import (
	"hash/fnv"
	"html/template"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"

	"omphalos/app/page"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// block is one question on a page.
type block struct {
	Q        *quiz.Question
	Title    string
	Help     template.HTML
	Range    string
	Inputs   []input
	Rows     []gridLine
	Columns  []string
	Picture  *picture
	Error    string
	Why      string // id of the message, for what is described by it
	HasOther bool
	Grouped  bool // its controls are a group with a legend
}

type gridLine struct {
	Label  string
	Name   string
	Error  string
	Inputs []input
}

// input is one control.
type input struct {
	Name     string
	Value    string
	Label    string
	Checked  bool
	Type     string
	Error    string
	Other    *input // the fill-in beside it
	Need     bool
	Auto     string // autocomplete
	Picture  *picture
	Alone    bool
	Numbered int // key that chooses it, 1 to 9; 0 for none
}

// source is what texts are filled from on the way.
func (v *version) source(p *place) fill.Source {
	in := p.input()
	return fill.Source{Doc: v.Doc, Input: in, Result: v.walk.Advance(in), Lead: p.ID}
}

// filler fills texts in for a respondent; most have nothing to fill in.
func (v *version) filler(p *place) func(text string, escape func(string) string) string {
	var look fill.Lookup
	return func(text string, escape func(string) string) string {
		if !strings.Contains(text, "{") {
			return text
		}
		if look == nil {
			look = v.source(p).Lookup
		}
		return fill.Text(text, look, escape)
	}
}

// ask fills in the controls of a page's questions, with what was answered or typed before and what is wrong with it.
func (v *version) ask(s screen, p *place, list []int) screen {
	s.Error, s.Many = p.Failed, len(list) > 1
	filled := v.filler(p)
	for _, i := range list {
		q := &v.Doc.Questions[i]
		b := block{Q: q, Title: filled(q.Title(), fill.Plain), Help: page.Markdown(filled(q.Help, fill.EscapeMarkdown)), Picture: pictureOf(q.Image, q.Alt, q.Credit), Why: "why-" + q.ID}
		if f := p.Failed; f != nil && (f.Field == q.ID || strings.HasPrefix(f.Field, q.ID+".")) {
			b.Error = v.Look.translate(f.Message)
		}
		a, given := p.Answers[q.ID]
		if !given {
			a = p.Before[q.ID]
		}
		v.controls(&b, p, a, func(text string) string { return filled(text, fill.Plain) })
		s.Blocks = append(s.Blocks, b)
	}
	if len(list) > 0 {
		first := &v.Doc.Questions[list[0]]
		s.Title = s.Blocks[0].Title
		if at := slices.IndexFunc(v.Doc.Sections, func(sec quiz.Section) bool { return sec.ID == first.Section }); at >= 0 && (s.Many || v.Doc.Settings.Pages == "sections") {
			sec := &v.Doc.Sections[at]
			s.Section = &section{Heading: filled(sec.Heading, fill.Plain), Text: page.Markdown(filled(sec.Text, fill.EscapeMarkdown))}
			s.Title = quiz.FirstOf(s.Section.Heading, s.Title)
		}
		if s.Many && s.Section == nil {
			s.Title = v.Doc.Name
		}
		g := v.groupOf(list[0])
		s.Again = g.to-g.from > 1 && v.hinges(g)
	}
	if p.Failed != nil {
		s.Title = v.Look.say("error") + ": " + s.Title
	}
	return s
}

// hinges reports whether what is asked on a page can depend on what is answered on it.
func (v *version) hinges(g group) bool {
	for i := g.from; i < g.to; i++ {
		if q := &v.Doc.Questions[i]; i > g.from && q.VisibleIf != nil || len(q.Branches) > 0 {
			return true
		}
	}
	return false
}

func (v *version) controls(b *block, p *place, a walk.Answer, filled func(string) string) {
	q := b.Q
	typed := p.Typed[q.ID]
	switch q.Kind {
	case quiz.Single, quiz.Multiple:
		b.Grouped = q.Display != "dropdown" || q.Kind == quiz.Multiple
		for n, c := range v.shuffled(q, p.ID) {
			in := input{Name: q.ID, Value: c.ID, Label: filled(c.Title()), Checked: slices.Contains(a.Picks, c.ID), Picture: pictureOf(c.Image, c.Alt, ""), Alone: c.Exclusive, Type: "radio"}
			if q.Kind == quiz.Multiple {
				in.Type = "checkbox"
			}
			if n < 9 {
				in.Numbered = n + 1
			}
			if c.Other {
				b.HasOther = true
				in.Other = &input{Name: q.ID + ".other", Value: quiz.FirstOf(a.Other, p.Typed[q.ID+".other"]), Label: v.Look.say("say_which")}
			}
			b.Inputs = append(b.Inputs, in)
		}
	case quiz.Grid:
		b.Grouped = true
		for _, c := range q.Choices {
			b.Columns = append(b.Columns, filled(c.Title()))
		}
		for _, r := range q.Rows {
			line := gridLine{Label: filled(quiz.FirstOf(r.Label, r.ID)), Name: q.ID + "." + r.ID}
			if p.Failed != nil && p.Failed.Field == line.Name {
				line.Error = v.Look.translate(p.Failed.Message)
			}
			for _, c := range q.Choices {
				line.Inputs = append(line.Inputs, input{Name: line.Name, Value: c.ID, Label: filled(c.Title()), Checked: a.Rows[r.ID] == c.ID})
			}
			b.Rows = append(b.Rows, line)
		}
	case quiz.Rating:
		b.Grouped = true
		for n := *q.From; n.Cmp(*q.To) <= 0 && len(b.Inputs) < 200; n = n.Add(q.Increment()) {
			in := input{Name: q.ID, Value: n.String(), Label: n.String(), Checked: a.Number != nil && a.Number.Cmp(n) == 0}
			if len(n.String()) == 1 {
				in.Numbered, _ = strconv.Atoi(n.String())
			}
			b.Inputs = append(b.Inputs, in)
		}
	case quiz.NumberQ:
		in := input{Name: q.ID, Type: "text", Value: typed}
		if a.Number != nil {
			in.Value = a.Number.String()
		}
		b.Inputs = []input{in}
		var parts []string
		if q.From != nil && q.To != nil {
			parts = append(parts, q.From.String()+" – "+q.To.String())
		}
		b.Range = strings.Join(append(parts, q.Unit), " ")
	case quiz.Consent:
		b.Inputs = []input{{Name: q.ID, Value: "yes", Label: v.Look.say("yes"), Checked: a.Text != "", Type: "checkbox"}}
	case quiz.Statement:
	default:
		in := input{Name: q.ID, Type: map[quiz.Kind]string{quiz.Email: "email", quiz.Phone: "tel", quiz.Date: "date"}[q.Kind], Value: quiz.FirstOf(a.Text, typed),
			Auto: map[quiz.Kind]string{quiz.Email: "email", quiz.Phone: "tel"}[q.Kind]}
		b.Inputs = []input{in}
	}
}

// shuffled are the answers in this respondent's own order: the same one whenever they come back. Pinned ones stay.
func (v *version) shuffled(q *quiz.Question, walkID string) []quiz.Choice {
	if !q.Shuffle && !v.Doc.Settings.Shuffle {
		return q.Choices
	}
	h := fnv.New64a()
	_, _ = h.Write([]byte(walkID + "/" + q.ID))
	r := rand.New(rand.NewPCG(h.Sum64(), 0))
	var free []int
	for i := range q.Choices {
		if !q.Choices[i].Pinned {
			free = append(free, i)
		}
	}
	out := slices.Clone(q.Choices)
	for k, from := range r.Perm(len(free)) {
		out[free[k]] = q.Choices[free[from]]
	}
	return out
}
