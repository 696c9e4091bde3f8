package reach

// leastShare is how small a share may get and still be told from none.
const leastShare = 1e-300

// convolved is the distribution of a scale where every walk asks every question: what they give is independent, so that
// the distribution of their sum is the convolution of theirs. It is nil where walks turn, where there are more values
// than transitions may be counted, and once the time for counting is up.
func (k *checker) convolved(scale int) []Point {
	m := k.m
	if m.turns() {
		return nil
	}
	least, err := m.scale[scale].integer(m.d.Scales[scale].Start)
	if err != nil {
		return nil
	}
	sum, next, work, rarest := []float64{1}, []float64{}, 0, 1.0
	for i := m.visitors; i < len(m.slots); i++ {
		s := &m.slots[i]
		low, span := s.span(scale)
		rarest *= s.rarest()
		if work += len(s.options) * (len(sum) + int(span)); work > k.o.Budget || k.within.Err() != nil {
			return nil
		}
		next = zeroed(next, len(sum)+int(span))
		for k := range s.options {
			o := &s.options[k]
			to, share := next[o.points[scale]-low:][:len(sum)], o.p
			for v, f := range sum {
				to[v] += f * share
			}
		}
		sum, next, least = next, sum, least+low
	}
	var had []bool // where the shares of values that someone has may be too small to tell
	if rarest < leastShare {
		had = m.attained(scale)
	}
	out := make([]Point, 0, len(sum))
	for v, f := range sum {
		if f > 0 || had != nil && had[v] {
			out = append(out, Point{m.scale[scale].number(least + int64(v)), f})
		}
	}
	return out
}

// attained tells which values, from the least on, someone has who is asked every question.
func (m *model) attained(scale int) []bool {
	sum := []bool{true}
	for i := m.visitors; i < len(m.slots); i++ {
		s := &m.slots[i]
		low, span := s.span(scale)
		next := make([]bool, len(sum)+int(span))
		for k := range s.options {
			to := next[s.options[k].points[scale]-low:]
			for v, had := range sum {
				to[v] = to[v] || had
			}
		}
		sum = next
	}
	return sum
}

// rarest is the share of the answer that the fewest give.
func (s *slot) rarest() float64 {
	least := 1.0
	for i := range s.options {
		least = min(least, s.options[i].p)
	}
	return least
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
