package insight

import (
	"maps"
	"math"
	"slices"
)

// Spread is how often each value of a number came. The zero Spread is empty and ready to use.
type Spread struct {
	counts map[float64]int
	n      int
}

// Bin is a range of values with how many are in it: From is in it, To is not.
type Bin struct {
	From, To float64
	Count    int
}

// Add counts a value.
func (s *Spread) Add(x float64) { s.AddMany(x, 1) }

// AddMany counts a value so many times.
func (s *Spread) AddMany(x float64, n int) {
	if s.counts == nil {
		s.counts = map[float64]int{}
	}
	s.counts[x] += n
	s.n += n
}

// N is how many values were added.
func (s *Spread) N() int { return s.n }

// From is how many values are x or more.
func (s *Spread) From(x float64) int {
	n := 0
	for value, count := range s.counts {
		if value >= x {
			n += count
		}
	}
	return n
}

// Bins are at most so many ranges of one width, 1, 2 or 5 times a power of ten and not under 1, that together hold all
// values. There are none of no values.
func (s *Spread) Bins(most int) []Bin {
	if s.n == 0 || most < 1 {
		return nil
	}
	low, high := math.Inf(1), math.Inf(-1)
	for x := range s.counts {
		low, high = math.Min(low, x), math.Max(high, x)
	}
	width := 1.0
	for k := 0; math.Floor(high/width)-math.Floor(low/width)+1 > float64(most); k++ {
		width *= []float64{2, 2.5, 2}[k%3]
	}
	start := math.Floor(low / width)
	bins := make([]Bin, int(math.Floor(high/width)-start)+1)
	for i := range bins {
		bins[i].From, bins[i].To = (start+float64(i))*width, (start+float64(i)+1)*width
	}
	for x, count := range s.counts {
		bins[int(math.Floor(x/width)-start)].Count += count
	}
	return bins
}

// Best is the lowest value that at most a share of all values, from 0 to 1, reach, and the share that does. ok is false
// where even the highest value is reached by more.
func (s *Spread) Best(share float64) (from, reached float64, ok bool) {
	n := 0
	for _, x := range slices.Backward(slices.Sorted(maps.Keys(s.counts))) {
		n += s.counts[x]
		if float64(n) > share*float64(s.n) {
			break
		}
		from, reached, ok = x, float64(n)/float64(s.n), true
	}
	return from, reached, ok
}
