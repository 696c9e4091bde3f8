package reach

import (
	"omphalos/core/quiz"
	"omphalos/core/verdict"
)

// A compiled line is what a count wants of a verdict line, next to the condition that guards it. Each kind has its
// file.
type compiled interface {
	// use marks what it looks at.
	use(p *pass)
	// decide takes it on a final state; ok says whether it matches. The position of the line is filled in afterwards.
	decide(p *pass, vec []int64) (v decision, ok bool)
	// parts is how many parts of it can decide.
	parts(p *pass) int
	// outcome is where a part leads.
	outcome(part int) string
	// gives adds the outcomes that it may give to those that a proof cannot rule out, and says whether it decides for
	// everyone whom its condition holds for.
	gives(f *proof, p *pass, out map[string]bool) maybe
	// findings tells what is odd about it: verdict line i, which is flat line j.
	findings(k *checker, i, j int)
}

// compilers make the flat lines of a verdict line, by its kind. A kind registers itself in its file.
var compilers = map[string]func(m *model, v *quiz.Verdict, l line) []line{}

// fillLines flattens the verdict lines.
func (m *model) fillLines() {
	for i := range m.d.Verdicts {
		v := &m.d.Verdicts[i]
		if v.Off {
			continue
		}
		compile := compilers[v.Line().Name()]
		m.lines = append(m.lines, compile(m, v, line{number: i + 1, when: m.plant(v.When)})...)
	}
}

// ruleLine is one outcome: a rule, or a row of a table.
type ruleLine struct{ to string }

func init() {
	compilers[verdict.RuleName] = func(_ *model, v *quiz.Verdict, l line) []line {
		l.body = ruleLine{v.Outcome}
		return []line{l}
	}
}

func (ruleLine) use(*pass) {}

func (r ruleLine) decide(p *pass, _ []int64) (decision, bool) {
	return decision{outcome: p.outcome(r.to), cut: -1}, true
}

func (ruleLine) parts(*pass) int { return 1 }

func (r ruleLine) outcome(int) string { return r.to }

func (r ruleLine) gives(_ *proof, _ *pass, out map[string]bool) maybe {
	out[r.to] = true
	return surely
}

func (ruleLine) findings(*checker, int, int) {}
