package verdict

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"omphalos/core/fact"
	"omphalos/core/rule"
)

// Leader decides by the keyword with the most votes.
type Leader struct {
	Outcomes map[string]string `json:"outcomes"`       // keyword id to outcome id
	Ties     string            `json:"ties,omitempty"` // "order" (also when empty), "latest" or "question:ID"
}

// leaderLine is the leading keyword of some.
type leaderLine struct {
	plain
	*Leader
}

func leaderOf(v *Verdict) Line {
	if v.Leader == nil {
		return nil
	}
	return leaderLine{Leader: v.Leader}
}

func (leaderLine) Name() string { return "leader" }

func (l leaderLine) keywords() []string { return slices.Sorted(maps.Keys(l.Outcomes)) }

func (l leaderLine) Check(c Checker, at string) {
	if len(l.Outcomes) == 0 {
		c.Report(at+"/outcomes", chooseOutcomeAtLeastOne.With(), noKeywordHasOutcome.With())
	}
	for _, k := range l.keywords() {
		place := at + "/outcomes" + pointer(k)
		if !c.HasKeyword(k) {
			c.Report(place, useIDExistingKeyword.With(), keywordDoesntExist.With(k))
		}
		c.Outcome(place, l.Outcomes[k])
	}
	id, byQuestion := strings.CutPrefix(l.Ties, "question:")
	switch {
	case byQuestion && !c.HasQuestion(id):
		c.Report(at+"/ties", useIDExistingQuestion.With(), questionDoesntExist.With(id))
	case !byQuestion && !slices.Contains([]string{"", "order", "latest"}, l.Ties):
		c.Report(at+"/ties", useOneOf.With("order, latest"), isntAllowedHere.With(l.Ties))
	}
}

func (l leaderLine) WithOutcomes(to func(string) string) Verdict {
	out := *l.Leader
	out.Outcomes = map[string]string{}
	for _, k := range l.keywords() {
		out.Outcomes[k] = to(l.Outcomes[k])
	}
	return Verdict{Leader: &out}
}

func (l leaderLine) Decide(w Walk) (Decision, bool) {
	listed := func(id string) bool { _, is := l.Outcomes[id]; return is }
	level := w.Leading(listed)
	if len(level) == 0 {
		return Decision{}, false
	}
	var d Decision
	for _, id := range w.KeywordIDs() {
		if listed(id) {
			d.Facts = append(d.Facts, FactValue{fact.VotesFor(id), w.Fact(fact.VotesFor(id))})
		}
	}
	if len(level) > 1 {
		d.Tied = slices.Clone(level)
		level = w.BreakTie(l.Ties, level)
	}
	d.Keyword = level[0]
	d.Outcome = l.Outcomes[d.Keyword]
	return d, true
}

func (leaderLine) Part(n Names, d Decision) int { return slices.Index(n.KeywordIDs(), d.Keyword) }

func (l leaderLine) Sentence(n Names) string {
	var names []string
	for _, id := range n.KeywordIDs() {
		if _, listed := l.Outcomes[id]; listed {
			names = append(names, n.KeywordName(id))
		}
	}
	return "the leading keyword of " + strings.Join(names, ", ") + "; " + l.ties(n)
}

func (l leaderLine) ties(n Names) string {
	if id, by := strings.CutPrefix(l.Ties, "question:"); by {
		if title := n.QuestionTitle(id); title != "" {
			return "ties go to the keyword with the most votes from “" + title + "”"
		}
	}
	if l.Ties == "latest" {
		return "ties go to the latest vote"
	}
	return "ties go to the first keyword listed"
}

func (leaderLine) Explain(n Names, d Decision, _ int) string {
	if len(d.Tied) > 1 {
		return fmt.Sprintf("%s wins a tie between %d keywords", n.KeywordName(d.Keyword), len(d.Tied))
	}
	return fmt.Sprintf("%s has the most votes", n.KeywordName(d.Keyword))
}

// Shown writes a value for reading: a number rounded to two places.
func Shown(v rule.Value) string {
	switch v.Kind {
	case rule.Num:
		return v.Num.Round(2).String()
	case rule.Blank:
		return "blank"
	}
	return strings.ReplaceAll(v.String(), "|", ", ")
}

// pointer is one segment of a JSON Pointer (RFC 6901).
func pointer(segment string) string {
	return "/" + strings.ReplaceAll(strings.ReplaceAll(segment, "~", "~0"), "/", "~1")
}
