package engine

import (
	"hash/fnv"
	"math/rand/v2"
	"omphalos/app/kinds"
	"slices"
	"strings"

	"omphalos/core/quiz"
)

// Ask fills in the controls of a page's questions, with what was answered or typed before and what is wrong with it.
func (s *Source) Ask(screen Screen, p *Place, list []int) Screen {
	screen.Error, screen.Many = p.Failed, len(list) > 1
	filled := s.filler(p)
	for _, i := range list {
		q := &s.Doc.Questions[i]
		b := kinds.Block{
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
		b.Fill(a, asking{s, p, filled})
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

// asking is what a page gives the kinds of its questions.
type asking struct {
	s *Source
	p *Place
	f *filler
}

// Say is what a button or message says.
func (a asking) Say(key string) string { return a.s.Look.say(key) }

// Fill fills names in braces in.
func (a asking) Fill(text string) string { return a.f.plain(text) }

// Typed is what was typed into a field and could not be taken.
func (a asking) Typed(field string) string { return a.p.Typed[field] }

// Wrong is what is wrong with a field.
func (a asking) Wrong(field string) string {
	if a.p.Failed == nil || a.p.Failed.Field != field {
		return ""
	}
	return a.s.Look.sentence(a.p.Failed)
}

// Choices are the choices of a question in this respondent's order.
func (a asking) Choices(q *quiz.Question) []quiz.Choice { return a.s.shuffled(q, a.p.ID) }

// Picture is a picture of the library.
func (a asking) Picture(image, alt string) *kinds.Picture { return pictureOf(image, alt, "") }

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
