package insight

import "math"

// z95 is the 97.5th percentile of the normal distribution.
const z95 = 1.959963984540054

// Wilson is the 95 % score interval of a rate (E. B. Wilson, J. Am. Stat. Assoc. 22, 1927).
func Wilson(r Rate) (low, high float64) {
	if r.Of == 0 {
		return 0, 1
	}
	n, p := float64(r.Of), r.Share()
	middle := p + z95*z95/(2*n)
	half := z95 * math.Sqrt(p*(1-p)/n+z95*z95/(4*n*n))
	whole := 1 + z95*z95/n
	return math.Max(0, (middle-half)/whole), math.Min(1, (middle+half)/whole)
}

// Newcombe is the difference of two rates, the second less the first, with the 95 % interval for one look: the hybrid
// score method (R. G. Newcombe, Statist. Med. 17, 1998, 873–890, method 10).
func Newcombe(a, b Rate) Difference {
	lowA, highA := Wilson(a)
	lowB, highB := Wilson(b)
	p, q := a.Share(), b.Share()
	return Difference{
		Value: q - p,
		Low:   q - p - math.Hypot(q-lowB, highA-p),
		High:  q - p + math.Hypot(highB-q, p-lowA),
	}
}
