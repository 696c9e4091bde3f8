package reach

import (
	"fmt"
	"math/big"
	"omphalos/core/walk"
	"slices"
	"strings"
)

// multiple builds the allowed sets of picks choice by choice; sets that end alike are kept as one.
func (m *model) multiple(i int, tell func(walk.Answer) string) ([]raw, error) {
	q := &m.d.Questions[i]
	least, most := q.Picks()
	chance := func(id string) (in, out float64) {
		if p, ok := m.assume.share(q.ID, id); ok {
			return p, max(0, 1-p)
		}
		return 1, 1
	}
	// Conditions see which of the choices they mention are picked, how many are, and, of one pick, which it is.
	mentioned := map[string]bool{}
	for _, id := range m.mentioned("answer." + q.ID) {
		mentioned[id] = true
	}
	exactly := m.formulaUses("answer." + q.ID)
	type partial struct {
		raw
		picks int
	}
	key := func(p partial) string {
		if exactly {
			return strings.Join(p.answer.Picks, "|")
		}
		var seen []string
		for _, id := range p.answer.Picks {
			if mentioned[id] {
				seen = append(seen, id)
			}
		}
		return fmt.Sprint(effectKey(p.effect), p.picks, seen)
	}
	sets := []partial{{raw: raw{p: 1, n: one, effect: m.c.Effect(i, walk.Answer{})}}}
	var alone []partial
	for j := range q.Choices {
		in, out := chance(q.Choices[j].ID)
		e := m.c.ChoiceEffect(i, j)
		if q.Choices[j].Exclusive {
			if least == 1 {
				p := in
				for k := range q.Choices {
					if k != j {
						_, not := chance(q.Choices[k].ID)
						p *= not
					}
				}
				alone = append(alone, partial{raw{p: p, n: one, effect: e, answer: walk.Answer{Picks: []string{q.Choices[j].ID}}}, 1})
			}
			for k := range sets {
				sets[k].p *= out
			}
			continue
		}
		index := map[string]int{}
		var next []partial
		put := func(p partial) {
			k := key(p)
			if at, ok := index[k]; ok {
				next[at].p += p.p
				next[at].n = new(big.Int).Add(next[at].n, p.n)
				return
			}
			index[k] = len(next)
			next = append(next, p)
		}
		for _, s := range sets {
			without := s
			without.p *= out
			put(without)
			if s.picks < most {
				with := s
				with.p *= in
				with.picks++
				with.effect = addEffects(s.effect, e)
				with.answer = walk.Answer{Picks: append(slices.Clone(s.answer.Picks), q.Choices[j].ID)}
				put(with)
			}
		}
		if sets = next; len(sets) > maxRaw {
			return nil, errManyAnswers
		}
	}
	var out []raw
	total := 0.0
	for _, s := range append(sets, alone...) {
		if s.picks == 0 && q.Required || s.picks > 0 && s.picks < least {
			continue
		}
		if s.picks == 0 { // an even blank counts as one answer more; an assumed one has its own share
			if p, ok := m.assume.share(q.ID, ""); ok {
				s.p = p
			}
		}
		s.bits = tell(s.answer)
		total += s.p
		out = append(out, s.raw)
	}
	if blank, ok := m.assume.share(q.ID, ""); ok && !q.Required && blank < 1 { // the picks share what the blank leaves
		rest := total - blank
		for k := range out {
			if !out[k].answer.Blank() && rest > 0 {
				out[k].p *= (1 - blank) / rest
			}
		}
		total = 1
		if rest <= 0 {
			total = blank
		}
	}
	for k := range out {
		if total > 0 {
			out[k].p /= total
		} else {
			out[k].p = 1 / float64(len(out))
		}
	}
	return merge(out), nil
}

// grid joins the rows, each answered as a single choice.
func (m *model) grid(i int, tell func(walk.Answer) string) ([]raw, error) {
	q := &m.d.Questions[i]
	none := m.c.Effect(i, walk.Answer{})
	out := []raw{{p: 1, n: one, effect: none}}
	for _, row := range q.Rows {
		choices := m.single(i, q.ID+"."+row.ID, func(a walk.Answer) string { return a.Rows[row.ID] },
			func(id string) walk.Answer { return walk.Answer{Rows: map[string]string{row.ID: id}} })
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
				next = append(next, raw{s.p * c.p, new(big.Int).Mul(s.n, c.n), addEffects(s.effect, c.effect), a, tell(a)})
			}
		}
		if out = merge(next); len(out) > maxRaw {
			return nil, errManyAnswers
		}
	}
	for k := range out {
		out[k].bits = tell(out[k].answer)
	}
	return merge(out), nil
}
