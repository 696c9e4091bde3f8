package mend

import (
	"slices"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// kinks are the values of a figure's points between which the most of its question is a straight line: of a choice 0
// and the points of the other choices.
func (s *search) kinks(f *quiz.Figure) []rule.Number {
	id, is := strings.CutPrefix(f.Fact, "scale.")
	if !is || !s.percentsOf(f.Fact) {
		return nil
	}
	if f.Step >= 0 {
		scale := slices.IndexFunc(s.d.Scales, func(of quiz.Scale) bool { return of.ID == id })
		return s.c.Bends(f.Question, f.Step, scale)
	}
	out := []rule.Number{{}}
	for j := range s.d.Questions[f.Question].Choices {
		if j != f.Choice {
			out = append(out, s.d.Questions[f.Question].Choices[j].Points[id])
		}
	}
	return out
}

// percent notes where earned ÷ most meets a percent, on the straight line that most follows around the number.
func (t *trail) percent(scale int, values []rule.Number) {
	for _, beside := range t.neighbours() {
		rise, ok := t.rise(scale, beside)
		if !ok {
			continue
		}
		earned, most := t.earned[scale], t.most[scale]
		t.meets(earned, t.times, rule.Number{})
		t.meets(most, rise, rule.Number{})
		for _, c := range values {
			// 100 (earned + times Δ) = c (most + rise Δ)
			share := rule.Int(100).Mul(t.times).Sub(c.Mul(rise))
			t.meets(rule.Int(100).Mul(earned), share, c.Mul(most))
		}
	}
}

// neighbours are a value below and one above the number, before the next kinks.
func (t *trail) neighbours() []rule.Number {
	low, high := t.at.Sub(rule.Int(1)), t.at.Add(rule.Int(1))
	for _, k := range t.kinks {
		switch c := k.Cmp(t.at); {
		case c < 0 && k.Cmp(low) > 0:
			low = k
		case c > 0 && k.Cmp(high) < 0:
			high = k
		}
	}
	return []rule.Number{low, high}
}

// rise is by how much the most of the whole walk grows with the number, between it and a value next to it.
func (t *trail) rise(scale int, beside rule.Number) (rule.Number, bool) {
	step := beside.Sub(t.at)
	if step.Sign() == 0 {
		return rule.Number{}, false
	}
	now := t.c.Most(t.f.Question)[scale]
	t.f.Set(beside)
	then := t.c.Reweighed(t.f.Question).Most(t.f.Question)[scale]
	t.f.Set(t.at)
	return rule.Ratio(then.Sub(now), step), true
}
