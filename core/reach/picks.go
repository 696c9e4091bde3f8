package reach

import (
	"cmp"
	"fmt"
	"math/big"
	"slices"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// multiple builds the allowed sets of picks choice by choice. Sets that end alike, with as many picks, are kept as
// one: of 8 choices the 218 sets of at most 5 become about 20.
func (m *model) multiple(i int, tell func(walk.Answer) string) ([]raw, error) {
	b := m.newPicker(i)
	for j := range b.q.Choices {
		if b.q.Choices[j].Exclusive {
			b.exclude(j)
		} else {
			b.offer(j)
		}
		if b.err != nil {
			return nil, b.err
		}
	}
	out := b.allowed(tell)
	b.shareOut(out)
	return merge(out), nil
}

// picker builds sets of picks.
type picker struct {
	m         *model
	i         int // of the question
	q         *quiz.Question
	least     int
	most      int
	mentioned map[string]bool // choices that conditions ask for
	exactly   bool            // a formula sees the very set
	sets      []pickSet       // of the choices so far
	alone     []pickSet       // exclusive ones
	err       error           // they are too many
}

// pickSet is a set of picks, or several that end alike.
type pickSet struct {
	raw
	picks int
}

func (m *model) newPicker(i int) *picker {
	b := &picker{m: m, i: i, q: &m.d.Questions[i], mentioned: map[string]bool{}}
	b.least, b.most = b.q.Picks()
	// Conditions see which of the choices they mention are picked, how many are, and, of one pick, which it is.
	for _, id := range m.mentioned("answer." + b.q.ID) {
		b.mentioned[id] = true
	}
	b.exactly = m.formulaUses("answer." + b.q.ID)
	b.sets = []pickSet{{raw: raw{p: 1, n: one, effect: m.answerGives(i, walk.Answer{})}}}
	return b
}

// chance is the weight of picking a choice, and of not picking it: even, or as assumed.
func (b *picker) chance(j int) (in, out float64) {
	if p, ok := b.m.assume.share(b.q.ID, b.q.Choices[j].ID); ok {
		return p, max(0, 1-p)
	}
	return 1, 1
}

// key is the same for sets that nothing can tell apart.
func (b *picker) key(s pickSet) string {
	if b.exactly {
		return strings.Join(s.answer.Picks, "|")
	}
	var seen []string
	for _, id := range s.answer.Picks {
		if b.mentioned[id] {
			seen = append(seen, id)
		}
	}
	return fmt.Sprint(effectKey(s.effect), s.picks, seen)
}

// exclude takes an exclusive choice: it makes a set of its own, and no other one has it.
func (b *picker) exclude(j int) {
	in, out := b.chance(j)
	if b.least == 1 {
		for k := range b.q.Choices {
			if k != j {
				_, not := b.chance(k)
				in *= not
			}
		}
		answer := walk.Answer{Picks: []string{b.q.Choices[j].ID}}
		b.alone = append(b.alone, pickSet{raw{p: in, n: one, effect: b.m.choiceGives(b.i, j), answer: answer}, 1})
	}
	for k := range b.sets {
		b.sets[k].p *= out
	}
}

// offer makes of each set one without a choice and one with it.
func (b *picker) offer(j int) {
	in, out := b.chance(j)
	effect := b.m.choiceGives(b.i, j)
	index := map[string]int{}
	var next []pickSet
	put := func(s pickSet) {
		k := b.key(s)
		if at, ok := index[k]; ok {
			next[at].p += s.p
			next[at].n = new(big.Int).Add(next[at].n, s.n)
			return
		}
		index[k] = len(next)
		next = append(next, s)
	}
	for n, s := range b.sets {
		if n%looksUpFrom == 0 || len(next) > maxRaw {
			if b.err = cmp.Or(b.m.roomFor(len(next)), b.m.within.Err()); b.err != nil {
				return
			}
		}
		without := s
		without.p *= out
		put(without)
		if s.picks < b.most {
			with := s
			with.p *= in
			with.picks++
			with.effect = addEffects(s.effect, effect)
			with.answer = walk.Answer{Picks: append(slices.Clone(s.answer.Picks), b.q.Choices[j].ID)}
			put(with)
		}
	}
	b.sets = next
}

// allowed are the sets that the question takes as an answer, the blank one among them.
func (b *picker) allowed(tell func(walk.Answer) string) []raw {
	var out []raw
	for _, s := range append(b.sets, b.alone...) {
		if s.picks == 0 && b.q.Required || s.picks > 0 && s.picks < b.least {
			continue
		}
		// An even blank counts as one answer more; an assumed one has its own share.
		if p, ok := b.m.assume.share(b.q.ID, ""); ok && s.picks == 0 {
			s.p = p
		}
		s.bits = tell(s.answer)
		out = append(out, s.raw)
	}
	return out
}

// shareOut makes weights probabilities. The picks share what an assumed blank leaves.
func (b *picker) shareOut(list []raw) {
	total := 0.0
	for k := range list {
		total += list[k].p
	}
	if blank, ok := b.m.assume.share(b.q.ID, ""); ok && !b.q.Required && blank < 1 {
		rest := total - blank
		for k := range list {
			if !list[k].answer.Blank() && rest > 0 {
				list[k].p *= (1 - blank) / rest
			}
		}
		if total = 1; rest <= 0 {
			total = blank
		}
	}
	for k := range list {
		if total > 0 {
			list[k].p /= total
		} else {
			list[k].p = 1 / float64(len(list))
		}
	}
}

// grid joins the rows, each answered as a single choice.
func (m *model) grid(i int, tell func(walk.Answer) string) ([]raw, error) {
	q := &m.d.Questions[i]
	none := m.answerGives(i, walk.Answer{})
	out := []raw{{p: 1, n: one, effect: none}}
	for _, row := range q.Rows {
		choices := m.single(i, q.ID+"."+row.ID, func(a walk.Answer) string { return a.Rows[row.ID] },
			func(ids []string) walk.Answer { return walk.Answer{Rows: map[string]string{row.ID: ids[0]}} })
		if err := m.roomFor(len(out) * len(choices) / 2); err != nil { // half of them at most end alike
			return nil, err
		}
		var next []raw
		for _, s := range out {
			for _, c := range choices {
				a := walk.Answer{Rows: map[string]string{}}
				for k, v := range s.answer.Rows {
					a.Rows[k] = v
				}
				for k, v := range c.answer.Rows {
					a.Rows[k] = v
				}
				if len(a.Rows) == 0 {
					a.Rows = nil
				}
				next = append(
					next,
					raw{s.p * c.p, new(big.Int).Mul(s.n, c.n), addEffects(s.effect, c.effect), a, tell(a)},
				)
			}
		}
		out = merge(next)
		if err := cmp.Or(m.roomFor(len(out)), m.within.Err()); err != nil {
			return nil, err
		}
	}
	for k := range out {
		out[k].bits = tell(out[k].answer)
	}
	return merge(out), nil
}
