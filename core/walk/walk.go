package walk

import (
	"slices"
	"strings"

	"omphalos/core/fact"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/verdict"
)

// Visitor is what is known of a respondent without asking.
type Visitor = fact.Visitor

// Input is everything that a walk depends on besides the document.
type Input struct {
	Answers map[string]Answer // by question id
	Visitor Visitor
	Params  map[string]string
	Today   string // YYYY-MM-DD; "" is unknown
	Time    fact.Time
}

// Visit is what is known before the first question.
func (in *Input) Visit() fact.Visit {
	return fact.Visit{Visitor: in.Visitor, Params: in.Params, Today: in.Today, Time: in.Time}
}

// From makes what is known before the first question that of a visit.
func (in *Input) From(v fact.Visit) {
	in.Visitor, in.Params, in.Today, in.Time = v.Visitor, v.Params, v.Today, v.Time
}

// Lines that decide next to the numbered ones.
const (
	LineOtherwise = 0  // no verdict line matched
	LineBranch    = -1 // a branch ended the walk at an outcome
)

// Result is where a walk ends and why.
type Result struct {
	Path     []string // ids of the questions asked, in order
	Branches []int    // which branch led on from each of them; -1 for none
	Pending  int      // position of the question that waits for an answer (see Advance), else -1
	Scales   []rule.Number
	Percents []Percent
	Keywords []rule.Number // start and votes
	Votes    []rule.Number // by keyword, without its start
	Computed []rule.Value
	Leader   string // keyword id; "" when no keyword has a vote
	Outcome  string
	Reason   Reason
}

// Percent is a share of the most that could have been earned, as an exact ratio.
type Percent struct {
	Earned rule.Number // without the scale's start
	Most   rule.Number
}

// Number is 100 × earned ÷ most; 0 below 0 and where nothing could be earned.
func (p Percent) Number() rule.Number {
	if p.Most.Sign() <= 0 || p.Earned.Sign() <= 0 {
		return rule.Number{}
	}
	return rule.Ratio(p.Earned.Mul(rule.Int(100)), p.Most)
}

// Reason says which line decided, by which values.
type Reason struct {
	Line     int    // 1-based verdict line, LineOtherwise or LineBranch
	Question string // of a branch: where it stands
	Branch   int    // of a branch: its position
	verdict.Decision
}

// FactValue is a fact and what it was.
type FactValue = verdict.FactValue

// Compiled is a document made ready for walking. It is safe for use by many walks at once.
type Compiled struct {
	Doc      *quiz.Document
	scale    map[string]int
	keyword  map[string]int
	question map[string]int
	choices  [][]Effect      // by question, by choice
	mosts    [][]rule.Number // by question, by scale
	formulas []*rule.Formula

	outcomeIDs, keywordIDs []string
}

// New prepares a document, which must be valid (see quiz.Document.Validate).
func New(d *quiz.Document) (*Compiled, error) {
	if ps := d.Validate(); len(ps) > 0 {
		return nil, ps
	}
	c := &Compiled{
		Doc:      d,
		scale:    map[string]int{},
		keyword:  map[string]int{},
		question: make(map[string]int, len(d.Questions)),
		formulas: d.Formulas(),

		outcomeIDs: d.OutcomeIDs(), keywordIDs: d.KeywordIDs(),
	}
	for i, s := range d.Scales {
		c.scale[s.ID] = i
	}
	for i, k := range d.Keywords {
		c.keyword[k.ID] = i
	}
	choices := 0
	for i := range d.Questions {
		choices += len(d.Questions[i].Choices)
	}
	all := c.newEffects(choices)
	numbers := make([]rule.Number, len(d.Questions)*len(d.Scales))
	c.choices, c.mosts = make([][]Effect, len(d.Questions)), make([][]rule.Number, len(d.Questions))
	for i := range d.Questions {
		q := &d.Questions[i]
		c.question[q.ID] = i
		c.choices[i], all = all[:len(q.Choices):len(q.Choices)], all[len(q.Choices):]
		for j := range q.Choices {
			c.weighInto(c.choices[i][j], q.Choices[j].Points, q.Choices[j].Votes, q.Factor())
		}
		c.mosts[i], numbers = numbers[:len(d.Scales):len(d.Scales)], numbers[len(d.Scales):]
		c.most(i, c.mosts[i])
	}
	return c, nil
}

// Position returns the position of the question with this id, which must exist.
func (c *Compiled) Position(id string) int { return c.question[id] }

// Walk takes a respondent from the first question to an outcome. A question without an answer is blank.
func (c *Compiled) Walk(in Input) *Result {
	s := c.start(in)
	for i := 0; i < len(c.Doc.Questions); {
		i = s.pass(i)
	}
	return s.end()
}

// Advance is Walk for a respondent who is still answering: it stops at the first question asked that has no entry in
// in.Answers, not even a blank one, and names it in Pending. The result then holds the running count.
func (c *Compiled) Advance(in Input) *Result {
	s := c.start(in)
	for i := 0; i < len(c.Doc.Questions); {
		if _, answered := in.Answers[c.Doc.Questions[i].ID]; s.visible(i) && !answered {
			s.Pending = i
			s.count()
			return s.Result
		}
		i = s.pass(i)
	}
	return s.end()
}

// Without is where someone would end if some questions, by id, gave no points and no votes: they walk the way that
// they do, and all else stays.
func (c *Compiled) Without(in Input, questions ...string) *Result {
	return c.WithoutFrom(in, c.Walk(in), questions...)
}

// WithoutFrom is Without for a walk that has been walked.
func (c *Compiled) WithoutFrom(in Input, walked *Result, questions ...string) *Result {
	if walked.Reason.Line == LineBranch {
		return walked
	}
	s := c.start(in)
	for i, id := range walked.Path {
		q := c.question[id]
		s.Path, s.Branches, s.asked[q] = append(s.Path, id), append(s.Branches, walked.Branches[i]), true
		if slices.Contains(questions, id) {
			s.votes = append(s.votes, make([]rule.Number, len(s.Votes)))
			continue
		}
		s.take(q, c.Effect(q, in.Answers[id]))
	}
	return s.end()
}

// Facts returns what each fact is for a respondent at the end of their walk.
func (c *Compiled) Facts(in Input) rule.Facts {
	s := c.start(in)
	for i := 0; i < len(c.Doc.Questions); {
		i = s.pass(i)
	}
	s.end()
	return s.Fact
}

// state is a walk on its way.
type state struct {
	*Result
	c      *Compiled
	in     Input
	visit  fact.Visit
	asked  []bool          // by question
	votes  [][]rule.Number // by question asked, by keyword
	jumped string          // outcome that a branch named
}

func (c *Compiled) start(in Input) *state {
	r := &Result{
		Pending:  -1,
		Path:     make([]string, 0, len(c.Doc.Questions)),
		Scales:   make([]rule.Number, len(c.Doc.Scales)),
		Percents: make([]Percent, len(c.Doc.Scales)),
		Keywords: make([]rule.Number, len(c.Doc.Keywords)),
		Votes:    make([]rule.Number, len(c.Doc.Keywords)),
	}
	for i, k := range c.Doc.Keywords {
		r.Keywords[i] = k.Start
	}
	for i, s := range c.Doc.Scales {
		r.Scales[i] = s.Start
	}
	r.Branches = make([]int, 0, len(c.Doc.Questions))
	return &state{
		Result: r, c: c, in: in, visit: in.Visit(),
		asked: make([]bool, len(c.Doc.Questions)), votes: make([][]rule.Number, 0, len(c.Doc.Questions)),
	}
}

func (s *state) visible(i int) bool {
	v := s.c.Doc.Questions[i].VisibleIf
	return v == nil || v.Holds(s.Fact)
}

// pass asks question i, or skips it when hidden, and returns the position of the next one.
func (s *state) pass(i int) int {
	if !s.visible(i) {
		return i + 1
	}
	q := &s.c.Doc.Questions[i]
	s.Path, s.asked[i] = append(s.Path, q.ID), true
	s.Branches = append(s.Branches, -1)
	s.take(i, s.c.Effect(i, s.in.Answers[q.ID]))
	last := len(s.c.Doc.Questions)
	for j := range q.Branches {
		b := &q.Branches[j]
		if !b.When.Holds(s.Fact) {
			continue
		}
		s.Branches[len(s.Branches)-1] = j
		kind, id, _ := strings.Cut(b.Go, ":")
		switch kind {
		case "question":
			return s.c.question[id]
		case "outcome":
			s.jumped = id
			s.Reason = Reason{
				Line: LineBranch, Question: q.ID, Branch: j, Decision: verdict.Decision{Facts: s.look(&b.When)},
			}
		}
		return last
	}
	return i + 1
}

// take adds what the answer to question i gives.
func (s *state) take(i int, effect Effect) {
	s.votes = append(s.votes, effect.Votes)
	for j, n := range effect.Points {
		s.Scales[j] = s.Scales[j].Add(n)
		p := &s.Percents[j]
		p.Earned, p.Most = p.Earned.Add(n), p.Most.Add(s.c.mosts[i][j])
	}
	for j, n := range effect.Votes {
		s.Keywords[j], s.Votes[j] = s.Keywords[j].Add(n), s.Votes[j].Add(n)
	}
}

// Fact looks up a fact as it is at this point of the walk.
func (s *state) Fact(name string) rule.Value {
	f, id := fact.FamilyOf(name)
	switch f.Class {
	case fact.Answer:
		return s.answer(id)
	case fact.Before:
		return fact.Value(name, &s.visit)
	case fact.Score, fact.Percent, fact.Percentile:
		if i, ok := s.c.scale[id]; ok {
			return s.scale(i, f.Class)
		}
	case fact.Votes:
		if i, ok := s.c.keyword[id]; ok {
			return rule.NumValue(s.Keywords[i])
		}
	case fact.Leader:
		return rule.TextValue(s.leader())
	case fact.Outcome:
		return rule.TextValue(s.Outcome)
	case fact.Formula:
		for i := range s.c.Doc.Computed {
			if s.c.Doc.Computed[i].ID == id {
				return s.compute(i)
			}
		}
	}
	return rule.Value{}
}

// answer is what was answered to a question, or a part of it: blank where it was not asked.
func (s *state) answer(id string) rule.Value {
	id, part, _ := strings.Cut(id, ".")
	i, ok := s.c.question[id]
	if !ok || !s.asked[i] {
		return rule.Value{}
	}
	q := &s.c.Doc.Questions[i]
	v := kind.Of(q).Value(q, s.in.Answers[id], part)
	v.Today = s.in.Today // for dates
	return v
}

// scale is what a scale has come to: its points, their part of the most, or where they stand in the norm.
func (s *state) scale(i int, class fact.Class) rule.Value {
	switch class {
	case fact.Percent:
		return rule.NumValue(s.Percents[i].Number())
	case fact.Percentile:
		if standing, there := s.c.Doc.Scales[i].Norm.Percentile(s.Scales[i]); there {
			return rule.NumValue(standing)
		}
		return rule.Value{}
	}
	return rule.NumValue(s.Scales[i])
}

func (s *state) compute(i int) rule.Value {
	if f := s.c.formulas[i]; f != nil {
		return f.Eval(s.Fact)
	}
	return rule.Value{}
}

func (s *state) look(c *rule.Condition) []FactValue {
	if c == nil {
		return nil
	}
	var out []FactValue
	for _, name := range c.Names() {
		out = append(out, FactValue{Fact: name, Value: s.Fact(name)})
	}
	return out
}

// count fills in what follows from the votes and points.
func (s *state) count() {
	s.Leader = s.leader()
	s.Computed = nil
	for i := range s.c.Doc.Computed {
		s.Computed = append(s.Computed, s.compute(i))
	}
}
