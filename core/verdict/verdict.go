// Package verdict holds the verdict lines: what of the answers decides where someone ends. Everything that differs
// from one kind of line to another stands in the file of the kind: how it is checked, how it decides, which outcomes
// it leads to, which of its numbers can be changed, and what it is called. How one is counted is a file of core/reach,
// and how it is edited a file of app/verdicts; both say so in a registry.
package verdict

import (
	"omphalos/core/rule"
	"omphalos/core/say"
)

// Verdict is one line that may decide the outcome: a rule (When and Outcome), or one of the others, which When guards.
type Verdict struct {
	When    *rule.Condition `json:"when,omitempty"`
	Outcome string          `json:"outcome,omitempty"`
	Table   *Table          `json:"table,omitempty"`
	Bands   *Bands          `json:"bands,omitempty"`
	Leader  *Leader         `json:"leader,omitempty"`
	Matrix  *Matrix         `json:"matrix,omitempty"`
	Closest *Closest        `json:"closest,omitempty"`
	Off     bool            `json:"off,omitempty"` // turned off: it is kept, and decides nothing
}

// Line is what differs from one kind of verdict line to another.
type Line interface {
	// Name is how documents call it.
	Name() string
	// Check reports what keeps it from deciding; at is its place.
	Check(c Checker, at string)
	// Numbers calls f with each number that stands in it, and its place below the line.
	Numbers(f func(at []any, n rule.Number))
	// WithOutcomes is the same line with other outcomes; to is called for each that it leads to, as often as it does.
	WithOutcomes(to func(outcome string) string) Verdict
	// Compares calls f with each comparison that it makes of a fact with values, next to its guard.
	Compares(f func(fact string, op rule.Op, value *rule.Operand))
	// CutPoints are its cut points, which can be changed in place.
	CutPoints() []Cuts
	// Decide takes someone at the end of a walk; false where it does not match.
	Decide(w Walk) (Decision, bool)
	// Missed is the fact that kept it from matching; "" where it is not one fact alone.
	Missed(w Walk) string
	// Part is which of its parts decided: a cut, a row, a cell, a keyword, a profile.
	Part(n Names, d Decision) int
	// Sentence says it in plain words, without its guard.
	Sentence(n Names) string
	// Explain says why it decided, without the outcome; number is that of the line.
	Explain(n Names, d Decision, number int) string
}

// registry has every kind of line: how documents call it, and how it is found in a verdict; nil where that is of
// another kind.
var registry = []struct {
	name string
	find func(v *Verdict) Line
}{
	{"table", tableOf},
	{"bands", bandsOf},
	{"leader", leaderOf},
	{"matrix", matrixOf},
	{"closest", closestOf},
	{RuleName, ruleOf},
}

// Kinds lists every kind of line, as documents call them.
func Kinds() []string {
	var out []string
	for _, kind := range registry {
		out = append(out, kind.name)
	}
	return out
}

// Line is what the verdict line is; nil where it is nothing yet.
func (v *Verdict) Line() Line {
	for _, kind := range registry {
		if line := kind.find(v); line != nil {
			return line
		}
	}
	return nil
}

// Validate reports what keeps a verdict line from deciding: it must be of exactly one kind.
func (v *Verdict) Validate(c Checker, at string) {
	var lines []Line
	for _, kind := range registry {
		if line := kind.find(v); line != nil {
			lines = append(lines, line)
		}
	}
	if len(lines) != 1 {
		c.Report(at, useWhenWithOutcomeOr.With(), verdictLineMustExactlyOne.With())
		return
	}
	if name := lines[0].Name(); name != RuleName {
		at += "/" + name
	}
	lines[0].Check(c, at)
}

// Leads are the outcomes that the line can lead to, as often as it names them.
func (v *Verdict) Leads() []string {
	var out []string
	v.Leading(func(outcome string) string {
		out = append(out, outcome)
		return outcome
	})
	return out
}

// Leading is the line with other outcomes.
func (v *Verdict) Leading(to func(outcome string) string) Verdict {
	out := *v
	line := v.Line()
	if line == nil {
		out.Outcome = to(v.Outcome)
		return out
	}
	out = line.WithOutcomes(to)
	out.When, out.Off = v.When, v.Off
	return out
}

// Checker is what a line is checked against.
type Checker interface {
	// Report adds a problem: its place, what to do, and what is wrong.
	Report(at string, fix, said say.Text)
	// Outcome, Fact and Cut report that an outcome or fact does not exist, or that a fact cannot be cut into bands.
	Outcome(at, id string)
	Fact(at, name string) bool
	Cut(at, fact string)
	// Constant reports a value that a fact cannot have.
	Constant(at, fact string, op rule.Op, v rule.Scalar)
	HasKeyword(id string) bool
	HasQuestion(id string) bool
}

// Walk is someone at the end of their walk.
type Walk interface {
	Fact(name string) rule.Value
	// Leading are the ids of the keywords level with the most of those listed, in declared order.
	Leading(listed func(id string) bool) []string
	// BreakTie narrows level keywords by a rule; what is still level stays in declared order.
	BreakTie(ties string, level []string) []string
	// OutcomeIDs and KeywordIDs are in declared order.
	OutcomeIDs() []string
	KeywordIDs() []string
}

// Names say the parts of a document in words.
type Names interface {
	FactName(fact string) string
	OutcomeName(id string) string
	KeywordName(id string) string
	QuestionTitle(id string) string
	KeywordIDs() []string
	OutcomeIDs() []string
	Sentence(c *rule.Condition) string
}

// Decision is where a line leads someone, and why.
type Decision struct {
	Outcome string
	Row     int         // of a table: its row, of a matrix: the band of down, of profiles: which one; 0-based
	Cut     int         // of bands: the cut that owns the value, of a matrix: the band of across; 0-based
	Keyword string      // of a leader: the one that led
	Tied    []string    // of a leader: all keywords level at the top, when the tie rule was needed
	Facts   []FactValue // what the line looked at
}

// FactValue is a fact and what it was.
type FactValue struct {
	Fact  string
	Value rule.Value
}

// Cuts are cut points of one number, each with its place below the line.
type Cuts struct {
	On     string
	Points []*rule.Number
	Place  func(i int) []any
}

// plain is what most lines have in common.
type plain struct{}

func (plain) CutPoints() []Cuts { return nil }

func (plain) Compares(func(string, rule.Op, *rule.Operand)) {}

func (plain) Missed(Walk) string { return "" }

func (plain) Numbers(func([]any, rule.Number)) {}

func (plain) Part(Names, Decision) int { return 0 }

// rising reports cut points that do not rise.
func rising(c Checker, points []rule.Number, at func(i int) string, said func(a, b rule.Number) say.Text) {
	for i := 1; i < len(points); i++ {
		if points[i].Cmp(points[i-1]) <= 0 {
			c.Report(at(i), makeEachCutPointHigher.With(), said(points[i], points[i-1]))
		}
	}
}

// OwningBand returns the position of the cut point that owns the value, or -1: below all cuts, blank, or not a number.
func OwningBand(cuts []rule.Number, value rule.Value) int {
	if value.Kind != rule.Num {
		return -1
	}
	for i := len(cuts) - 1; i >= 0; i-- {
		if value.Num.Cmp(cuts[i]) >= 0 {
			return i
		}
	}
	return -1
}
