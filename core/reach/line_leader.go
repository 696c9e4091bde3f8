package reach

import (
	"slices"
	"strings"

	"omphalos/core/quiz"
)

func init() {
	compilers["leader"] = func(m *model, v *quiz.Verdict, l line) []line {
		l.leader = m.leaderOf(v.Leader)
		l.body = l.leader
		return []line{l}
	}
}

func (m *model) leaderOf(l *quiz.Leader) *leaderLine {
	out := &leaderLine{
		listed:   make([]bool, len(m.d.Keywords)),
		outcomes: make([]string, len(m.d.Keywords)),
		latest:   l.Ties == "latest",
		question: -1,
	}
	for k := range m.d.Keywords {
		out.outcomes[k], out.listed[k] = l.Outcomes[m.d.Keywords[k].ID], false
		if _, ok := l.Outcomes[m.d.Keywords[k].ID]; ok {
			out.listed[k] = true
		}
	}
	if id, ok := strings.CutPrefix(l.Ties, "question:"); ok {
		out.question = m.d.Question(id)
	}
	return out
}

func (l *leaderLine) use(p *pass) {
	p.useLead(l.listed, useAt{kind: useFinal})
	p.latest = p.latest || l.latest
	if q := l.question; q >= 0 && !slices.Contains(p.tieQuestions, q) {
		p.tieQuestions = append(p.tieQuestions, q)
	}
}

func (l *leaderLine) decide(p *pass, vec []int64) (decision, bool) {
	level, ok := p.top(vec, l.listed)
	if !ok {
		return decision{}, false
	}
	k := p.breakTie(l, level, vec)
	return decision{outcome: p.outcome(l.outcomes[k]), cut: -1, part: k, tie: len(level) > 1}, true
}

func (l *leaderLine) parts(p *pass) int { return p.nKeys }

func (l *leaderLine) outcome(part int) string { return l.outcomes[part] }

func (l *leaderLine) gives(f *proof, p *pass, out map[string]bool) maybe {
	for k, listed := range l.listed {
		if listed && f.extents[2*len(f.m.d.Scales)+k].hi > p.startVotes(k) {
			out[l.outcomes[k]] = true
		}
	}
	return perhaps
}

func (*leaderLine) findings(*checker, int, int) {}
