package reach

import (
	"math/rand/v2"

	"omphalos/core/kind"
	"omphalos/core/walk"
)

// sampler draws answers by the assumption, straight from the document: it needs no list of all answers, so it also
// serves questions whose answers are too many to list. What does not change from one draw to the next is worked out
// beforehand.
type sampler struct {
	*rand.Rand
	m     *model
	facts []kind.Wheel         // by visitor fact, over its options
	draws []func() walk.Answer // by question
}

func newSampler(m *model) *sampler {
	s := &sampler{Rand: rand.New(rand.NewPCG(0x0a9b, 0x10c5)), m: m}
	for i := range m.slots[:m.visitors] {
		var weights []float64
		for _, o := range m.slots[i].options {
			weights = append(weights, o.p)
		}
		s.facts = append(s.facts, kind.NewWheel(weights))
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
		slot.tell(in, slot.options[s.facts[i].Turn(s.Rand)].text)
	}
	for i := range s.draws {
		in.Answers[s.m.d.Questions[i].ID] = s.draws[i]()
	}
}

// drawing returns what draws an answer to the question at position i.
func (s *sampler) drawing(i int) func() walk.Answer {
	if a, pinned := s.m.pinned[i]; pinned {
		return func() walk.Answer { return a }
	}
	none := func(walk.Answer) string { return "" }
	return kind.Of(&s.m.d.Questions[i]).Draw(s.m.listing(i, none), s.Rand)
}
