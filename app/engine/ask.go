package engine

import (
	"hash/fnv"
	"html/template"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Block is one question on a page.
type Block struct {
	Q        *quiz.Question
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

// GridLine is a row of a grid.
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

// Ask fills in the controls of a page's questions, with what was answered or typed before and what is wrong with it.
func (s *Source) Ask(screen Screen, p *Place, list []int) Screen {
	screen.Error, screen.Many = p.Failed, len(list) > 1
	filled := s.filler(p)
	for _, i := range list {
		q := &s.Doc.Questions[i]
		b := Block{
			Q:       q,
			Title:   filled.plain(q.Title()),
			Help:    filled.markdown(q.Help),
			Picture: pictureOf(q.Image, q.Alt, q.Credit),
			Why:     "why-" + q.ID,
		}
		if f := p.Failed; f != nil && (f.Field == q.ID || strings.HasPrefix(f.Field, q.ID+".")) {
			b.Error = s.Look.sentence(f)
		}
		a, given := p.Answers[q.ID]
		if !given {
			a = p.Before[q.ID]
		}
		s.controls(&b, p, a, filled.plain)
		screen.Blocks = append(screen.Blocks, b)
	}
	if len(list) > 0 {
		first := &s.Doc.Questions[list[0]]
		screen.Title = screen.Blocks[0].Title
		at := slices.IndexFunc(s.Doc.Sections, func(sec quiz.Section) bool { return sec.ID == first.Section })
		if at >= 0 && (screen.Many || s.Doc.Settings.Pages == "sections") {
			sec := &s.Doc.Sections[at]
			screen.Section = &Section{
				Heading: filled.plain(sec.Heading),
				Text:    filled.markdown(sec.Text),
			}
			screen.Title = quiz.FirstOf(screen.Section.Heading, screen.Title)
		}
		if screen.Many && screen.Section == nil {
			screen.Title = s.Doc.Name
		}
		g := s.groupOf(list[0])
		screen.Again = g.to-g.from > 1 && s.depends(g)
	}
	if p.Failed != nil {
		screen.Title = s.Look.say("error") + ": " + screen.Title
	}
	return screen
}

// depends reports whether what is asked on a page can depend on what is answered on it.
func (s *Source) depends(g group) bool {
	for i := g.from; i < g.to; i++ {
		if q := &s.Doc.Questions[i]; i > g.from && q.VisibleIf != nil || len(q.Branches) > 0 {
			return true
		}
	}
	return false
}

// controls gives a block the inputs of its question.
func (s *Source) controls(b *Block, p *Place, a walk.Answer, filled func(string) string) {
	q := b.Q
	switch q.Kind {
	case quiz.Single, quiz.Multiple:
		s.choices(b, p, a, filled)
	case quiz.Grid:
		s.grid(b, p, a, filled)
	case quiz.Rating:
		b.Grouped = true
		b.Inputs = ratings(q, a)
	case quiz.NumberQ:
		in := Input{Name: q.ID, Type: "text", Value: p.Typed[q.ID]}
		if a.Number != nil {
			in.Value = a.Number.String()
		}
		b.Inputs = []Input{in}
		b.Range = q.Unit
		if q.From != nil && q.To != nil {
			b.Range = strings.TrimSpace(q.From.String() + " – " + q.To.String() + " " + q.Unit)
		}
	case quiz.Consent:
		yes := s.Look.say("yes")
		b.Inputs = []Input{{Name: q.ID, Value: "yes", Label: yes, Checked: a.Text != "", Type: "checkbox"}}
	case quiz.Statement:
	default:
		b.Inputs = []Input{{
			Name:  q.ID,
			Type:  map[quiz.Kind]string{quiz.Email: "email", quiz.Phone: "tel", quiz.Date: "date"}[q.Kind],
			Value: quiz.FirstOf(a.Text, p.Typed[q.ID]),
			Auto:  map[quiz.Kind]string{quiz.Email: "email", quiz.Phone: "tel"}[q.Kind],
		}}
	}
}

// maxNumbered is how many answers have a digit as their key.
const maxNumbered = 9

func (s *Source) choices(b *Block, p *Place, a walk.Answer, filled func(string) string) {
	q := b.Q
	b.Grouped = q.Display != "dropdown" || q.Kind == quiz.Multiple
	for n, c := range s.shuffled(q, p.ID) {
		in := Input{
			Name:    q.ID,
			Value:   c.ID,
			Label:   filled(c.Title()),
			Checked: slices.Contains(a.Picks, c.ID),
			Picture: pictureOf(c.Image, c.Alt, ""),
			Alone:   c.Exclusive,
			Type:    "radio",
		}
		if q.Kind == quiz.Multiple {
			in.Type = "checkbox"
		}
		if n < maxNumbered {
			in.Numbered = n + 1
		}
		if c.Other {
			b.HasOther = true
			in.Other = &Input{
				Name:  q.ID + ".other",
				Value: quiz.FirstOf(a.Other, p.Typed[q.ID+".other"]),
				Label: s.Look.say("say_which"),
			}
		}
		b.Inputs = append(b.Inputs, in)
	}
}

func (s *Source) grid(b *Block, p *Place, a walk.Answer, filled func(string) string) {
	q := b.Q
	b.Grouped = true
	for _, c := range q.Choices {
		b.Columns = append(b.Columns, filled(c.Title()))
	}
	for _, r := range q.Rows {
		line := GridLine{Label: filled(quiz.FirstOf(r.Label, r.ID)), Name: q.ID + "." + r.ID}
		if p.Failed != nil && p.Failed.Field == line.Name {
			line.Error = s.Look.sentence(p.Failed)
		}
		for n, c := range q.Choices {
			in := Input{Name: line.Name, Value: c.ID, Label: b.Columns[n], Checked: a.Rows[r.ID] == c.ID}
			line.Inputs = append(line.Inputs, in)
		}
		b.Rows = append(b.Rows, line)
	}
}

// maxRatings bounds how many values of a rating are shown.
const maxRatings = 200

func ratings(q *quiz.Question, a walk.Answer) []Input {
	var out []Input
	for n := *q.From; n.Cmp(*q.To) <= 0 && len(out) < maxRatings; n = n.Add(q.Increment()) {
		text := n.String()
		in := Input{Name: q.ID, Value: text, Label: text, Checked: a.Number != nil && a.Number.Cmp(n) == 0}
		if len(text) == 1 {
			in.Numbered, _ = strconv.Atoi(text)
		}
		out = append(out, in)
	}
	return out
}

// shuffled are the answers in this respondent's own order: the same one whenever they come back. Pinned ones stay.
func (s *Source) shuffled(q *quiz.Question, walkID string) []quiz.Choice {
	if !q.Shuffle && !s.Doc.Settings.Shuffle {
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
