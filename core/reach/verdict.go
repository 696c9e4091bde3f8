package reach

import (
	"encoding/json"
	"slices"

	"omphalos/core/fact"
	"omphalos/core/walk"
)

// decision is how a final state is decided.
type decision struct {
	line    int // position among the flat lines; -1 everyone else
	outcome int
	cut     int
	part    int // which cut, or which keyword of a leader; else 0
	tie     bool
}

// decide takes the verdict lines on a final state.
func (p *pass) decide(vec []int64) decision {
	for i := range p.m.lines[:p.last] {
		l := &p.m.lines[i]
		if !p.evaluate(int32(vec[p.lineAt[i]]), vec) {
			continue
		}
		if v, ok := l.body.decide(p, vec); ok {
			v.line = i
			return v
		}
	}
	return decision{line: -1, outcome: p.outcome(p.m.d.Otherwise), cut: -1}
}

// breakTie is the one of the keywords level at the top that leads by the line's rule.
func (p *pass) breakTie(l *leaderLine, level []int, vec []int64) int {
	first := level[0]
	if l.latest && p.steady {
		if latest := int(vec[p.latest0]) - 1; slices.Contains(level, latest) {
			return latest
		}
		return first
	}
	at := p.recent0
	if !l.latest {
		i := slices.Index(p.tieQuestions, l.question)
		if i < 0 {
			return first // the declared order
		}
		at = p.tie0 + i*p.nKeys
	}
	for _, other := range level[1:] {
		if vec[at+other] > vec[at+first] {
			first = other
		}
	}
	return first
}

func (p *pass) outcome(id string) int {
	for i := range p.m.d.Outcomes {
		if p.m.d.Outcomes[i].ID == id {
			return i
		}
	}
	return 0 // a valid document has the outcome
}

// trace follows the origins back to the first question: the answers of someone who walks this way.
func (c *counted) trace(o origin) walk.Input {
	m := c.p.m
	in := walk.Input{Answers: make(map[string]walk.Answer, m.n()), Params: map[string]string{}}
	for ; o.layer >= 0; o = c.tables[o.layer].from[o.state] {
		e := &c.p.effects[o.layer][o.effect]
		in.Answers[m.d.Questions[o.layer].ID] = e.o.answer
	}
	for slot, k := range c.p.starts[o.effect].options {
		m.slots[slot].tell(&in, m.slots[slot].options[k].text)
	}
	return in
}

// traceFinal is a walk to a final state.
func (c *counted) traceFinal(state int) walk.Input {
	return c.trace(c.tables[c.p.m.n()].from[state])
}

// tell puts the value of a visitor fact into an input.
func (s *slot) tell(in *walk.Input, value string) {
	if value == "" {
		return // it is unknown
	}
	visit := in.Visit()
	_ = fact.Find(s.fact).Set(&visit, value) // it is one of its values
	in.From(visit)
}

// example is a walk to an outcome that someone reaches.
func (c *counted) example(f *final, outcome int) walk.Input {
	if s := f.reached[outcome]; s >= 0 {
		return c.traceFinal(s)
	}
	return c.trace(c.jumped[outcome])
}

// final is what the end of a pass comes to.
type final struct {
	verdicts []decision // by state
	outcomes []float64
	lines    []float64   // by flat line
	parts    [][]float64 // by flat line: by cut or keyword, or the one of a rule or row
	rest     float64     // everyone else
	ties     float64
	tied     []float64 // by flat line
	reached  []int     // by outcome: a final state that ends there, or -1
	got      []bool
	lineGot  []bool
	partGot  [][]bool // by flat line and part
	restAt   int      // a state of everyone else, or -1
	tieAt    []int
	ever     []bool // by line: its condition held for someone
}

func (c *counted) finish() *final {
	p := c.p
	n := p.m.n()
	f := c.newFinal()
	f.verdicts = make([]decision, 0, c.tables[n].size())
	vec := make([]int64, p.end)
	tab := &c.tables[n]
	for s := range tab.size() {
		if tab.isDeserted(s) {
			f.verdicts = append(f.verdicts, decision{line: -1, cut: -1})
			continue
		}
		p.unpack(n, tab.key(s), vec)
		for i := range p.last {
			f.ever[i] = f.ever[i] || p.evaluate(int32(vec[p.lineAt[i]]), vec)
		}
		f.see(s, p.decide(vec), tab.p[s])
	}
	return f
}

// newFinal is what branches alone have decided.
func (c *counted) newFinal() *final {
	p := c.p
	f := &final{
		outcomes: append([]float64{}, c.outcome...),
		lines:    make([]float64, p.last),
		tied:     make([]float64, p.last),
		reached:  make([]int, len(c.outcome)),
		got:      make([]bool, len(c.outcome)),
		lineGot:  make([]bool, p.last),
		ever:     make([]bool, p.last),
		restAt:   -1,
		tieAt:    make([]int, p.last),
	}
	for i, o := range c.jumped {
		f.got[i], f.reached[i] = o.state >= 0, -1
	}
	for i := range p.last {
		f.tieAt[i] = -1
		parts := p.m.lines[i].body.parts(p)
		f.parts, f.partGot = append(f.parts, make([]float64, parts)), append(f.partGot, make([]bool, parts))
	}
	return f
}

// see adds a final state with its verdict and its share.
func (f *final) see(s int, v decision, share float64) {
	f.verdicts = append(f.verdicts, v)
	f.outcomes[v.outcome] += share
	if !f.got[v.outcome] {
		f.got[v.outcome], f.reached[v.outcome] = true, s
	}
	if v.line < 0 {
		f.rest += share
		if f.restAt < 0 {
			f.restAt = s
		}
		return
	}
	f.lines[v.line] += share
	f.lineGot[v.line] = true
	f.parts[v.line][v.part] += share
	f.partGot[v.line][v.part] = true
	if v.tie {
		f.ties += share
		f.tied[v.line] += share
		if f.tieAt[v.line] < 0 {
			f.tieAt[v.line] = s
		}
	}
}

// fields writes a walk's answers as form fields: the form that checks, exports and witnesses share.
func fields(c *walk.Compiled, in walk.Input, r *walk.Result) map[string]any {
	out := make(map[string]any, len(r.Path))
	for _, id := range r.Path {
		a := in.Answers[id]
		q := &c.Doc.Questions[c.Position(id)]
		if a.Blank() {
			continue
		}
		if len(a.Rows) > 0 {
			for row, choice := range a.Rows {
				out[id+"."+row] = choice
			}
			continue
		}
		out[id] = a.JSON(q)
	}
	visit := in.Visit()
	visit.Each(func(k *fact.Known, text string) {
		out[k.Name] = text
		if k.Type.Number() {
			out[k.Name] = json.Number(text)
		}
	})
	return out
}
