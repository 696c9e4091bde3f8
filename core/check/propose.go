package check

import (
	"context"
	"maps"
	"slices"
	"strings"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Keep makes a check of someone: what they answered on the questions that were asked, and where they must end. Its id
// is free in the document, and its name says their answers.
func Keep(d *quiz.Document, in walk.Input, res *walk.Result) quiz.Check {
	c := quiz.Check{
		ID:      quiz.Unused("check", func(id string) bool { return d.Check(id) >= 0 }),
		Name:    Name(d, in, res),
		Answers: map[string]quiz.Given{},
		Visitor: in.Visitor,
		Today:   in.Today,
		Time:    in.Time,
		Expect:  quiz.Expect{Outcome: res.Outcome},
	}
	for _, id := range res.Path {
		if g, given := kind.Write(&d.Questions[d.Question(id)], in.Answers[id]); given {
			c.Answers[id] = g
		}
	}
	for name, value := range in.Params {
		if value == "" {
			continue
		}
		if c.Params == nil {
			c.Params = map[string]string{}
		}
		c.Params[name] = value
	}
	return c
}

// namedAnswers is how many answers a check is named by.
const namedAnswers = 3

// Name names someone by what they answered: first what the line that decides looks at, then what gives something, else
// the first few answers.
func Name(d *quiz.Document, in walk.Input, res *walk.Result) string {
	var deciding, giving, all []string
	for _, id := range res.Path {
		q := &d.Questions[d.Question(id)]
		label, gives := labelOf(q, in.Answers[id])
		if label == "" {
			continue
		}
		label = quiz.Shorten(label, 28)
		all = append(all, label)
		switch {
		case slices.ContainsFunc(res.Reason.Facts, func(f walk.FactValue) bool { return f.Fact == "answer."+id }):
			deciding = append(deciding, label)
		case gives:
			giving = append(giving, label)
		}
	}
	giving = append(deciding, giving...)
	if len(giving) == 0 {
		giving = all
	}
	if len(giving) == 0 {
		return "No answers"
	}
	return strings.Join(giving[:min(namedAnswers, len(giving))], ", ")
}

// labelOf is an answer in words, and whether it gives points or votes.
func labelOf(q *quiz.Question, a walk.Answer) (label string, gives bool) {
	var out []string
	for _, id := range a.Picks {
		if i := q.Choice(id); i >= 0 {
			out = append(out, q.Choices[i].Title())
			gives = gives || len(q.Choices[i].Points)+len(q.Choices[i].Votes) > 0
		}
	}
	switch {
	case a.Number != nil:
		return strings.TrimSpace(a.Number.String() + " " + q.Unit), len(q.Linear)+len(q.Steps) > 0
	case a.Text != "":
		return a.Text, false
	}
	return strings.Join(out, " + "), gives
}

// ForOutcomes proposes a check for each outcome that someone reaches and no check is kept for. They differ from each
// other in as few answers as was found.
func ForOutcomes(ctx context.Context, d *quiz.Document, o reach.Options) ([]quiz.Check, error) {
	c, err := walk.New(d)
	if err != nil {
		return nil, err
	}
	o.Only = true
	r, err := reach.Check(ctx, d, o)
	if err != nil {
		return nil, err
	}
	p := proposal{d: d}
	var base *walk.Input
	for _, outcome := range r.Outcomes {
		if outcome.Witness == nil {
			continue
		}
		in := reach.InputOf(d, outcome.Witness)
		if base != nil {
			in = nearer(c, in, *base, func(res *walk.Result) bool { return res.Outcome == outcome.ID })
		} else {
			base = &in
		}
		if slices.ContainsFunc(d.Checks, func(k quiz.Check) bool { return k.Expect.Outcome == outcome.ID }) {
			continue
		}
		p.add(Keep(d, in, c.Walk(in)), "")
	}
	return p.checks, nil
}

// nearer takes over the answers of another, one by one, as long as someone still does what they are to do.
func nearer(c *walk.Compiled, in, other walk.Input, does func(*walk.Result) bool) walk.Input {
	for i := range c.Doc.Questions {
		id := c.Doc.Questions[i].ID
		next := in
		next.Answers = maps.Clone(in.Answers)
		if a, given := other.Answers[id]; given {
			next.Answers[id] = a
		} else if c.Doc.Questions[i].Required {
			continue
		} else {
			delete(next.Answers, id)
		}
		if res := c.Walk(next); does(res) && complete(c.Doc, next, res) {
			in = next
		}
	}
	return in
}

// complete reports whether every required question that is asked is answered.
func complete(d *quiz.Document, in walk.Input, res *walk.Result) bool {
	return !slices.ContainsFunc(res.Path, func(id string) bool {
		return kind.Check(&d.Questions[d.Question(id)], in.Answers[id]) != nil
	})
}

// ForCuts proposes two checks for each cut point that someone meets, of bands and of both edges of a matrix. One is at
// it, or at the least value above it; the other is below it and differs in as few answers as was found. Checks with the
// same answers are not proposed again.
func ForCuts(ctx context.Context, d *quiz.Document, o reach.Options) ([]quiz.Check, error) {
	c, err := walk.New(d)
	if err != nil {
		return nil, err
	}
	p := proposal{d: d}
	for i := range d.Verdicts {
		v := &d.Verdicts[i]
		switch {
		case v.Off:
		case v.Bands != nil:
			bands, err := reach.Boundaries(ctx, d, i+1, o)
			if err != nil {
				return nil, err
			}
			for k, b := range bands {
				p.proposeCut(c, v.Bands.On, k, b.From, reach.Boundary{Value: b.Least, Witness: b.Witness})
			}
		case v.Matrix != nil:
			x, err := reach.Cross(ctx, d, i+1, o)
			if err != nil {
				return nil, err
			}
			for k, b := range x.AcrossCuts {
				p.proposeCut(c, v.Matrix.Across.On, k, v.Matrix.Across.Cuts[k], b)
			}
			for k, b := range x.DownCuts {
				p.proposeCut(c, v.Matrix.Down.On, k, v.Matrix.Down.Cuts[k], b)
			}
		}
	}
	return p.checks, nil
}

// proposeCut proposes the two checks of cut point k of a number.
func (p *proposal) proposeCut(c *walk.Compiled, on string, k int, from rule.Number, b reach.Boundary) {
	if b.Witness == nil {
		return
	}
	name := strings.TrimSuffix(p.d.FactName(on), ",")
	above := reach.InputOf(p.d, b.Witness)
	label := name + " " + b.Value.Round(2).String()
	if b.Value.Cmp(from) == 0 {
		label = name + " exactly " + from.String()
	}
	p.add(Keep(p.d, above, c.Walk(above)), label)
	if below, ok := under(c, above, on, from); ok && (k > 0 || b.Value.Cmp(from) >= 0) {
		p.add(Keep(p.d, below, c.Walk(below)), name+" just under "+from.String())
	}
}

// under is someone with the greatest value below a cut point who differs from in by one answer, or else by two.
func under(c *walk.Compiled, in walk.Input, on string, cut rule.Number) (best walk.Input, found bool) {
	var most rule.Number
	offer := func(next walk.Input) {
		v := c.Facts(next)(on)
		if v.Kind != rule.Num || v.Num.Cmp(cut) >= 0 || found && v.Num.Cmp(most) <= 0 {
			return
		}
		if complete(c.Doc, next, c.Walk(next)) {
			best, most, found = next, v.Num, true
		}
	}
	each(c.Doc, in, 0, func(next walk.Input, _ int) { offer(next) })
	if found {
		return best, true
	}
	each(c.Doc, in, 0, func(next walk.Input, q int) {
		each(c.Doc, next, q+1, func(next walk.Input, _ int) { offer(next) })
	})
	return best, found
}

// each calls f with every way to answer one of the questions from a position on otherwise.
func each(d *quiz.Document, in walk.Input, from int, f func(next walk.Input, question int)) {
	for i := from; i < len(d.Questions); i++ {
		for _, a := range others(&d.Questions[i], in.Answers[d.Questions[i].ID]) {
			next := in
			next.Answers = maps.Clone(in.Answers)
			if next.Answers[d.Questions[i].ID] = a; a.Blank() {
				delete(next.Answers, d.Questions[i].ID)
			}
			f(next, i)
		}
	}
}

// others are answers near the one given, and the blank one where it is allowed.
func others(q *quiz.Question, a walk.Answer) []walk.Answer {
	out := kind.Of(q).Near(q, a)
	if !q.Required && !a.Blank() {
		out = append(out, walk.Answer{})
	}
	return out
}

// proposal gathers checks, each with an id of its own, without those that are there already.
type proposal struct {
	d      *quiz.Document
	checks []quiz.Check
}

// add adds a check under a name, by default its own.
func (p *proposal) add(c quiz.Check, name string) {
	if name != "" {
		c.Name = name
	}
	has := func(list []quiz.Check) bool {
		return slices.ContainsFunc(list, func(k quiz.Check) bool {
			return k.Expect.Outcome == c.Expect.Outcome && sameAnswers(k.Answers, c.Answers) && k.Visitor == c.Visitor && k.Time == c.Time
		})
	}
	if has(p.d.Checks) || has(p.checks) {
		return
	}
	c.ID = quiz.Unused("check", func(id string) bool {
		return p.d.Check(id) >= 0 || slices.ContainsFunc(p.checks, func(k quiz.Check) bool { return k.ID == id })
	})
	p.checks = append(p.checks, c)
}

func sameAnswers(a, b map[string]quiz.Given) bool {
	return maps.EqualFunc(a, b, func(x, y quiz.Given) bool {
		sameNumber := x.Number == nil && y.Number == nil || x.Number != nil && y.Number != nil && x.Number.Cmp(*y.Number) == 0
		return sameNumber && x.Text == y.Text && slices.Equal(x.List, y.List) && maps.Equal(x.Rows, y.Rows)
	})
}
