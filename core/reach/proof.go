package reach

import "strings"

// Where counting is too much, a cheap proof still settles many outcomes: it looks at one number at a time, with the
// least and most that it can be, and takes both sides of every comparison that these leave open.

// maybe is the truth of a condition as far as the proof knows it.
type maybe uint8

const (
	surelyNot maybe = iota
	surely
	perhaps
)

// reached by number: the least and most that a form can be at the end, and anywhere on the way.
type extent struct{ lo, hi, everLo, everHi int64 }

type proof struct {
	m       *model
	extents []extent // by form
}

// possible returns the outcomes that the proof cannot rule out.
func (m *model) possible() map[string]bool {
	p := &pass{m: m}
	p.plantRoots()
	f := proof{m: m}
	for i := range m.forms {
		f.extents = append(f.extents, p.extentOf(&m.forms[i]))
	}
	out := map[string]bool{}
	for q := range m.n() {
		for b, tree := range m.branches[q] {
			id, ends := strings.CutPrefix(m.d.Questions[q].Branches[b].Go, "outcome:")
			if ends && f.truth(tree, false) != surelyNot {
				out[id] = true
			}
		}
	}
	for i := range m.lines {
		if f.lineGives(&m.lines[i], p, out) == surely {
			return out
		}
	}
	out[m.d.Otherwise] = true
	return out
}

// wholePercent is what a percent can be held against: thresholds of percents are twice 10⁻⁴ percent.
var wholePercent = extent{0, 2_000_000, 0, 2_000_000}

// extentOf is between what values a form stays on any walk.
func (p *pass) extentOf(frm *form) extent {
	var begin int64
	var add func(_ int, o *option) int64
	switch frm.kind {
	case formPercent:
		return wholePercent
	case formKeyword:
		begin = p.startVotes(frm.at)
		add = func(_ int, o *option) int64 { return o.votes[frm.at] }
	default:
		// Too large a start is no start: nothing is ruled out by it.
		begin, _ = p.m.scale[frm.at].integer(p.m.d.Scales[frm.at].Start)
		add = func(_ int, o *option) int64 { return o.points[frm.at] }
	}
	low, high := p.extremes(add)
	lo, hi := p.spread(begin, low, high)
	n := p.m.n()
	e := extent{lo[n], hi[n], lo[0], hi[0]}
	for t := range lo {
		e.everLo, e.everHi = min(e.everLo, lo[t]), max(e.everHi, hi[t])
	}
	return e
}

// lineGives adds the outcomes that a verdict line may give, and tells whether it decides for everyone who comes to it.
func (f *proof) lineGives(l *line, p *pass, out map[string]bool) maybe {
	when := f.truth(l.when, true)
	if when == surelyNot {
		return surelyNot
	}
	return both(when, l.body.gives(f, p, out))
}

func (f *proof) inBand(b *bandsLine, cut int) bool {
	if b.form < 0 || b.blank {
		return !b.blank
	}
	if f.meets(b.form, b.at[cut], true) == surelyNot {
		return false
	}
	return cut+1 == len(b.cuts) || f.meets(b.form, b.at[cut+1], true) != surely
}

// meets says whether a form is at or above its threshold j, at the end or anywhere.
func (f *proof) meets(form, j int, atEnd bool) maybe {
	if j < 0 {
		return surely
	}
	e, at := f.extents[form], f.m.forms[form].thresholds[j]
	lo, hi := e.everLo, e.everHi
	if atEnd {
		lo, hi = e.lo, e.hi
	}
	switch {
	case lo >= at:
		return surely
	case hi < at:
		return surelyNot
	}
	return perhaps
}

func (f *proof) truth(tree int32, atEnd bool) maybe {
	n := &f.m.forest.nodes[tree]
	switch n.kind {
	case nodeFalse:
		return surelyNot
	case nodeTrue:
		return surely
	case nodeAtom:
		a := &f.m.atoms[n.atom]
		if a.kind != atomRange {
			return perhaps
		}
		out := surelyNot
		for _, r := range a.ranges {
			over, under := surely, surely
			if r.from >= 0 {
				over = f.meets(a.form, r.from, atEnd)
			}
			if r.to >= 0 {
				under = not(f.meets(a.form, r.to, atEnd))
			}
			out = either(out, both(over, under))
		}
		return out
	case nodeAll:
		out := surely
		for _, k := range n.kids {
			out = both(out, f.truth(k, atEnd))
		}
		return out
	case nodeSome:
		sure, open := 0, 0
		for _, k := range n.kids {
			switch f.truth(k, atEnd) {
			case surely:
				sure++
			case perhaps:
				open++
			}
		}
		switch {
		case sure >= n.need:
			return surely
		case sure+open < n.need:
			return surelyNot
		}
		return perhaps
	}
	out := surelyNot
	for _, k := range n.kids {
		out = either(out, f.truth(k, atEnd))
	}
	if n.kind == nodeNone {
		return not(out)
	}
	return out
}

func not(a maybe) maybe {
	switch a {
	case surely:
		return surelyNot
	case surelyNot:
		return surely
	}
	return perhaps
}

func both(a, b maybe) maybe {
	switch {
	case a == surelyNot || b == surelyNot:
		return surelyNot
	case a == surely && b == surely:
		return surely
	}
	return perhaps
}

func either(a, b maybe) maybe { return not(both(not(a), not(b))) }
