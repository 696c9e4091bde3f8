package reach

import (
	"slices"

	"omphalos/core/fact"
	"omphalos/core/quiz"
)

// useAt is where something is looked at: when a question is about to be asked, after its answer, or at the end.
type useAt struct {
	kind useKind
	q    int
}

type useKind uint8

const (
	useVisible useKind = iota
	useBranch
	useFinal
)

// uses is a set of such places.
type uses struct {
	visible, branch []bool
	final           bool
}

func (p *pass) newUses() *uses {
	return &uses{visible: make([]bool, p.m.n()), branch: make([]bool, p.m.n())}
}

func (p *pass) mark(u **uses, at useAt) {
	if *u == nil {
		*u = p.newUses()
	}
	switch at.kind {
	case useVisible:
		(*u).visible[at.q] = true
	case useBranch:
		(*u).branch[at.q] = true
	default:
		(*u).final = true
	}
}

// findUses collects which numbers are looked at where.
func (p *pass) findUses() {
	m := p.m
	p.uses = make([][]*uses, len(m.forms))
	for f := range m.forms {
		p.uses[f] = make([]*uses, len(m.forms[f].thresholds))
	}
	p.exactUses = make([]*uses, len(m.forms))
	p.answerUses = make([]*uses, len(m.slots))
	p.led = make([]bool, p.nKeys)
	for _, r := range p.roots {
		m.each(r.tree, func(id int) { p.useAtom(&m.atoms[id], r.where) })
	}
	for i := range m.lines[:p.last] {
		m.lines[i].body.use(p)
		if p.like != nil {
			m.each(m.lines[i].when, func(id int) { p.useAtom(&m.atoms[id], useAt{kind: useFinal}) })
		}
	}
	for f := range p.exact {
		p.mark(&p.exactUses[f], useAt{kind: useFinal})
	}
	p.compareLists()
	p.below = slices.Repeat([]int{-1}, len(m.forms))
	for i := range m.lines[:p.last] {
		if b := m.lines[i].bands; p.wantsBelow && b != nil && b.form >= 0 && !b.blank {
			p.below[b.form] = max(p.below[b.form], slices.Min(b.at))
		}
	}
}

// useAtom marks what a condition looks at.
func (p *pass) useAtom(a *atom, at useAt) {
	switch a.kind {
	case atomRange:
		for _, s := range a.ranges {
			p.useThresholds(a.form, []int{s.from, s.to}, at)
		}
	case atomLeader:
		everyone := slices.Repeat([]bool{true}, p.nKeys)
		p.useLead(everyone, at)
	case atomComputed:
		p.useFormula(a.formula, at)
	}
}

// useThresholds marks thresholds of a form; those below 0 stand for no bound.
func (p *pass) useThresholds(form int, thresholds []int, at useAt) {
	for _, j := range thresholds {
		if j >= 0 {
			p.mark(&p.uses[form][j], at)
		}
	}
}

// useLead marks that the keywords listed are compared.
func (p *pass) useLead(listed []bool, at useAt) {
	p.mark(&p.leadUses, at)
	p.lists = append(p.lists, listed)
	for k, in := range listed {
		p.led[k] = p.led[k] || in
	}
}

// compareLists finds what the lists of keywords that are compared allow to be forgotten. A keyword that trails another
// by more than it can gain may be dropped if every list that has it has the other too; and none may be where a number
// of votes is looked at itself, or where lists differ: the lead in one says nothing of another's.
func (p *pass) compareLists() {
	m := p.m
	for k, in := range p.led {
		if in {
			p.compared = append(p.compared, k)
		}
	}
	p.dominates = make([][]bool, p.nKeys)
	for i := range p.nKeys {
		p.dominates[i] = make([]bool, p.nKeys)
		for j := range p.nKeys {
			ok := i != j && p.led[i]
			for _, l := range p.lists {
				ok = ok && (!l[i] || l[j])
			}
			p.dominates[i][j] = ok
		}
	}
	for _, l := range p.lists {
		p.pinned = p.pinned || !slices.Equal(l, p.lists[0])
	}
	started := slices.ContainsFunc(m.d.Keywords, func(k quiz.Keyword) bool { return k.Start.Sign() != 0 })
	p.steady = p.isSteady()
	p.pinned = p.pinned || started && !p.steady
	for k := range p.nKeys {
		f := 2*p.nScales + k
		used := slices.ContainsFunc(p.uses[f], func(u *uses) bool { return u != nil })
		p.pinned = p.pinned || used || p.exactUses[f] != nil
	}
	p.voting = started && !p.pinned
	if p.like != nil { // the two are read alike
		p.pinned, p.voting = p.like.pinned, p.like.voting
	}
}

// isSteady reports whether votes only ever add up.
func (p *pass) isSteady() bool {
	for s := p.m.visitors; s < len(p.m.slots); s++ {
		for k := range p.m.slots[s].options {
			if slices.ContainsFunc(p.m.slots[s].options[k].votes, func(v int64) bool { return v < 0 }) {
				return false
			}
		}
	}
	return true
}

// useFormula marks everything that a formula looks at as wanted exactly.
func (p *pass) useFormula(i int, at useAt) {
	if i < 0 || p.m.formulas[i] == nil {
		return
	}
	for _, name := range p.m.formulas[i].Names() {
		family, id := fact.FamilyOf(name)
		switch family.Class {
		case fact.Answer:
			if s := p.m.slotOf(name); s >= 0 && p.like == nil {
				p.mark(&p.answerUses[s], at)
			}
		case fact.Score, fact.Percent, fact.Votes:
			p.mark(&p.exactUses[p.m.formOf(family.Class, id)], at)
		case fact.Formula:
			for k, c := range p.m.d.Computed[:i] {
				if c.ID == id {
					p.useFormula(k, at)
				}
			}
		}
	}
}
