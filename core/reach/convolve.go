package reach

import "slices"

// convolved is the distribution of a scale where every walk asks every question: what they give is independent, so that
// the distribution of their sum is the convolution of theirs. It is nil where walks turn, where there are more values
// than transitions may be counted, and once the time for counting is up.
func (k *checker) convolved(scale int) []Point {
	m := k.m
	if m.turns() {
		return nil
	}
	least, err := m.scale[scale].of(m.d.Scales[scale].Start)
	if err != nil {
		return nil
	}
	sum, next, work := []flow{{1, true}}, []flow{}, 0
	for _, s := range m.slots[m.visitors:] {
		low, span := s.span(scale)
		if work += len(s.options) * (len(sum) + int(span)); work > k.o.Budget || k.within.Err() != nil {
			return nil
		}
		next = slices.Grow(next[:0], len(sum)+int(span))[:len(sum)+int(span)]
		clear(next)
		for i := range s.options {
			to := next[s.options[i].points[scale]-low:][:len(sum)]
			for v, f := range sum {
				to[v].join(flow{f.share * s.options[i].p, f.ever})
			}
		}
		sum, next, least = next, sum, least+low
	}
	out := make([]Point, 0, len(sum))
	for v, f := range sum {
		if f.ever {
			out = append(out, Point{m.scale[scale].number(least + int64(v)), f.share})
		}
	}
	return out
}

// span is the least that a question gives a scale, and how much more the most is.
func (s *slot) span(scale int) (low, span int64) {
	low = s.options[0].points[scale]
	high := low
	for i := range s.options {
		v := s.options[i].points[scale]
		low, high = min(low, v), max(high, v)
	}
	return low, high - low
}
