package reach

import (
	"context"
	"maps"
	"math"

	"omphalos/core/walk"
)

// verdict is how a final state is decided.
type verdict struct {
	line    int // position among the flat lines; -1 everyone else
	outcome int
	cut     int
	part    int // which cut, or which keyword of a leader; else 0
	tie     bool
}

// decide takes the verdict lines on a final state.
func (p *pass) decide(vec []int64) verdict {
	for i := range p.m.lines[:p.last] {
		l := &p.m.lines[i]
		if !p.holds(int32(vec[p.lineAt[i]]), vec) {
			continue
		}
		switch {
		case l.bands != nil:
			if cut := p.cut(l.bands, vec); cut >= 0 {
				return verdict{line: i, outcome: p.outcome(l.bands.cuts[cut].Outcome), cut: cut, part: cut}
			}
		case l.leader != nil:
			level, ok := p.top(vec, l.leader.listed)
			if !ok {
				continue
			}
			k := level[0]
			if at := p.ranksOf(l.leader); at >= 0 {
				for _, other := range level[1:] {
					if vec[at+other] > vec[at+k] {
						k = other
					}
				}
			}
			return verdict{line: i, outcome: p.outcome(l.leader.outcomes[k]), cut: -1, part: k, tie: len(level) > 1}
		default:
			return verdict{line: i, outcome: p.outcome(l.outcome), cut: -1}
		}
	}
	return verdict{line: -1, outcome: p.outcome(p.m.d.Otherwise), cut: -1}
}

// ranksOf is where the ranks that break a leader's ties stand, or -1 for the declared order.
func (p *pass) ranksOf(l *leaderLine) int {
	if l.latest {
		return p.recent0
	}
	for i, q := range p.tieQuestions {
		if q == l.question {
			return p.tie0 + i*p.nKeys
		}
	}
	return -1
}

// cut is the band that owns the value, or -1.
func (p *pass) cut(b *bandsLine, vec []int64) int {
	if b.form < 0 {
		return walk.OwningCut(b.cuts, p.compute(b.computed, vec))
	}
	for i := len(b.cuts) - 1; i >= 0; i-- {
		if b.at[i] < 0 || p.meets(b.form, b.at[i], vec) {
			return i
		}
	}
	return -1
}

func (p *pass) outcome(id string) int {
	for i := range p.m.d.Outcomes {
		if p.m.d.Outcomes[i].ID == id {
			return i
		}
	}
	return 0 // a valid document has the outcome
}

// trace follows the origins back to the first question: the answers of somebody who walks this way.
func (c *counted) trace(o origin) walk.Input {
	m := c.p.m
	in := walk.Input{Answers: map[string]walk.Answer{}, Params: map[string]string{}}
	for ; o.layer >= 0; o = c.tables[o.layer].from[o.state] {
		e := &c.p.effects[o.layer][o.effect]
		in.Answers[m.d.Questions[o.layer].ID] = e.o.answer
	}
	for slot, k := range c.p.starts[o.effect].options {
		m.slots[slot].tell(&in, m.slots[slot].options[k].text)
	}
	return in
}

// tell puts the value of a visitor fact into an input.
func (s *slot) tell(in *walk.Input, value string) {
	switch s.fact {
	case "visitor.country":
		in.Visitor.Country = value
	case "visitor.language":
		in.Visitor.Language = value
	case "visitor.device":
		in.Visitor.Device = value
	case "today":
		in.Today = value
	default:
		in.Params[s.fact[len("param."):]] = value
	}
}

// here is the origin of a final state, for tracing.
func (c *counted) here(t, state int) origin {
	c.expand()
	return c.tables[t].from[state]
}

// example is a walk to an outcome that somebody reaches.
func (c *counted) example(f *final, outcome int) walk.Input {
	if s := f.reached[outcome]; s >= 0 {
		return c.trace(c.here(c.p.m.n(), s))
	}
	return c.trace(c.jumped[outcome])
}

// final is what the end of a pass comes to.
type final struct {
	verdicts []verdict // by state
	outcomes []float64
	lines    []float64   // by flat line
	parts    [][]float64 // by flat line: by cut or keyword, or the one of a rule or row
	rest     float64     // everyone else
	ties     float64
	tied     []float64 // by flat line
	reached  []int     // by outcome: a final state that ends there, or -1
	got      []bool
	lineGot  []bool
	cutGot   [][]bool
	restAt   int // a state of everyone else, or -1
	tieAt    []int
	ever     []bool // by line: its condition held for somebody
}

func (c *counted) finish() *final {
	p := c.p
	n := p.m.n()
	f := &final{
		outcomes: append([]float64{}, c.outcome...),
		lines:    make([]float64, p.last),
		tied:     make([]float64, p.last),
		reached:  make([]int, len(c.outcome)),
		got: make(
			[]bool,
			len(c.outcome),
		),
		lineGot: make([]bool, p.last),
		ever:    make([]bool, p.last),
		restAt:  -1,
		tieAt:   make([]int, p.last),
	}
	for i, o := range c.jumped {
		f.got[i], f.reached[i] = o.state >= 0, -1
	}
	for i := range p.last {
		f.tieAt[i] = -1
		var cuts []bool
		parts := 1
		switch l := &p.m.lines[i]; {
		case l.bands != nil:
			cuts, parts = make([]bool, len(l.bands.cuts)), len(l.bands.cuts)
		case l.leader != nil:
			parts = p.nKeys
		}
		f.cutGot, f.parts = append(f.cutGot, cuts), append(f.parts, make([]float64, parts))
	}
	vec := make([]int64, p.end)
	tab := &c.tables[n]
	for s := range tab.keys {
		p.unpack(n, tab.keys[s], vec)
		for i := range p.last {
			f.ever[i] = f.ever[i] || p.holds(int32(vec[p.lineAt[i]]), vec)
		}
		v := p.decide(vec)
		f.verdicts = append(f.verdicts, v)
		f.outcomes[v.outcome] += tab.p[s]
		if !f.got[v.outcome] {
			f.got[v.outcome], f.reached[v.outcome] = true, s
		}
		if v.line < 0 {
			f.rest += tab.p[s]
			if f.restAt < 0 {
				f.restAt = s
			}
			continue
		}
		f.lines[v.line] += tab.p[s]
		f.lineGot[v.line] = true
		f.parts[v.line][v.part] += tab.p[s]
		if v.cut >= 0 {
			f.cutGot[v.line][v.cut] = true
		}
		if v.tie {
			f.ties += tab.p[s]
			f.tied[v.line] += tab.p[s]
			if f.tieAt[v.line] < 0 {
				f.tieAt[v.line] = s
			}
		}
	}
	return f
}

// decides is what a question decides.
type decides struct {
	bits    float64 // mutual information of answer and outcome, given that it is asked
	of      float64 // entropy of the outcome, given that it is asked
	matters bool    // some answer changes the odds of some outcome for somebody
}

// influence goes backwards over the kept layers: from the odds of each outcome at every state, what each question
// decides. It ends with the context's error.
func (c *counted) influence(ctx context.Context, f *final) ([]decides, error) {
	p := c.p
	n, outs := p.m.n(), len(c.outcome)
	odds := make([][]float64, n+1)
	odds[n] = make([]float64, len(c.tables[n].keys)*outs)
	for s, v := range f.verdicts {
		odds[n][s*outs+v.outcome] = 1
	}
	out := make([]decides, n)
	for t := n - 1; t >= 0; t-- {
		effects := p.effects[t]
		states := len(c.tables[t].keys)
		odds[t] = make([]float64, states*outs)
		joint := make([]float64, len(effects)*outs)
		asked := 0.0
		for s := range states {
			if s%looksUpFrom == 0 && ctx.Err() != nil {
				return nil, ctx.Err()
			}
			mass := c.tables[t].p[s]
			asked += mass
			first := arrow{}
			for e := range effects {
				a := c.arrows[t][s*len(effects)+e]
				if e == 0 {
					first = a
				}
				if a.layer < 0 {
					odds[t][s*outs+int(a.to)] += effects[e].p
					joint[e*outs+int(a.to)] += mass * effects[e].p
				} else {
					for o := range outs {
						v := odds[a.layer][int(a.to)*outs+o] * effects[e].p
						odds[t][s*outs+o] += v
						joint[e*outs+o] += mass * v
					}
				}
				if !out[t].matters && a != first {
					for o := range outs {
						if math.Abs(c.at(odds, a, o, outs)-c.at(odds, first, o, outs)) > 1e-12 {
							out[t].matters = true
						}
					}
				}
			}
		}
		if asked > 0 {
			out[t].bits, out[t].of = information(joint, len(effects), outs, asked)
		}
	}
	return out, nil
}

func (c *counted) at(odds [][]float64, a arrow, o, outs int) float64 {
	if a.layer >= 0 {
		return odds[a.layer][int(a.to)*outs+o]
	}
	if int(a.to) == o {
		return 1
	}
	return 0
}

// information is the mutual information in bits of a joint distribution that sums to total, and the entropy of its
// columns (Shannon 1948, section 9 and 12).
func information(joint []float64, rows, columns int, total float64) (mutual, entropy float64) {
	row, col := make([]float64, rows), make([]float64, columns)
	for r := range rows {
		for c := range columns {
			v := joint[r*columns+c] / total
			row[r] += v
			col[c] += v
		}
	}
	for r := range rows {
		for c := range columns {
			if v := joint[r*columns+c] / total; v > 0 {
				mutual += v * math.Log2(v/(row[r]*col[c]))
			}
		}
	}
	for _, v := range col {
		if v > 0 {
			entropy -= v * math.Log2(v)
		}
	}
	return max(0, mutual), entropy
}

// fields writes a walk's answers as form fields: the form that checks, exports and witnesses share.
func fields(c *walk.Compiled, in walk.Input, r *walk.Result) map[string]any {
	out := map[string]any{}
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
	put := func(name, v string) {
		if v != "" {
			out[name] = v
		}
	}
	put("visitor.country", in.Visitor.Country)
	put("visitor.language", in.Visitor.Language)
	put("visitor.device", in.Visitor.Device)
	put("today", in.Today)
	for name := range maps.Keys(in.Params) {
		put("param."+name, in.Params[name])
	}
	return out
}
