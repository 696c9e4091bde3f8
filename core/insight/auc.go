package insight

import (
	"math"
	"slices"
)

// Area is the area under the ROC curve of a score: the chance that one of those who won has a higher score than one of
// those who did not, ties counting half; with its 95 % interval.
type Area struct {
	Value, Low, High float64
}

// AUC is the area under the ROC curve with the interval of E. R. DeLong, D. M. DeLong and D. L. Clarke-Pearson
// (Biometrics 44, 1988), computed from midranks (X. Sun, W. Xu, IEEE Signal Process. Lett. 21, 2014). It reports false
// unless there is someone on each side. An interval of one on a side is 0 to 1.
func AUC(won, lost []float64) (Area, bool) {
	m, n := len(won), len(lost)
	if m == 0 || n == 0 {
		return Area{}, false
	}
	all := midranks(slices.Concat(won, lost))
	ownWon, ownLost := midranks(won), midranks(lost)
	over := make([]float64, m)  // of each who won: the share of those who lost that is below
	under := make([]float64, n) // of each who lost: the share of those who won that is above
	sum := 0.0
	for i := range won {
		over[i] = (all[i] - ownWon[i]) / float64(n)
		sum += over[i]
	}
	for j := range lost {
		under[j] = 1 - (all[m+j]-ownLost[j])/float64(m)
	}
	a := Area{Value: sum / float64(m), Low: 0, High: 1}
	if m > 1 && n > 1 {
		half := z95 * math.Sqrt(variance(over)/float64(m)+variance(under)/float64(n))
		a.Low, a.High = math.Max(0, a.Value-half), math.Min(1, a.Value+half)
	}
	return a, true
}

// midranks are the ranks of values from 1 on; those that are the same share the mean of theirs.
func midranks(values []float64) []float64 {
	order := make([]int, len(values))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int {
		switch {
		case values[a] < values[b]:
			return -1
		case values[a] > values[b]:
			return 1
		}
		return 0
	})
	out := make([]float64, len(values))
	for i := 0; i < len(order); {
		j := i
		for j < len(order) && values[order[j]] == values[order[i]] {
			j++
		}
		for k := i; k < j; k++ {
			out[order[k]] = float64(i+j+1) / 2
		}
		i = j
	}
	return out
}

// variance is that with n − 1.
func variance(x []float64) float64 {
	m := NewMoments(1)
	for _, v := range x {
		m.Add([]float64{v})
	}
	return m.Covariance(0, 0)
}
