package script

import (
	"fmt"
	"html/template"
	"slices"
	"strings"

	"omphalos/app/workbench"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// A column of the ledger is a scale or a keyword.
type column struct {
	ID          string
	Name        string
	At          string `json:"-"`
	Path        string `json:"-"` // of its name
	Group       string // points or votes
	List        string `json:"-"` // scales or keywords
	Left, Right string `json:"-"` // patches that move it among its like
	Start       string `json:"-"` // of a scale
	StartPath   string `json:"-"`
	Norm        int    `json:"-"` // how many values its norm has
	DropNorm    string `json:"-"` // patch
	Endings     string `json:"-"` // patch: an ending for each keyword, or for either side of a cut; "" where they are there
}

// row is one line of the ledger: an answer, a step of values, or the factor or offset of a rating or number.
type row struct {
	Path   string // JSON Pointer of the answer
	Label  string
	Base   string // JSON Pointer of what holds the cells
	Part   string // "" for an answer or a step; factor or offset
	Step   *quiz.Step
	Choice *quiz.Choice
	Cells  template.HTML
	Go     string // where its branch leads, in words; "" for none
	Branch string // JSON Pointer of the branch
	Drop   string // a patch; answers have tools of their own
}

func (s *sheet) columns(d *quiz.Document) {
	for i := range d.Scales {
		c := column{
			ID:        d.Scales[i].ID,
			Name:      d.Scales[i].Title(),
			At:        d.At("scales", i),
			Path:      d.At("scales", i, "name"),
			Group:     "points",
			List:      "scales",
			Start:     d.Scales[i].Start.String(),
			StartPath: d.At("scales", i, "start"),
		}
		if c.Norm = len(d.Scales[i].Norm); c.Norm > 0 {
			c.DropNorm = patch(quiz.Remove(d.At("scales", i, "norm")))
		}
		c.Left, c.Right = workbench.Order(d, "/scales", i, len(d.Scales))
		if !decidesBy(d, "scale."+c.ID) {
			c.Endings = workbench.EndingsForCut(d, i)
		}
		s.Columns = append(s.Columns, c)
	}
	for i := range d.Keywords {
		c := column{
			ID:    d.Keywords[i].ID,
			Name:  d.Keywords[i].Title(),
			At:    d.At("keywords", i),
			Path:  d.At("keywords", i, "name"),
			Group: "votes",
			List:  "keywords",

			Start:     d.Keywords[i].Start.String(),
			StartPath: d.At("keywords", i, "start"),
		}
		c.Left, c.Right = workbench.Order(d, "/keywords", i, len(d.Keywords))
		c.Endings = workbench.EndingsForKeywords(d)
		s.Columns = append(s.Columns, c)
	}
	scale := quiz.Scale{ID: quiz.Unused("s", func(id string) bool { return d.Scale(id) != nil })}
	scale.Name = "Scale " + scale.ID[1:]
	keyword := quiz.Keyword{ID: quiz.Unused("k", func(id string) bool { return d.Keyword(id) != nil })}
	keyword.Name = "Keyword " + keyword.ID[1:]
	s.AddScale = patch(workbench.AddTo("/scales", scale))
	s.AddScaleAt = d.Next("/scales", scale, "name")
	s.AddKeyword = patch(workbench.WithoutScore(d, quiz.Patch{workbench.AddTo("/keywords", keyword)})...)
	s.AddKeyAt = d.Next("/keywords", keyword, "name")
}

// decidesBy reports whether a line has cut points on a number already.
func decidesBy(d *quiz.Document, fact string) bool {
	return slices.ContainsFunc(d.Verdicts, func(v quiz.Verdict) bool { return v.Bands != nil && v.Bands.On == fact })
}

// rows are the lines of a question in the ledger.
func (s *sheet) rows(d *quiz.Document, v *question, top map[string]rule.Number) {
	q := v.Question
	switch {
	case v.Choosable:
		v.Scored = true
		s.answers(d, v, top)
	case kind.Of(q).About().Range:
		v.Scored = true
		for _, part := range []string{"factor", "offset"} {
			r := row{Path: v.Path, Base: v.Path + "/linear", Part: part, Label: "Points per step"}
			if part == "offset" {
				r.Label = "Points added once"
			}
			r.Cells = s.cells(func(c *column) (rule.Number, bool) {
				if part == "offset" {
					return q.Linear[c.ID].Offset, c.Group == "points"
				}
				return q.Linear[c.ID].Factor, c.Group == "points"
			}, nil)
			v.Rows = append(v.Rows, r)
		}
		s.steps(d, v, top)
	}
}

// cells writes one line's cells: a whole sheet has thousands, and a template takes too long over them.
func (s *sheet) cells(value func(*column) (rule.Number, bool), top map[string]rule.Number) template.HTML {
	var b strings.Builder
	for i := range s.Columns {
		c := &s.Columns[i]
		n, has := value(c)
		if !has {
			b.WriteString("<td></td>")
			continue
		}
		b.WriteString(`<td class="cell`)
		if shade := tint(n, top[c.Group+c.ID]); shade != "" {
			b.WriteString(" " + shade)
		}
		b.WriteString(`">`)
		if n.Sign() != 0 {
			b.WriteString(n.String())
		}
		b.WriteString("</td>")
	}
	return template.HTML(b.String())
}

func weights(points, votes map[string]rule.Number) func(*column) (rule.Number, bool) {
	return func(c *column) (rule.Number, bool) {
		if c.Group == "votes" {
			return votes[c.ID], true
		}
		return points[c.ID], true
	}
}

func (s *sheet) steps(d *quiz.Document, v *question, top map[string]rule.Number) {
	list := v.Path + "/steps"
	next := quiz.Step{From: rule.Int(0)}
	if v.From != nil {
		next.From = *v.From
	}
	for j := range v.Question.Steps {
		step, at := &v.Question.Steps[j], d.Below(list, j)
		v.Rows = append(
			v.Rows,
			row{
				Path:  at,
				Base:  at,
				Step:  step,
				Drop:  patch(remove(at)),
				Cells: s.cells(weights(step.Points, step.Votes), top),
			},
		)
		next.From = step.From.Add(rule.Int(1))
	}
	v.AddStep, v.AddFocus = patch(workbench.AddTo(list, next)), d.Next(list, next, "from")
}

func (s *sheet) answers(d *quiz.Document, v *question, top map[string]rule.Number) {
	q, list := v.Question, v.Path+"/choices"
	branches := map[int]int{}
	for b := len(q.Branches) - 1; b >= 0; b-- {
		if j, ok := workbench.AnswerOf(q, &q.Branches[b]); ok {
			branches[j] = b
		}
	}
	v.Fresh = quiz.Unused("a", func(id string) bool { return q.Choice(id) >= 0 })
	for j := range q.Choices {
		c, at := &q.Choices[j], d.Below(list, j)
		r := row{Path: at, Label: c.Label, Base: at, Choice: c, Cells: s.cells(weights(c.Points, c.Votes), top)}
		if b, ok := branches[j]; ok {
			r.Branch, r.Go = d.Below(v.Path, "branches", b), workbench.TargetName(d, q.Branches[b].Go)
		}
		v.Rows = append(v.Rows, r)
	}
	v.AddAnswer = patch(workbench.AddTo(list, quiz.Choice{ID: v.Fresh}))
	v.AddFocus = list + "/@" + v.Fresh + "/label"
}

// largest finds the greatest size in each column, for the tints.
func largest(d *quiz.Document) map[string]rule.Number {
	top := map[string]rule.Number{}
	see := func(group string, m map[string]rule.Number) {
		for id, n := range m {
			if n = n.Abs(); n.Cmp(top[group+id]) > 0 {
				top[group+id] = n
			}
		}
	}
	for i := range d.Questions {
		for _, c := range d.Questions[i].Choices {
			see("points", c.Points)
			see("votes", c.Votes)
		}
		for _, c := range d.Questions[i].Steps {
			see("points", c.Points)
			see("votes", c.Votes)
		}
	}
	return top
}

// tint is one of three steps of green or red by sign and size.
func tint(n, top rule.Number) string {
	if n.Sign() == 0 || top.Sign() == 0 {
		return ""
	}
	size := n.Float() / top.Float()
	step := func(f float64) int { return min(3, max(1, int(f*3+0.999))) }
	if size < 0 {
		return fmt.Sprint("m", step(-size))
	}
	return fmt.Sprint("p", step(size))
}
