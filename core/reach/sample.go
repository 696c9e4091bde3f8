package reach

import (
	"math/rand/v2"
	"slices"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// sampler draws answers by the assumption, straight from the document: it needs no list of all answers, so it also
// serves questions whose answers are too many to list. What does not change from one draw to the next is worked out
// beforehand.
type sampler struct {
	*rand.Rand
	m     *model
	facts []wheel              // by visitor fact, over its options
	draws []func() walk.Answer // by question
}

func newSampler(m *model) *sampler {
	s := &sampler{Rand: rand.New(rand.NewPCG(0x0a9b, 0x10c5)), m: m}
	for i := range m.slots[:m.visitors] {
		var weights []float64
		for _, o := range m.slots[i].options {
			weights = append(weights, o.p)
		}
		s.facts = append(s.facts, newWheel(weights))
	}
	for i := range m.d.Questions {
		s.draws = append(s.draws, s.drawing(i))
	}
	return s
}

// next draws a respondent into in.
func (s *sampler) next(in *walk.Input) {
	for i := range s.facts {
		slot := &s.m.slots[i]
		slot.tell(in, slot.options[s.turn(s.facts[i])].text)
	}
	for i := range s.draws {
		in.Answers[s.m.d.Questions[i].ID] = s.draws[i]()
	}
}

// wheel draws a position with given weights: it holds their running sums.
type wheel []float64

// newWheel makes a wheel; with no weight above 0 it is even.
func newWheel(weights []float64) wheel {
	w := make(wheel, len(weights))
	total := 0.0
	for i := range weights {
		total += weights[i]
		w[i] = total
	}
	if total <= 0 {
		for i := range w {
			w[i] = float64(i + 1)
		}
	}
	return w
}

func (s *sampler) turn(w wheel) int {
	f := s.Float64() * w[len(w)-1]
	for i, sum := range w {
		if f < sum {
			return i
		}
	}
	return len(w) - 1
}

// among draws one of some answers.
func (s *sampler) among(answers []walk.Answer, weights []float64) func() walk.Answer {
	w := newWheel(weights)
	return func() walk.Answer { return answers[s.turn(w)] }
}

// choices are the weights of the choices of a field, and last that of a blank, where it may be one.
func (s *sampler) choices(q *quiz.Question, field string) []float64 {
	names := make([]string, 0, len(q.Choices)+1)
	for i := range q.Choices {
		names = append(names, q.Choices[i].ID)
	}
	if !q.Required {
		names = append(names, "")
	}
	weights := make([]float64, len(names))
	for i, name := range names {
		weights[i] = 1
		if share, ok := s.m.assume.share(field, name); ok {
			weights[i] = share
		}
	}
	return weights
}

// drawing returns what draws an answer to the question at position i.
func (s *sampler) drawing(i int) func() walk.Answer {
	if a, pinned := s.m.pinned[i]; pinned {
		return func() walk.Answer { return a }
	}
	q := &s.m.d.Questions[i]
	switch q.Kind {
	case quiz.Single:
		if q.ChoicesFrom == nil {
			answers := make([]walk.Answer, len(q.Choices)+1) // the last is blank
			for j := range q.Choices {
				answers[j] = walk.Answer{Picks: []string{q.Choices[j].ID}}
			}
			return s.among(answers, s.choices(q, q.ID))
		}
	case quiz.Grid:
		return s.grid(q)
	case quiz.Multiple:
		return s.picks(q)
	case quiz.Rating, quiz.NumberQ:
		if q.From != nil && q.To != nil {
			return s.number(q)
		}
	case quiz.Statement:
		return func() walk.Answer { return walk.Answer{} }
	}
	list, _ := s.m.open(i, func(a walk.Answer) string { return a.Value(q).String() }) // every one apart
	answers, weights := make([]walk.Answer, len(list)), make([]float64, len(list))
	for k := range list {
		answers[k], weights[k] = list[k].answer, list[k].p
	}
	return s.among(answers, weights)
}

func (s *sampler) grid(q *quiz.Question) func() walk.Answer {
	wheels := make([]wheel, len(q.Rows))
	for r := range q.Rows {
		wheels[r] = newWheel(s.choices(q, q.ID+"."+q.Rows[r].ID))
	}
	return func() walk.Answer {
		rows := make(map[string]string, len(wheels))
		for r, w := range wheels {
			if at := s.turn(w); at < len(q.Choices) {
				rows[q.Rows[r].ID] = q.Choices[at].ID
			}
		}
		if len(rows) == 0 {
			return walk.Answer{}
		}
		return walk.Answer{Rows: rows}
	}
}

func (s *sampler) number(q *quiz.Question) func() walk.Answer {
	step := q.Increment()
	last, _ := rule.Ratio(q.To.Sub(*q.From), step).Floor().Scaled(0)
	at := func(k int64) walk.Answer {
		n := q.From.Add(step.Mul(rule.Int(k)))
		return walk.Answer{Number: &n}
	}
	if s.m.assume != nil && s.m.assume.Answers[q.ID] != nil {
		if answers, weights := s.assumedNumbers(q, last, at); len(answers) > 0 {
			return s.among(answers, weights)
		}
	}
	blank := int64(1)
	if q.Required {
		blank = 0
	}
	return func() walk.Answer {
		if k := s.Int64N(last + 1 + blank); k <= last {
			return at(k)
		}
		return walk.Answer{}
	}
}

// assumedNumbers are the numbers of the range that have an assumed share, in ascending order, and the blank.
func (s *sampler) assumedNumbers(
	q *quiz.Question, last int64, at func(int64) walk.Answer,
) (answers []walk.Answer, weights []float64) {
	shares := s.m.assume.Answers[q.ID]
	for text, share := range shares {
		n, err := rule.ParseNumber(text)
		if err != nil || share <= 0 {
			continue
		}
		k, whole := rule.Ratio(n.Sub(*q.From), q.Increment()).Scaled(0)
		if whole && k >= 0 && k <= last {
			answers = append(answers, at(k))
		}
	}
	slices.SortFunc(answers, func(a, b walk.Answer) int { return a.Number.Cmp(*b.Number) })
	for _, a := range answers {
		weights = append(weights, shares[a.Number.String()])
	}
	if !q.Required {
		answers, weights = append(answers, walk.Answer{}), append(weights, shares[""])
	}
	return answers, weights
}

// picks draws an allowed set: even sets by their size first, assumed ones choice by choice.
func (s *sampler) picks(q *quiz.Question) func() walk.Answer {
	even := s.evenPicks(q)
	if s.m.assume == nil || s.m.assume.Answers[q.ID] == nil {
		return even
	}
	p := newPickOdds(q, s.m.assume.Answers[q.ID])
	return func() walk.Answer {
		if !q.Required && s.Float64() < p.shares[""] {
			return walk.Answer{}
		}
		kind := s.turn(p.kinds)
		switch {
		case p.none:
			return even()
		case kind > 0:
			return walk.Answer{Picks: []string{p.alone[kind-1]}}
		}
		var picks []string
		for j, id := range p.open {
			share := min(1, p.shares[id])
			with := share * p.rest[j+1][len(picks)+1]
			if without := (1 - share) * p.rest[j+1][len(picks)]; s.Float64()*(with+without) < with {
				picks = append(picks, id)
			}
		}
		return walk.Answer{Picks: picks}
	}
}

// pickOdds are the chances by which picks are drawn one after the other, given that they come to an allowed set: each
// choice is picked or not by its own share, and sets that are not allowed do not happen.
type pickOdds struct {
	shares map[string]float64
	open   []string // choices that go with others
	alone  []string // exclusive ones
	kinds  wheel    // a set of open choices, or one of the exclusive ones
	none   bool     // no allowed set has a chance
	// rest[j][n] is the chance that n picks among the open choices before j, with what is picked from j on, make a set
	// of an allowed size.
	rest [][]float64
}

func newPickOdds(q *quiz.Question, shares map[string]float64) *pickOdds {
	p := &pickOdds{shares: shares}
	least, most := q.Picks()
	for j := range q.Choices {
		if !q.Choices[j].Exclusive {
			p.open = append(p.open, q.Choices[j].ID)
		} else if least == 1 {
			p.alone = append(p.alone, q.Choices[j].ID)
		}
	}
	p.rest = make([][]float64, len(p.open)+1)
	for j := len(p.open); j >= 0; j-- {
		p.rest[j] = make([]float64, len(p.open)+2)
		for n := 0; n <= j; n++ {
			switch {
			case j < len(p.open):
				share := min(1, shares[p.open[j]])
				p.rest[j][n] = share*p.rest[j+1][n+1] + (1-share)*p.rest[j+1][n]
			case n >= least && n <= most:
				p.rest[j][n] = 1
			}
		}
	}
	p.weighKinds(q)
	return p
}

// weighKinds weighs sets of open choices against each exclusive choice alone.
func (p *pickOdds) weighKinds(q *quiz.Question) {
	nobody := func(but string, exclusive bool) float64 {
		product := 1.0
		for j := range q.Choices {
			if c := &q.Choices[j]; c.ID != but && (c.Exclusive || !exclusive) {
				product *= max(0, 1-p.shares[c.ID])
			}
		}
		return product
	}
	weights := []float64{nobody("", true) * p.rest[0][0]}
	total := weights[0]
	for _, id := range p.alone {
		w := p.shares[id] * nobody(id, false)
		weights, total = append(weights, w), total+w
	}
	p.kinds, p.none = newWheel(weights), total <= 0
}

// evenPicks draws how many are picked, by how many sets there are of each size, and then which.
func (s *sampler) evenPicks(q *quiz.Question) func() walk.Answer {
	least, most := q.Picks()
	var open, alone []int
	for j := range q.Choices {
		if !q.Choices[j].Exclusive {
			open = append(open, j)
		} else if least == 1 {
			alone = append(alone, j)
		}
	}
	weights := make([]float64, most+1, most+2)
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
	sizes := newWheel(append(weights, float64(len(alone))))
	return func() walk.Answer {
		n := s.turn(sizes)
		switch {
		case n == 0:
			return walk.Answer{}
		case n > most:
			return walk.Answer{Picks: []string{q.Choices[alone[s.IntN(len(alone))]].ID}}
		}
		for i := range n { // the first n of a shuffle
			j := i + s.IntN(len(open)-i)
			open[i], open[j] = open[j], open[i]
		}
		set := slices.Sorted(slices.Values(open[:n]))
		picks := make([]string, n)
		for i, j := range set {
			picks[i] = q.Choices[j].ID
		}
		return walk.Answer{Picks: picks}
	}
}
