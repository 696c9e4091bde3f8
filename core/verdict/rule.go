package verdict

import (
	"fmt"
)

// RuleName is the name of the line that has a condition and an outcome alone.
const RuleName = "rule"

// everyone begins the sentence of a rule; with a condition before it, it is left out.
const everyone = "everyone → "

// ruleLine leads everyone for whom its condition holds to one outcome.
type ruleLine struct {
	plain
	v *Verdict
}

func ruleOf(v *Verdict) Line {
	if v.Outcome == "" {
		return nil
	}
	return ruleLine{v: v}
}

func (ruleLine) Name() string { return RuleName }

func (l ruleLine) Check(c Checker, at string) {
	c.Outcome(at+"/outcome", l.v.Outcome)
	if l.v.When == nil {
		c.Report(at, addWhenEveryoneUseAll.With(), ruleHasNoCondition.With())
	}
}

func (l ruleLine) WithOutcomes(to func(string) string) Verdict {
	return Verdict{Outcome: to(l.v.Outcome)}
}

func (l ruleLine) Decide(Walk) (Decision, bool) { return Decision{Outcome: l.v.Outcome}, true }

func (l ruleLine) Sentence(n Names) string { return everyone + n.OutcomeName(l.v.Outcome) }

func (l ruleLine) Explain(n Names, d Decision, number int) string {
	if len(d.Facts) == 0 {
		return fmt.Sprintf("Line %d matches everyone", number)
	}
	return fmt.Sprintf("Line %d: %s", number, n.Sentence(l.v.When))
}
