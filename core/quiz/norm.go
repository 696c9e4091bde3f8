package quiz

import (
	"omphalos/core/rule"
)

// Norm is how a scale is spread among those whom respondents are compared with: [value, share]. The shares sum to 1.
type Norm []NormPoint

// NormPoint is a value of a scale and the share of those who have it.
type NormPoint [2]rule.Number

// MaxNorm is how many values a norm may have.
const MaxNorm = 5000

// Percentile is the standing of a value: 100 × (the share below it + half the share equal to it); false without a
// norm. (The mid-rank definition of a percentile rank; common practice of test theory.)
func (n Norm) Percentile(value rule.Number) (rule.Number, bool) {
	if len(n) == 0 {
		return rule.Number{}, false
	}
	twice := rule.Number{} // of the share below, and the share equal
	for _, p := range n {
		switch p[0].Cmp(value) {
		case -1:
			twice = twice.Add(p[1]).Add(p[1])
		case 0:
			twice = twice.Add(p[1])
		}
	}
	return twice.Mul(rule.Int(50)), true
}

// sumSlack is how far the shares of a norm may be from 1 together.
var sumSlack = rule.Ratio(rule.Int(1), rule.Int(1_000_000_000))

func (n Norm) checkForm(ps *Problems, at string) {
	if len(n) == 0 {
		return
	}
	if len(n) > MaxNorm {
		ps.add(at, roundTheValues.With(), normHasMoreThanValues.With(MaxNorm))
		return
	}
	sum := rule.Number{}
	for i, p := range n {
		exact(ps, at+Pointer(i, 0), p[0])
		if p[1].Sign() < 0 || p[1].Cmp(rule.Int(1)) > 0 {
			ps.add(at+Pointer(i, 1), useShareFrom.With(), isntValidShare.With(p[1]))
			return
		}
		sum = sum.Add(p[1])
	}
	if off := sum.Sub(rule.Int(1)); off.Abs().Cmp(sumSlack) > 0 {
		ps.add(at, makeSharesAddUp.With(), sharesInNormAddUp.With(sum))
	}
}

// Mean is the mean value of the norm; false without one.
func (n Norm) Mean() (rule.Number, bool) {
	sum, share := rule.Number{}, rule.Number{}
	for _, p := range n {
		sum, share = sum.Add(p[0].Mul(p[1])), share.Add(p[1])
	}
	if share.Sign() <= 0 {
		return rule.Number{}, false
	}
	return rule.Ratio(sum, share), true
}

// normPlaces is how finely the shares of a norm are written.
const normPlaces = 6

// NewNorm makes a norm of values and how many have each, or what share: the shares are rounded so that they sum to 1,
// and values to the places that a document may have.
func NewNorm(values []rule.Number, weights []float64) Norm {
	total := 0.0
	for _, w := range weights {
		total += w
	}
	if total <= 0 {
		return nil
	}
	units := int64(1)
	for range normPlaces {
		units *= 10
	}
	out := make(Norm, 0, len(values))
	sum, given := 0.0, int64(0)
	for i, v := range values {
		sum += weights[i]
		upTo := int64(float64(units)*sum/total + 0.5) // what is rounded off one goes to the next
		if i == len(values)-1 {
			upTo = units
		}
		if upTo > given {
			out = append(out, NormPoint{v.Round(rule.MaxPlaces), rule.Unscaled(upTo-given, normPlaces)})
		}
		given = upTo
	}
	return out
}
