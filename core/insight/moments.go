package insight

import "math"

// Moments gathers the means and spreads of several numbers of each respondent, and how they go together, in one pass (B.
// P. Welford, Technometrics 4, 1962, for one number; T. F. Chan, G. Golub, R. LeVeque, 1979, for two).
type Moments struct {
	N     int
	Means []float64
	sums  [][]float64 // of products of the distances from the means
}

// NewMoments gathers k numbers.
func NewMoments(k int) *Moments {
	m := &Moments{Means: make([]float64, k), sums: make([][]float64, k)}
	for i := range m.sums {
		m.sums[i] = make([]float64, k)
	}
	return m
}

// Add adds one respondent.
func (m *Moments) Add(x []float64) {
	m.N++
	n := float64(m.N)
	before := make([]float64, len(x))
	for i := range x {
		before[i] = x[i] - m.Means[i]
		m.Means[i] += before[i] / n
	}
	for i := range x {
		for j := i; j < len(x); j++ {
			m.sums[i][j] += before[i] * (x[j] - m.Means[j])
			m.sums[j][i] = m.sums[i][j]
		}
	}
}

// Covariance is that of two of the numbers, with n − 1; NaN of fewer than two respondents.
func (m *Moments) Covariance(i, j int) float64 {
	if m.N < 2 {
		return math.NaN()
	}
	return m.sums[i][j] / float64(m.N-1)
}

// Reliability is how well the items of a scale go together.
type Reliability struct {
	Alpha float64 // NaN with fewer than two items or no spread
	Items []ItemReliability
}

// ItemReliability is what one item does for its scale.
type ItemReliability struct {
	ItemRest     float64 // correlation of the item with the sum of the others; NaN without spread
	AlphaWithout float64 // NaN where fewer than two would be left
}

// Reliability treats the numbers as the items of one scale: Cronbach's alpha (L. J. Cronbach, Coefficient alpha and the
// internal structure of tests, Psychometrika 16, 1951), alpha without each item, and corrected item–total correlations.
func (m *Moments) Reliability() Reliability {
	k := len(m.Means)
	traces, all := 0.0, 0.0
	with := make([]float64, k) // covariance of each item with the whole sum
	for i := range k {
		traces += m.Covariance(i, i)
		for j := range k {
			with[i] += m.Covariance(i, j)
		}
		all += with[i]
	}
	r := Reliability{Alpha: alpha(k, traces, all)}
	for i := range k {
		own := m.Covariance(i, i)
		rest := all - 2*with[i] + own
		r.Items = append(r.Items, ItemReliability{
			ItemRest:     ratio(with[i]-own, math.Sqrt(own*rest)),
			AlphaWithout: alpha(k-1, traces-own, rest),
		})
	}
	return r
}

func alpha(k int, traces, all float64) float64 {
	if k < 2 {
		return math.NaN()
	}
	return float64(k) / float64(k-1) * (1 - ratio(traces, all))
}

// ratio is a quotient; NaN where the divisor is nothing but rounding.
func ratio(a, b float64) float64 {
	if !(b > 1e-12) {
		return math.NaN()
	}
	return a / b
}
