package engine

import (
	"slices"

	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// A page is a run of questions: one, a section, or all of them.
type group struct{ from, to int } // positions, to excluded

// groups cuts the questions into pages. A question without a section has a page of its own.
func groups(d *quiz.Document) []group {
	n := len(d.Questions)
	if d.Settings.Pages == "single_page" && n > 0 {
		return []group{{0, n}}
	}
	var out []group
	for i := 0; i < n; {
		to := i + 1
		if s := d.Questions[i].Section; d.Settings.Pages == "sections" && s != "" {
			for to < n && d.Questions[to].Section == s {
				to++
			}
		}
		out = append(out, group{i, to})
		i = to
	}
	return out
}

// groupOf is the page of a question.
func (s *Source) groupOf(i int) group {
	for _, g := range s.groups {
		if i < g.to {
			return g
		}
	}
	return group{i, i + 1}
}

// askedQuestions lists the questions of a page that are asked, given what is answered: what is not answered yet on it
// counts as blank, as conditions see it.
func (s *Source) askedQuestions(p *Place, g group) []int {
	in := s.input(p)
	if g.to-g.from > 1 {
		in.Answers = withBlanks(s.Doc, p.Answers, g)
	}
	res := s.walk.Advance(in)
	var out []int
	for _, id := range res.Path {
		if i := s.Doc.Question(id); i >= g.from && i < g.to {
			out = append(out, i)
		}
	}
	if res.Pending >= g.from && res.Pending < g.to {
		out = append(out, res.Pending)
	}
	return out
}

func withBlanks(d *quiz.Document, answers map[string]walk.Answer, g group) map[string]walk.Answer {
	out := make(map[string]walk.Answer, len(answers)+g.to-g.from)
	for id, a := range answers {
		out[id] = a
	}
	for i := g.from; i < g.to; i++ {
		if _, ok := out[d.Questions[i].ID]; !ok {
			out[d.Questions[i].ID] = walk.Answer{}
		}
	}
	return out
}

// next is the page after the one that p is on: of the question that follows on the walk, the contact step, or the end.
func (s *Source) next(p *Place) string {
	end := 0
	if i := s.Doc.Question(p.At); i >= 0 {
		end = s.groupOf(i).to
	}
	res := s.walk.Advance(s.input(p))
	for _, id := range res.Path {
		if s.Doc.Question(id) >= end {
			return id
		}
	}
	if res.Pending >= 0 {
		return s.Doc.Questions[res.Pending].ID
	}
	if s.asksContact(res, quiz.ContactBefore) {
		return atContact
	}
	return atEnd
}

func (s *Source) asksContact(res *walk.Result, at string) bool {
	o := s.Doc.Outcome(res.Outcome)
	c := s.Doc.Contact
	return c != nil && c.Place == at && len(c.Fields) > 0 && o != nil && o.Keeps()
}

// back is the page before the one that p is on, and false on the first.
func (s *Source) back(p *Place, res *walk.Result) (string, bool) {
	if p.At == atAfter || p.At == atEnd {
		return "", false
	}
	start := len(s.Doc.Questions)
	if i := s.Doc.Question(p.At); i >= 0 {
		start = s.groupOf(i).from
	}
	for _, id := range slices.Backward(res.Path) {
		if i := s.Doc.Question(id); i < start {
			if g := s.groupOf(i); g.to-g.from > 1 {
				return s.Doc.Questions[s.first(p, g)].ID, true
			}
			return id, true
		}
	}
	return "", s.Doc.Intro != nil && p.At != ""
}

// first is the first question of a page that is asked.
func (s *Source) first(p *Place, g group) int {
	if list := s.askedQuestions(p, g); len(list) > 0 {
		return list[0]
	}
	return g.from
}

// progressPermille is how much of the walk is behind a page that begins with question i, of a thousand: the questions
// before it on this walk, against these and the ones that may still come.
func (s *Source) progressPermille(res *walk.Result, i int) int {
	before := 0
	for _, id := range res.Path {
		if s.Doc.Question(id) < i {
			before++
		}
	}
	return 1000 * (before + 1) / (before + 1 + len(s.Doc.Questions) - i)
}
