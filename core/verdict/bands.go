package verdict

import (
	"fmt"
	"slices"
	"strings"

	"omphalos/core/rule"
	"omphalos/core/say"
)

// Bands cut a scale, its percent, its percentile or a computed value into ranges.
type Bands struct {
	On   string `json:"on"`
	Cuts []Cut  `json:"cuts"`
}

// Cut owns the values from From up to the next cut.
type Cut struct {
	From    rule.Number `json:"from"`
	Outcome string      `json:"outcome"`
}

// bandsLine is cut points of one number.
type bandsLine struct{ *Bands }

func bandsOf(v *Verdict) Line {
	if v.Bands == nil {
		return nil
	}
	return bandsLine{Bands: v.Bands}
}

func (bandsLine) Name() string { return "bands" }

func (b bandsLine) Check(c Checker, at string) {
	c.Cut(at+"/on", b.On)
	if len(b.Cuts) == 0 {
		c.Report(at+"/cuts", addAtLeastOneCut.With(), thereNoCutPoints.With())
	}
	place := func(i int) string { return fmt.Sprintf("%s/cuts/%d", at, i) }
	for i, cut := range b.Cuts {
		c.Outcome(place(i)+"/outcome", cut.Outcome)
	}
	rising(c, b.points(), func(i int) string { return place(i) + "/from" },
		func(x, y rule.Number) say.Text { return cutPointIsntHigherThan.With(x, y) })
}

// points are the bare cut points.
func (b bandsLine) points() []rule.Number {
	out := make([]rule.Number, len(b.Cuts))
	for i := range b.Cuts {
		out[i] = b.Cuts[i].From
	}
	return out
}

func (b bandsLine) Numbers(f func([]any, rule.Number)) {
	for i := range b.Cuts {
		f([]any{"bands", "cuts", i, "from"}, b.Cuts[i].From)
	}
}

func (bandsLine) Compares(func(string, rule.Op, *rule.Operand)) {}

func (b bandsLine) CutPoints() []Cuts {
	out := Cuts{On: b.On, Place: func(i int) []any { return []any{"bands", "cuts", i, "from"} }}
	for i := range b.Cuts {
		out.Points = append(out.Points, &b.Cuts[i].From)
	}
	return []Cuts{out}
}

func (b bandsLine) WithOutcomes(to func(string) string) Verdict {
	out := *b.Bands
	out.Cuts = slices.Clone(b.Cuts)
	for i := range out.Cuts {
		out.Cuts[i].Outcome = to(out.Cuts[i].Outcome)
	}
	return Verdict{Bands: &out}
}

func (b bandsLine) Decide(w Walk) (Decision, bool) {
	value := w.Fact(b.On)
	cut := OwningCut(b.Cuts, value)
	if cut < 0 {
		return Decision{}, false
	}
	return Decision{Outcome: b.Cuts[cut].Outcome, Cut: cut, Facts: []FactValue{{b.On, value}}}, true
}

func (b bandsLine) Missed(Walk) string { return b.On }

func (bandsLine) Part(_ Names, d Decision) int { return d.Cut }

func (b bandsLine) Sentence(n Names) string {
	parts := make([]string, len(b.Cuts))
	for i, c := range b.Cuts {
		parts[i] = "from " + c.From.String() + " " + n.OutcomeName(c.Outcome)
	}
	return n.FactName(b.On) + ": " + strings.Join(parts, ", ")
}

func (b bandsLine) Explain(n Names, d Decision, _ int) string {
	value, cut := d.Facts[len(d.Facts)-1].Value, b.Cuts[d.Cut]
	rel := "is above"
	if value.Num.Cmp(cut.From) == 0 {
		rel = "equals"
	}
	return fmt.Sprintf("%s %s %s the cut point %s", n.FactName(b.On), Shown(value), rel, cut.From)
}

// OwningCut returns the position of the cut that owns the value, or -1: below all cuts, blank, or not a number.
func OwningCut(cuts []Cut, value rule.Value) int {
	if value.Kind != rule.Num {
		return -1
	}
	for i := len(cuts) - 1; i >= 0; i-- {
		if value.Num.Cmp(cuts[i].From) >= 0 {
			return i
		}
	}
	return -1
}
