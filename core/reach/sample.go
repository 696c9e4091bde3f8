package reach

import (
	"math/rand/v2"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// sampler draws answers by the assumption, straight from the document: it needs no list of all answers, so it also
// serves questions whose answers are too many to list.
type sampler struct {
	*rand.Rand
	m *model
}

// weighted draws a position with the given weights; with none above 0 it is even.
func (s *sampler) weighted(weights []float64) int {
	total := 0.0
	for _, w := range weights {
		total += w
	}
	if total <= 0 {
		return s.IntN(len(weights))
	}
	f := s.Float64() * total
	for i, w := range weights {
		if f -= w; f < 0 {
			return i
		}
	}
	return len(weights) - 1
}

// choice draws one of the choices by their shares under the field, or -1 for blank.
func (s *sampler) choice(q *quiz.Question, field string) int {
	weights := make([]float64, 0, len(q.Choices)+1)
	put := func(value string) {
		w := 1.0
		if share, ok := s.m.assume.share(field, value); ok {
			w = share
		}
		weights = append(weights, w)
	}
	for i := range q.Choices {
		put(q.Choices[i].ID)
	}
	if !q.Required {
		put("")
	}
	if at := s.weighted(weights); at < len(q.Choices) {
		return at
	}
	return -1
}

// answer draws an answer to the question at position i.
func (s *sampler) answer(i int) walk.Answer {
	q := &s.m.d.Questions[i]
	switch q.Kind {
	case quiz.Single:
		if q.ChoicesFrom == nil {
			if at := s.choice(q, q.ID); at >= 0 {
				return walk.Answer{Picks: []string{q.Choices[at].ID}}
			}
			return walk.Answer{}
		}
	case quiz.Grid:
		a := walk.Answer{Rows: map[string]string{}}
		for _, r := range q.Rows {
			if at := s.choice(q, q.ID+"."+r.ID); at >= 0 {
				a.Rows[r.ID] = q.Choices[at].ID
			}
		}
		if len(a.Rows) == 0 {
			a.Rows = nil
		}
		return a
	case quiz.Multiple:
		return s.picks(q)
	case quiz.Rating, quiz.NumberQ:
		if q.From != nil && q.To != nil {
			return s.number(q)
		}
	case quiz.Statement:
		return walk.Answer{}
	}
	list, _ := s.m.open(i, func(a walk.Answer) string { return a.Value(q).String() }) // every one apart
	weights := make([]float64, len(list))
	for k := range list {
		weights[k] = list[k].p
	}
	return list[s.weighted(weights)].answer
}

func (s *sampler) number(q *quiz.Question) walk.Answer {
	step := q.Increment()
	last, _ := rule.Ratio(q.To.Sub(*q.From), step).Floor().Scaled(0)
	at := func(k int64) walk.Answer {
		n := q.From.Add(step.Mul(rule.Int(k)))
		return walk.Answer{Number: &n}
	}
	if s.m.assume != nil && s.m.assume.Answers[q.ID] != nil {
		var values []walk.Answer
		var weights []float64
		for k := int64(0); k <= last; k++ {
			a := at(k)
			if w := s.m.assume.Answers[q.ID][a.Number.String()]; w > 0 {
				values, weights = append(values, a), append(weights, w)
			}
		}
		if !q.Required {
			values, weights = append(values, walk.Answer{}), append(weights, s.m.assume.Answers[q.ID][""])
		}
		if len(values) > 0 {
			return values[s.weighted(weights)]
		}
	}
	blank := int64(0)
	if !q.Required {
		blank = 1
	}
	if k := s.Int64N(last + 1 + blank); k <= last {
		return at(k)
	}
	return walk.Answer{}
}

// tries bounds how often a set of picks is drawn anew until it is an allowed one.
const tries = 10_000

// picks draws an allowed set: even sets by their size first, assumed ones pick by pick.
func (s *sampler) picks(q *quiz.Question) walk.Answer {
	least, most := q.Picks()
	var open []int
	alone := 0
	for j := range q.Choices {
		if !q.Choices[j].Exclusive {
			open = append(open, j)
		} else if least == 1 {
			alone++
		}
	}
	take := func(set []int) walk.Answer {
		in := make([]bool, len(q.Choices))
		for _, j := range set {
			in[j] = true
		}
		var a walk.Answer
		for j := range q.Choices {
			if in[j] {
				a.Picks = append(a.Picks, q.Choices[j].ID)
			}
		}
		return a
	}
	if s.m.assume != nil && s.m.assume.Answers[q.ID] != nil {
		shares := s.m.assume.Answers[q.ID]
		if !q.Required && s.Float64() < shares[""] {
			return walk.Answer{}
		}
		for range tries {
			var set []int
			exclusive := false
			for j := range q.Choices {
				if s.Float64() < shares[q.Choices[j].ID] {
					set = append(set, j)
					exclusive = exclusive || q.Choices[j].Exclusive
				}
			}
			if n := len(set); n >= least && n <= most && (n == 1 || !exclusive) {
				return take(set)
			}
		}
	}
	// How many sets there are of each size, then which one.
	weights := make([]float64, most+1)
	ways := 1.0
	for n := 0; n <= most && n <= len(open); n++ {
		if n >= least {
			weights[n] = ways
		}
		ways = ways * float64(len(open)-n) / float64(n+1)
	}
	if !q.Required {
		weights[0] = 1
	}
	weights = append(weights, float64(alone))
	n := s.weighted(weights)
	if n == most+1 {
		at := s.IntN(alone)
		for j := range q.Choices {
			if q.Choices[j].Exclusive {
				if at == 0 {
					return take([]int{j})
				}
				at--
			}
		}
	}
	s.Shuffle(len(open), func(a, b int) { open[a], open[b] = open[b], open[a] })
	return take(open[:n])
}
