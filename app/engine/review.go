package engine

import (
	"html/template"
	"slices"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Reviewed is a question with right answers, what was answered, and why.
type Reviewed struct {
	Number int
	Title  string
	Right  bool
	Answer string
	Wanted string // the right answer, when another was given
	Why    template.HTML
}

// review lists the questions of a page that have right answers and were asked.
func (s *Source) review(p *Place, g group) []Reviewed {
	res := s.walk.Advance(s.input(p))
	filled := s.filler(p)
	var out []Reviewed
	for _, id := range res.Path {
		i := s.Doc.Question(id)
		if i < g.from || i >= g.to {
			continue
		}
		if line, ok := reviewOf(&s.Doc.Questions[i], p.Answers[id], filled); ok {
			line.Number = i + 1
			out = append(out, line)
		}
	}
	return out
}

func reviewOf(q *quiz.Question, a walk.Answer, filled *filler) (Reviewed, bool) {
	plain := filled.plain
	var right, given, why []string
	for _, c := range q.Choices {
		picked := slices.Contains(a.Picks, c.ID)
		if c.Correct {
			right = append(right, plain(c.Title()))
		}
		if c.Why != "" && (picked || c.Correct) {
			why = append(why, c.Why)
		}
	}
	if len(right) == 0 {
		return Reviewed{}, false
	}
	for _, id := range a.Picks {
		if n := q.Choice(id); n >= 0 {
			given = append(given, plain(q.Choices[n].Title()))
		}
	}
	r := Reviewed{
		Title:  plain(q.Title()),
		Answer: strings.Join(given, ", "),
		Wanted: strings.Join(right, ", "),
		Why:    filled.markdown(strings.Join(why, "\n\n")),
	}
	if q.Kind == quiz.Single { // one of the right ones is right
		r.Right = len(given) == 1 && slices.Contains(right, given[0])
	} else {
		r.Right = slices.Equal(right, given)
	}
	if r.Right {
		r.Wanted = ""
	}
	if r.Answer == "" {
		r.Answer = "–"
	}
	return r, true
}
