package insight

import (
	"cmp"
	"math"
	"slices"
)

// Graded is a score with what came of it.
type Graded struct {
	Score float64
	Won   bool
}

// Graded are the deals that are known, with the value of a scale.
func (l *Learner) Graded(scale int) []Graded {
	out := make([]Graded, len(l.deals))
	for i, d := range l.deals {
		out[i] = Graded{d.scales[scale], d.won}
	}
	return out
}

// Point is a point of a ROC curve: the shares of the lost and of the won that a threshold calls won.
type Point struct{ Lost, Won float64 }

// ROC is the receiver operating characteristic of a score: a point for each threshold, from none to all, those with the
// same score together. The area under it by trapezoids is AUC. It is nil unless there is someone on each side.
func ROC(list []Graded) []Point {
	sorted := slices.Clone(list)
	slices.SortFunc(sorted, func(a, b Graded) int { return cmp.Compare(b.Score, a.Score) })
	won := 0
	for _, g := range list {
		if g.Won {
			won++
		}
	}
	lost := len(list) - won
	if won == 0 || lost == 0 {
		return nil
	}
	out := []Point{{}}
	var hits, misses int
	for i, g := range sorted {
		if g.Won {
			hits++
		} else {
			misses++
		}
		if i+1 == len(sorted) || sorted[i+1].Score != g.Score {
			out = append(out, Point{float64(misses) / float64(lost), float64(hits) / float64(won)})
		}
	}
	return out
}

// Band is how many deals of a range of a score were won, with the 95 % interval of their share (Wilson 1927).
type Band struct {
	From, To  float64 // To is not in it; the last band has none above: +Inf
	Won, Of   int
	Low, High float64
}

// Share is the won rate of a band; 0 where there is no deal.
func (b Band) Share() float64 { return Rate{b.Won, b.Of}.Share() }

// Bands are the won rates between cut points, which ascend; below the first one is a band too, from −Inf on. A score
// that is right has rates that ascend.
func Bands(list []Graded, cuts []float64) []Band {
	out := []Band{{From: math.Inf(-1)}}
	for _, c := range cuts {
		out[len(out)-1].To = c
		out = append(out, Band{From: c})
	}
	out[len(out)-1].To = math.Inf(1)
	for _, g := range list {
		i, on := slices.BinarySearch(cuts, g.Score)
		if on {
			i++
		}
		if out[i].Of++; g.Won {
			out[i].Won++
		}
	}
	for i := range out {
		out[i].Low, out[i].High = Wilson(Rate{out[i].Won, out[i].Of})
	}
	return out
}

// Fifths are cut points that part the scores into at most five bands of about as many deals each.
func Fifths(list []Graded) []float64 {
	const bands = 5
	sorted := make([]float64, len(list))
	for i, g := range list {
		sorted[i] = g.Score
	}
	slices.Sort(sorted)
	var out []float64
	for k := 1; k < bands && len(sorted) > 0; k++ {
		at := sorted[k*len(sorted)/bands]
		if at > sorted[0] && (len(out) == 0 || at > out[len(out)-1]) {
			out = append(out, at)
		}
	}
	return out
}
