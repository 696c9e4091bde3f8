// Package insight computes statistics over collected responses.
package insight

import "math"

// Rate is how many of some respondents did something.
type Rate struct {
	Hits, Of int
}

// Share is the rate as a share; 0 of no one is 0.
func (r Rate) Share() float64 {
	if r.Of == 0 {
		return 0
	}
	return float64(r.Hits) / float64(r.Of)
}

// Difference is how much larger the second of two rates is, with an interval that holds however often one looks.
type Difference struct {
	Value     float64 // of the shares, from −1 to 1
	Low, High float64
}

// Clear reports whether the interval leaves out 0: the difference is there.
func (d Difference) Clear() bool { return d.Low > 0 || d.High < 0 }

// Compare is the difference between two rates with its time-uniform confidence sequence at level 1 − alpha: the chance
// that the true difference is ever left out, at any look, is at most alpha.
//
// Each rate has a martingale under its true share p: the beta-binomial mixture likelihood ratio with the uniform prior,
//
//	M(p) = B(1 + k, 1 + n − k) / (p^k (1 − p)^(n − k))
//
// of k hits of n (H. Robbins, Statistical methods related to the law of the iterated logarithm, Ann. Math. Statist. 41,
// 1970; as a conjugate mixture in S. R. Howard, A. Ramdas, J. McAuliffe, J. Sekhon, Time-uniform, nonparametric,
// nonasymptotic confidence sequences, Ann. Statist. 49, 2021). The two versions' respondents are independent, so the
// product of both is a martingale too, and by Ville's inequality (1939) it ever reaches 1/alpha with a chance of at
// most alpha. The interval holds all differences q − p for which M(p) M(q) is below 1/alpha.
func Compare(a, b Rate, alpha float64) Difference {
	d := Difference{Value: b.Share() - a.Share(), Low: -1, High: 1}
	limit := math.Log(1 / alpha)
	inside := func(by float64) bool { return leastEvidence(a, b, by) < limit }
	d.Low = edge(d.Value, -1, inside)
	d.High = edge(d.Value, 1, inside)
	return d
}

// Sequence is the time-uniform confidence sequence of one rate at level 1 − alpha: all p for which M(p) of Compare is
// below 1/alpha. The chance that the true share is ever left out, at any look, is at most alpha.
func Sequence(r Rate, alpha float64) (low, high float64) {
	limit := math.Log(1 / alpha)
	inside := func(p float64) bool { return evidence(r, p) < limit }
	return edge(r.Share(), 0, inside), edge(r.Share(), 1, inside)
}

// Differs reports whether the interval of Compare leaves out 0. The evidence against no difference is least at the
// pooled share, so that it needs no search.
func Differs(a, b Rate, alpha float64) bool {
	n := a.Of + b.Of
	if n == 0 {
		return false
	}
	pooled := float64(a.Hits+b.Hits) / float64(n)
	return evidence(a, pooled)+evidence(b, pooled) >= math.Log(1/alpha)
}

// steps is how often an interval is halved: to 2^-steps of its width.
const steps = 50

// edge is the last difference on the way from inside the interval to far that is inside too.
func edge(from, far float64, inside func(float64) bool) float64 {
	if inside(far) {
		return far
	}
	for range steps {
		if middle := (from + far) / 2; inside(middle) {
			from = middle
		} else {
			far = middle
		}
	}
	return from
}

// leastEvidence is the least log M(p) M(p + by) over all p: both terms are convex in p.
func leastEvidence(a, b Rate, by float64) float64 {
	low, high := math.Max(0, -by), math.Min(1, 1-by)
	at := func(p float64) float64 { return evidence(a, p) + evidence(b, p+by) }
	const golden = 0.6180339887498949
	x, y := high-golden*(high-low), low+golden*(high-low)
	fx, fy := at(x), at(y)
	for range 2 * steps {
		if fx < fy {
			high, y, fy = y, x, fx
			x = high - golden*(high-low)
			fx = at(x)
		} else {
			low, x, fx = x, y, fy
			y = low + golden*(high-low)
			fy = at(y)
		}
	}
	return math.Min(fx, fy)
}

// evidence is log M(p) of a rate.
func evidence(r Rate, p float64) float64 {
	k, rest := float64(r.Hits), float64(r.Of-r.Hits)
	likelihood := 0.0
	if k > 0 {
		likelihood += k * math.Log(math.Max(p, 0))
	}
	if rest > 0 {
		likelihood += rest * math.Log(math.Max(1-p, 0))
	}
	return logBeta(1+k, 1+rest) - likelihood
}

func logBeta(a, b float64) float64 {
	x, _ := math.Lgamma(a)
	y, _ := math.Lgamma(b)
	z, _ := math.Lgamma(a + b)
	return x + y - z
}

// Needed is about how many respondents each of two versions needs until a true difference of by would show, at rates
// around share: until the interval around it leaves out 0. It is at most most.
func Needed(share, by, alpha float64, most int) int {
	low, high := 1, most
	shows := func(n int) bool {
		half := by / 2
		at := math.Min(math.Max(share, half), 1-half)
		a := Rate{Hits: int(math.Round((at - half) * float64(n))), Of: n}
		b := Rate{Hits: int(math.Round((at + half) * float64(n))), Of: n}
		return Differs(a, b, alpha)
	}
	for low < high {
		if middle := (low + high) / 2; shows(middle) {
			high = middle
		} else {
			low = middle + 1
		}
	}
	return low
}

// Mismatch is the chance of a split at least as far from what was asked as a of a + b respondents, where share of them
// was to go to b: Pearson's χ² test with one degree of freedom (Phil. Mag. 50, 1900).
func Mismatch(a, b int, share float64) float64 {
	n := float64(a + b)
	if n == 0 || share <= 0 || share >= 1 {
		return 1
	}
	expectA, expectB := n*(1-share), n*share
	x := (float64(a)-expectA)*(float64(a)-expectA)/expectA + (float64(b)-expectB)*(float64(b)-expectB)/expectB
	return math.Erfc(math.Sqrt(x / 2))
}

// MismatchAlarm is the chance below which a split is said not to fit what was asked: common practice of the trade.
const MismatchAlarm = 0.001
