package verdict

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"omphalos/core/fact"
	"omphalos/core/rule"
)

// Closest decides by the outcome whose profile is nearest: the one with the least sum of squared differences, compared
// exactly. Of equally near ones the outcome declared first decides.
type Closest struct {
	On       []string                 `json:"on"`       // scales, percents and votes for keywords
	Profiles map[string][]rule.Number `json:"profiles"` // outcome id to one number for each of On
	Ties     string                   `json:"ties,omitempty"`
}

// maxProfiled is how many numbers a profile has at most.
const maxProfiled = 4

// closestLine is the nearest of some profiles.
type closestLine struct {
	plain
	*Closest
}

func closestOf(v *Verdict) Line {
	if v.Closest == nil {
		return nil
	}
	return closestLine{Closest: v.Closest}
}

func (closestLine) Name() string { return "closest" }

func (l closestLine) outcomes() []string { return slices.Sorted(maps.Keys(l.Profiles)) }

func (l closestLine) Check(c Checker, at string) {
	if n := len(l.On); n == 0 || n > maxProfiled {
		c.Report(at+"/on", compareOneToFour.With(maxProfiled), profilesCompareNumbers.With(n))
	}
	for i, name := range l.On {
		place := fmt.Sprintf("%s/on/%d", at, i)
		switch fact.ClassOf(name) {
		case fact.Score, fact.Percent, fact.Votes:
			c.Fact(place, name)
		default:
			c.Report(place, useScalePercentKeyword.With(), profilesCantCompare.With(name))
		}
	}
	if len(l.Profiles) == 0 {
		c.Report(at+"/profiles", addAProfile.With(), thereAreNoProfiles.With())
	}
	for _, id := range l.outcomes() {
		place := at + "/profiles" + pointer(id)
		c.Outcome(place, id)
		if len(l.Profiles[id]) != len(l.On) {
			c.Report(place, useOneNumberEach.With(), profileHasNumbers.With(len(l.Profiles[id]), len(l.On)))
		}
	}
	if l.Ties != "" && l.Ties != "order" {
		c.Report(at+"/ties", useOneOf.With("order"), isntAllowedHere.With(l.Ties))
	}
}

func (l closestLine) Numbers(f func([]any, rule.Number)) {
	for _, id := range l.outcomes() {
		for i, n := range l.Profiles[id] {
			f([]any{"closest", "profiles", id, i}, n)
		}
	}
}

// WithOutcomes needs different outcomes for different profiles: of those that become one, one profile is left.
func (l closestLine) WithOutcomes(to func(string) string) Verdict {
	out := *l.Closest
	out.Profiles = map[string][]rule.Number{}
	for _, id := range l.outcomes() {
		out.Profiles[to(id)] = l.Profiles[id]
	}
	return Verdict{Closest: &out}
}

func (l closestLine) Decide(w Walk) (Decision, bool) {
	values, d := make([]rule.Number, len(l.On)), Decision{}
	for i, name := range l.On {
		v := w.Fact(name)
		values[i] = v.Num
		d.Facts = append(d.Facts, FactValue{name, v})
	}
	ids := l.Order(w.OutcomeIDs())
	profiles := make([][]rule.Number, len(ids))
	for i, id := range ids {
		profiles[i] = l.Profiles[id]
	}
	d.Row = Nearest(profiles, values)
	if d.Row < 0 {
		return d, false
	}
	d.Outcome = ids[d.Row]
	return d, true
}

// Order are the outcomes that have profiles, in the order in which all are declared.
func (c *Closest) Order(declared []string) []string {
	return slices.DeleteFunc(slices.Clone(declared), func(id string) bool { _, has := c.Profiles[id]; return !has })
}

// Nearest is the first of the profiles nearest to some values, −1 without one.
func Nearest(profiles [][]rule.Number, values []rule.Number) int {
	best, least := -1, rule.Number{}
	for i, profile := range profiles {
		sum := rule.Number{}
		for k, n := range profile {
			apart := values[k].Sub(n)
			sum = sum.Add(apart.Mul(apart))
		}
		if best < 0 || sum.Cmp(least) < 0 {
			best, least = i, sum
		}
	}
	return best
}

func (closestLine) Part(_ Names, d Decision) int { return d.Row }

func (l closestLine) Sentence(n Names) string {
	var names, outcomes []string
	for _, name := range l.On {
		names = append(names, n.FactName(name))
	}
	for _, id := range l.Order(n.OutcomeIDs()) {
		outcomes = append(outcomes, n.OutcomeName(id))
	}
	return "the closest profile by " + strings.Join(names, ", ") + " → " + strings.Join(outcomes, ", ")
}

func (l closestLine) Explain(n Names, d Decision, _ int) string {
	var parts []string
	last := d.Facts[len(d.Facts)-len(l.On):]
	for i, f := range last {
		near := l.Profiles[d.Outcome][i]
		parts = append(parts, fmt.Sprintf("%s %s near %s", n.FactName(f.Fact), Shown(f.Value), near))
	}
	return "The closest profile: " + strings.Join(parts, ", ")
}
