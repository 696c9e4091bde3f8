package reach

import (
	"slices"

	"omphalos/core/fact"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/verdict"
)

func init() {
	compilers["bands"] = func(m *model, v *quiz.Verdict, l line) []line {
		cuts, outcomes := make([]rule.Number, len(v.Bands.Cuts)), make([]string, len(v.Bands.Cuts))
		for i, c := range v.Bands.Cuts {
			cuts[i], outcomes[i] = c.From, c.Outcome
		}
		l.bands = m.cutsOf(v.Bands.On, cuts)
		l.bands.outcomes = outcomes
		l.body = l.bands
		return []line{l}
	}
}

// cutsOf are cut points of a number.
func (m *model) cutsOf(on string, cuts []rule.Number) *bandsLine {
	out := &bandsLine{cuts: cuts, form: -1, on: on}
	family, id := fact.FamilyOf(on)
	if family.Class == fact.Formula {
		out.computed = slices.IndexFunc(m.d.Computed, func(c quiz.Computed) bool { return c.ID == id })
		return out
	}
	out.form = m.formOf(family.Class, id)
	if family.Class == fact.Percentile {
		out.norm = m.d.Scales[out.form].Norm
		out.blank = out.norm == nil
	}
	for _, c := range cuts {
		if out.blank {
			break
		}
		v, always := m.threshold(number{out.form, out.norm}, c, false)
		if always {
			out.at = append(out.at, -1)
		} else {
			out.at = append(out.at, m.rawThreshold(out.form, v))
		}
	}
	return out
}

func (b *bandsLine) use(p *pass) {
	final := useAt{kind: useFinal}
	if b.form < 0 {
		p.useFormula(b.computed, final)
	} else {
		p.useThresholds(b.form, b.at, final)
	}
}

func (b *bandsLine) decide(p *pass, vec []int64) (decision, bool) {
	cut := p.cut(b, vec)
	if cut < 0 {
		return decision{}, false
	}
	return decision{outcome: p.outcome(b.outcomes[cut]), cut: cut, part: cut}, true
}

func (b *bandsLine) parts(*pass) int { return len(b.cuts) }

func (b *bandsLine) outcome(part int) string { return b.outcomes[part] }

func (b *bandsLine) gives(f *proof, _ *pass, out map[string]bool) maybe {
	for cut, outcome := range b.outcomes {
		if f.inBand(b, cut) {
			out[outcome] = true
		}
	}
	if b.form < 0 || b.blank || f.meets(b.form, b.at[0], true) != surely {
		return perhaps
	}
	return surely
}

// findings names bands that no one falls in.
func (b *bandsLine) findings(k *checker, i, j int) {
	for cut, got := range k.final.partGot[j] {
		if !got {
			k.find(Finding{
				Code: "empty_band", Severity: Warning, Where: quiz.Pointer("verdicts", i, "bands", "cuts", cut),
				Said: noRespondentLandsInBand.With(bandName(b.cuts, cut), k.m.d.FactName(b.on)),
			})
		}
	}
}

// cut is the band that owns the value, or -1.
func (p *pass) cut(b *bandsLine, vec []int64) int {
	switch {
	case b.blank:
		return -1
	case b.form < 0:
		return verdict.OwningBand(b.cuts, p.compute(b.computed, vec))
	}
	for i := len(b.cuts) - 1; i >= 0; i-- {
		if b.at[i] < 0 || p.meets(b.form, b.at[i], vec) {
			return i
		}
	}
	return -1
}
