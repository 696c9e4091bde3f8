package respond

import (
	"html/template"
	"slices"
	"strings"

	"omphalos/app/page"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// reviewed is a question with right answers, what was answered, and why.
type reviewed struct {
	Number int
	Title  string
	Right  bool
	Answer string
	Wanted string // the right answer, when another was given
	Why    template.HTML
}

// review lists the questions of a page that have right answers and were asked.
func (v *version) review(p *place, g group) []reviewed {
	res := v.walk.Advance(p.input())
	filled := v.filler(p)
	var out []reviewed
	for _, id := range res.Path {
		i := v.Doc.Question(id)
		if i < g.from || i >= g.to {
			continue
		}
		if line, ok := reviewOf(&v.Doc.Questions[i], p.Answers[id], filled); ok {
			line.Number = i + 1
			out = append(out, line)
		}
	}
	return out
}

func reviewOf(q *quiz.Question, a walk.Answer, filled func(string, func(string) string) string) (reviewed, bool) {
	plain := func(text string) string { return filled(text, fill.Plain) }
	var right, given, why []string
	for _, c := range q.Choices {
		picked := slices.Contains(a.Picks, c.ID)
		if c.Correct {
			right = append(right, plain(c.Title()))
		}
		if picked {
			given = append(given, plain(c.Title()))
		}
		if c.Why != "" && (picked || c.Correct) {
			why = append(why, filled(c.Why, fill.EscapeMarkdown))
		}
	}
	if len(right) == 0 {
		return reviewed{}, false
	}
	r := reviewed{Title: plain(q.Title()), Answer: strings.Join(given, ", "), Wanted: strings.Join(right, ", "), Why: page.Markdown(strings.Join(why, "\n\n"))}
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
