package reach

import (
	"math"

	"omphalos/core/rule"
)

// TopCut finds the value from which up the share of respondents comes closest to top (0 to 1), above a lower bound,
// which may be nil. Of values that are equally close the higher one is taken. It reports false when there is no value
// to cut at. Points must be in ascending order, as Arrivals returns them.
func TopCut(points []Point, top float64, above *rule.Number) (cut rule.Number, share float64, ok bool) {
	const same = 1e-12
	sum, off := 0.0, math.Inf(1)
	for i := len(points) - 1; i >= 0; i-- {
		sum += points[i].Share
		if above != nil && points[i].Value.Cmp(*above) <= 0 {
			break
		}
		if d := math.Abs(sum - top); d < off-same {
			cut, share, off, ok = points[i].Value, sum, d, true
		}
	}
	return cut, share, ok
}

// PlainCut is the number with the fewest decimals, at most 4, that cuts the points just where value does: it is not
// above value and above the point before it.
func PlainCut(points []Point, value rule.Number) rule.Number {
	var before *rule.Number
	for i := range points {
		if points[i].Value.Cmp(value) < 0 {
			before = &points[i].Value
		}
	}
	ten := rule.Int(1)
	for range 4 {
		if n := rule.Ratio(value.Mul(ten).Floor(), ten); before == nil && n.Cmp(value) == 0 ||
			before != nil && n.Cmp(*before) > 0 {
			return n
		}
		ten = ten.Mul(rule.Int(10))
	}
	return rule.Ratio(value.Mul(ten).Floor(), ten)
}
