package reach

import (
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/verdict"
)

// closestLine is the nearest of some profiles. It looks at the very values of its numbers, so that states hold them to
// the end.
type closestLine struct {
	on       []*bandsLine // numbers without cut points
	profiles [][]rule.Number
	outcomes []string // of the profiles, in declared order
}

func init() {
	compilers["closest"] = func(m *model, v *quiz.Verdict, l line) []line {
		out := &closestLine{outcomes: v.Closest.Order(m.d.OutcomeIDs())}
		for _, on := range v.Closest.On {
			out.on = append(out.on, m.cutsOf(on, nil))
		}
		for _, id := range out.outcomes {
			out.profiles = append(out.profiles, v.Closest.Profiles[id])
		}
		l.body = out
		return []line{l}
	}
}

func (l *closestLine) use(p *pass) {
	for _, on := range l.on {
		p.mark(&p.exactUses[on.form], useAt{kind: useFinal})
	}
}

func (l *closestLine) decide(p *pass, vec []int64) (decision, bool) {
	values := make([]rule.Number, len(l.on))
	for i, on := range l.on {
		values[i] = p.value(on, vec).Num
	}
	at := verdict.Nearest(l.profiles, values)
	if at < 0 {
		return decision{}, false
	}
	return decision{outcome: p.outcome(l.outcomes[at]), cut: -1, part: at}, true
}

func (l *closestLine) parts(*pass) int { return len(l.profiles) }

func (l *closestLine) outcome(part int) string { return l.outcomes[part] }

func (l *closestLine) gives(_ *proof, _ *pass, out map[string]bool) maybe {
	for _, outcome := range l.outcomes {
		out[outcome] = true
	}
	return surely
}

// findings names profiles that never decide.
func (l *closestLine) findings(k *checker, i, j int) {
	for part, got := range k.final.partGot[j] {
		if !got {
			id := l.outcomes[part]
			k.find(Finding{
				Code: "unreachable_profile", Severity: Warning,
				Where: quiz.Pointer("verdicts", i, "closest", "profiles", id),
				Said:  profileNeverDecides.With(k.m.d.OutcomeName(id), i+1),
			})
		}
	}
}
