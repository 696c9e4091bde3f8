package mend

import (
	"slices"
	"strings"

	"omphalos/core/check"
	"omphalos/core/fill"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// looks is what comparisons of a document look at: by question, where it is asked or hidden and left again; and at the
// end.
type looks struct {
	before, after []place // by question: its condition to be shown, and its branches
	end           place
	formula       bool // a formula is compared: what it does with a number is not known
	filled        bool // a check expects an address, and an address is filled with a number
}

// place is the comparisons at one place of the walk.
type place struct {
	numbers map[string][]rule.Number // by fact: what it is compared with
	leader  bool                     // which keyword leads
}

func (p *place) see(fact string, values ...rule.Number) {
	if p.numbers == nil {
		p.numbers = map[string][]rule.Number{}
	}
	p.numbers[fact] = append(p.numbers[fact], values...)
}

func (p *place) condition(c *rule.Condition) {
	if c == nil {
		return
	}
	c.Each("", func(_ string, c *rule.Condition) {
		if c.Fact == "leader" {
			p.leader = true
		}
		if c.Value == nil {
			return
		}
		for _, v := range c.Value.List {
			if n, err := rule.ParseNumber(v.String()); err == nil {
				p.see(c.Fact, n)
			}
		}
	})
}

func factsOf(d *quiz.Document) looks {
	l := looks{before: make([]place, len(d.Questions)), after: make([]place, len(d.Questions))}
	for i := range d.Questions {
		l.before[i].condition(d.Questions[i].VisibleIf)
		for j := range d.Questions[i].Branches {
			l.after[i].condition(&d.Questions[i].Branches[j].When)
		}
	}
	for i := range d.Verdicts {
		v := &d.Verdicts[i]
		if v.Off {
			continue
		}
		l.end.condition(v.When)
		if v.Leader != nil {
			l.end.leader = true
		}
		l.formula = l.formula || v.Closest != nil // what is near depends on several numbers at once
		v.Line().Compares(func(fact string, op rule.Op, value *rule.Operand) {
			l.end.condition(&rule.Condition{Fact: fact, Op: op, Value: value})
		})
	}
	if d.Recommendations != nil {
		for i := range d.Recommendations.Lines {
			l.end.condition(d.Recommendations.Lines[i].When)
		}
	}
	l.filled = addressesTellNumbers(d)
	cuts := func(p *place, d *quiz.Document) {
		for _, f := range quiz.Numbers(d) {
			if f.Line >= 0 {
				p.see(f.Fact)
			}
		}
	}
	cuts(&l.end, d)
	for _, p := range append(slices.Concat(l.before, l.after), l.end) {
		for fact := range p.numbers {
			l.formula = l.formula || strings.HasPrefix(fact, "computed.")
		}
	}
	return l
}

// addressesTellNumbers reports whether a check expects an address in a quiz whose addresses are filled with numbers.
func addressesTellNumbers(d *quiz.Document) bool {
	if !slices.ContainsFunc(d.Checks, func(c quiz.Check) bool { return !c.Off && c.Expect.Address != nil }) {
		return false
	}
	found := false
	fill.EachAddress(d, func(_, address string) {
		a, err := fill.ParseAddress(address)
		if err != nil {
			return
		}
		for _, name := range a.Names() {
			found = found || quiz.IsNumberFact(name)
		}
	})
	return found
}

// rough reports whether the flips of a figure cannot be worked out, so that it is moved step by step.
func (s *search) rough(i int) bool {
	f := &s.figures[i]
	if f.Question < 0 {
		return false
	}
	ordered := kind.Of(&s.d.Questions[f.Question]).About().Ordered
	return s.looks.formula || s.looks.filled || ordered && s.percentsOf(f.Fact)
}

// percentsOf reports whether any comparison looks at the percent of a scale.
func (s *search) percentsOf(fact string) bool {
	percent := "percent." + strings.TrimPrefix(fact, "scale.")
	if !strings.HasPrefix(fact, "scale.") {
		return false
	}
	for _, p := range append(slices.Concat(s.looks.before, s.looks.after), s.looks.end) {
		if _, ok := p.numbers[percent]; ok {
			return true
		}
	}
	return false
}

// flips are the values of figure i at which a comparison on the walk of a check may come out otherwise, as far as the
// walk goes where it goes now.
func (s *search) flips(i int, c *walk.Compiled, r check.Ready, at rule.Number) []rule.Number {
	f := &s.figures[i]
	if f.Question < 0 {
		if v := c.Facts(r.In)(f.Fact); v.Kind == rule.Num {
			return []rule.Number{v.Num}
		}
		return nil
	}
	t := s.newTrail(i, c, r, at)
	if t == nil {
		return nil
	}
	res := c.Walk(r.In)
	position := 0
	for q := range s.d.Questions {
		if q > f.Question {
			t.look(&s.looks.before[q])
		}
		if position < len(res.Path) && s.d.Questions[q].ID == res.Path[position] {
			position++
			t.ask(q)
			if q >= f.Question {
				t.look(&s.looks.after[q])
			}
		}
	}
	t.lookAtEnd(s.d.Checks[r.At].Expect.Scales)
	return t.flips
}

// trail is a walk on which a number moves: what each sum is, and how much of the number is in it.
type trail struct {
	s     *search
	c     *walk.Compiled
	f     *quiz.Figure
	in    walk.Input
	at    rule.Number // the number as it is
	times rule.Number // how often the answer gives it, with the question's weight
	asked bool        // its question has been asked
	flips []rule.Number

	scales, earned, most []rule.Number
	keywords, votes      []rule.Number
	cast                 []rule.Number // votes of the figure's question
	kinks                []rule.Number // of the most of its question
}

// newTrail is nil where the number changes nothing for the respondent.
func (s *search) newTrail(i int, c *walk.Compiled, r check.Ready, at rule.Number) *trail {
	f := &s.figures[i]
	t := &trail{s: s, c: c, f: f, in: r.In, at: at}
	t.times = s.times(f, r.In)
	if t.times.Sign() == 0 && !s.percentsOf(f.Fact) {
		return nil
	}
	d := s.d
	t.scales = make([]rule.Number, len(d.Scales))
	t.earned, t.most = slices.Clone(t.scales), slices.Clone(t.scales)
	t.keywords = make([]rule.Number, len(d.Keywords))
	t.votes = slices.Clone(t.keywords)
	for k := range d.Scales {
		t.scales[k] = d.Scales[k].Start
	}
	for k := range d.Keywords {
		t.keywords[k] = d.Keywords[k].Start
	}
	return t
}

// times is how often a respondent's answer gives a figure, times the weight of the question.
func (s *search) times(f *quiz.Figure, in walk.Input) rule.Number {
	q := &s.d.Questions[f.Question]
	a := in.Answers[q.ID]
	n := rule.Number{}
	switch {
	case f.Choice >= 0:
		kind.Of(q).Counts(q, a, func(choice int, times rule.Number) {
			if choice == f.Choice {
				n = n.Add(times)
			}
		})
	case a.Number != nil && a.Number.Cmp(q.Steps[f.Step].From) >= 0 &&
		(f.Step+1 == len(q.Steps) || a.Number.Cmp(q.Steps[f.Step+1].From) < 0):
		n = rule.Int(1)
	}
	return n.Mul(q.Factor())
}

// ask adds what the answer to question q gives.
func (t *trail) ask(q int) {
	e := t.c.Effect(q, t.in.Answers[t.s.d.Questions[q].ID])
	for k, n := range e.Points {
		t.scales[k], t.earned[k] = t.scales[k].Add(n), t.earned[k].Add(n)
		t.most[k] = t.most[k].Add(t.c.Most(q)[k])
	}
	for k, n := range e.Votes {
		t.keywords[k], t.votes[k] = t.keywords[k].Add(n), t.votes[k].Add(n)
	}
	if q == t.f.Question {
		t.asked, t.cast = true, e.Votes
		t.kinks = t.s.kinks(t.f)
		t.flips = append(t.flips, t.kinks...)
	}
}

// meets notes the value at which a sum, of which the number is so many times a part, comes to a threshold.
func (t *trail) meets(sum, times, threshold rule.Number) {
	if times.Sign() != 0 {
		t.flips = append(t.flips, t.at.Add(rule.Ratio(threshold.Sub(sum), times)))
	}
}

// look notes the flips of the comparisons at a place.
func (t *trail) look(p *place) {
	if !t.asked {
		return
	}
	for fact, values := range p.numbers {
		t.compare(fact, values)
	}
	if p.leader {
		t.lead()
	}
}

// compare notes where a fact meets the values that it is compared with.
func (t *trail) compare(fact string, values []rule.Number) {
	root, id, _ := strings.Cut(fact, ".")
	d := t.s.d
	scale := slices.IndexFunc(d.Scales, func(s quiz.Scale) bool { return s.ID == id })
	mine := t.f.Fact == "scale."+id
	switch {
	case root == "scale" && mine:
		for _, v := range values {
			t.meets(t.scales[scale], t.times, v)
		}
	case root == "percentile" && mine:
		for _, p := range d.Scales[scale].Norm {
			t.meets(t.scales[scale], t.times, p[0])
		}
	case root == "percent" && mine:
		t.percent(scale, values)
	case root == "keyword" && t.f.Fact == fact:
		k := slices.IndexFunc(d.Keywords, func(k quiz.Keyword) bool { return k.ID == id })
		for _, v := range values {
			t.meets(t.keywords[k], t.times, v)
		}
	}
}

// lead notes where the keyword of the number comes level with another, or gets a vote at all.
func (t *trail) lead() {
	id, is := strings.CutPrefix(t.f.Fact, "keyword.")
	if !is {
		return
	}
	d := t.s.d
	mine := slices.IndexFunc(d.Keywords, func(k quiz.Keyword) bool { return k.ID == id })
	for k := range d.Keywords {
		if k != mine {
			t.meets(t.keywords[mine], t.times, t.keywords[k])
			t.meets(t.cast[mine], t.times, t.cast[k]) // ties by the votes of one question
		}
	}
	t.meets(t.votes[mine], t.times, rule.Number{})
	t.meets(t.cast[mine], t.times, rule.Number{}) // ties by the latest vote
}

// lookAtEnd notes the flips of the verdict lines, and of the scores that a check expects.
func (t *trail) lookAtEnd(expected map[string]rule.Number) {
	if !t.asked {
		return
	}
	t.look(&t.s.looks.end)
	for _, f := range t.s.figures {
		if f.Line >= 0 {
			t.compare(f.Fact, []rule.Number{f.Value()})
		}
	}
	for id, n := range expected {
		t.compare("scale."+id, []rule.Number{n})
	}
}
