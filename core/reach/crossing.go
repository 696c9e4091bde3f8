package reach

import (
	"context"
	"fmt"
	"slices"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/verdict"
	"omphalos/core/walk"
)

// Crossing is how those who come to a matrix spread over it.
type Crossing struct {
	Came   float64      // the share of all respondents who come to the line, both of its numbers known
	Across []Point      // how the two numbers are spread among them; the shares sum to 1
	Down   []Point      //
	Joint  []JointPoint // both at once, by across, then by down; shares of all respondents
	Cells  [][]CrossCell
	// By cut point: who is nearest above it, the nearest of the other number too.
	AcrossCuts, DownCuts []Boundary

	Samples int // how many simulated respondents it rests on; 0 is exact
}

// JointPoint is a pair of values, and the share of all respondents who have it.
type JointPoint struct {
	Across, Down rule.Number
	Share        float64
}

func (p JointPoint) same(q JointPoint) bool {
	return p.Across.Cmp(q.Across) == 0 && p.Down.Cmp(q.Down) == 0
}

// CrossCell is a pair of bands. Cells are by band of down and of across; the first of each is what is below the lowest
// cut point.
type CrossCell struct {
	Share   float64
	Reached bool
	Witness map[string]any // someone in it, as near to its lower cut points as there is
}

// Boundary is someone just above a cut point.
type Boundary struct {
	Value   *rule.Number // nil where no one is in the band above it
	Witness map[string]any
}

// Cross spreads the respondents who come to a matrix over it: those whom no branch and no line before has taken, and
// whom its own condition lets in.
func Cross(ctx context.Context, d *quiz.Document, line int, o Options) (*Crossing, error) {
	if line < 1 || line > len(d.Verdicts) || d.Verdicts[line-1].Matrix == nil || d.Verdicts[line-1].Off {
		return nil, fmt.Errorf("line %d isn’t a matrix that respondents reach", line)
	}
	k, stop, err := alone(ctx, d, o)
	if err != nil {
		return nil, err
	}
	defer stop()
	out := newCrossing(d.Verdicts[line-1].Matrix)
	at := slices.IndexFunc(k.m.lines, numbered(line))
	if at >= 0 {
		want := purpose{lines: true, last: at + 1, exact: map[int]bool{}}
		for _, b := range k.m.lines[at].cutsIn() {
			if b.form >= 0 {
				want.exact[b.form] = true
			}
		}
		counted, err := k.count(want, false)
		if err != nil {
			return nil, err
		}
		if counted != nil {
			k.cross(out, counted, at)
			return out.summarize(), nil
		}
	}
	return out, k.simulateCross(out, line)
}

// numbered tells the flat lines of a verdict line.
func numbered(n int) func(line) bool { return func(l line) bool { return l.number == n } }

func newCrossing(m *quiz.Matrix) *Crossing {
	out := &Crossing{Cells: make([][]CrossCell, len(m.Down.Cuts)+1)}
	for d := range out.Cells {
		out.Cells[d] = make([]CrossCell, len(m.Across.Cuts)+1)
	}
	out.AcrossCuts, out.DownCuts = make([]Boundary, len(m.Across.Cuts)), make([]Boundary, len(m.Down.Cuts))
	return out
}

// nearest is the state whose values are the least among those seen, by the first value and then the second.
type nearest struct {
	state  int // -1: none yet
	values [2]rule.Number
}

func (n *nearest) see(state int, values [2]rule.Number) {
	c := values[0].Cmp(n.values[0])
	if n.state < 0 || c < 0 || c == 0 && values[1].Cmp(n.values[1]) < 0 {
		n.state, n.values = state, values
	}
}

func newNearest(n int) []nearest { return slices.Repeat([]nearest{{state: -1}}, n) }

// cross reads the crossing off the final states.
func (k *checker) cross(out *Crossing, c *counted, at int) {
	x, number := k.m.lines[at].matrix, k.m.lines[at].number
	across, down := newNearest(len(out.AcrossCuts)+1), newNearest(len(out.DownCuts)+1) // by band
	cells := make([][]nearest, len(out.Cells))
	for d := range cells {
		cells[d] = newNearest(len(out.Cells[d]))
	}
	c.come(at, func(s int, vec []int64, share float64) {
		u, v := c.p.value(x.across, vec), c.p.value(x.down, vec)
		if u.Kind != rule.Num || v.Kind != rule.Num {
			return
		}
		a, d := verdict.OwningBand(x.across.cuts, u)+1, verdict.OwningBand(x.down.cuts, v)+1
		out.see(u.Num, v.Num, share)
		cell := &out.Cells[d][a]
		cell.Share, cell.Reached = cell.Share+share, true
		cells[d][a].see(s, [2]rule.Number{u.Num, v.Num})
		across[a].see(s, [2]rule.Number{u.Num, v.Num})
		down[d].see(s, [2]rule.Number{v.Num, u.Num})
	})
	anybody := func(*walk.Result) bool { return true }
	for d := range cells {
		for a, n := range cells[d] {
			if n.state < 0 {
				continue
			}
			does := func(r *walk.Result) bool {
				return r.Reason.Line == number && r.Reason.Row == d-1 && r.Reason.Cut == a-1
			}
			if a == 0 || d == 0 || x.outcomes[d-1][a-1] == "" {
				does = anybody
			}
			out.Cells[d][a].Witness = k.witness(c.traceFinal(n.state), does)
		}
	}
	for _, edge := range []struct {
		bands []nearest
		cuts  []Boundary
	}{{across, out.AcrossCuts}, {down, out.DownCuts}} {
		for i, n := range edge.bands[1:] {
			if n.state >= 0 {
				edge.cuts[i] = Boundary{&n.values[0], k.witness(c.traceFinal(n.state), anybody)}
			}
		}
	}
}

// come calls f for every final state that comes to a flat line and meets its condition.
func (c *counted) come(at int, f func(s int, vec []int64, share float64)) {
	p, n := c.p, c.p.m.n()
	vec := make([]int64, p.end)
	for s := range c.tables[n].people() {
		p.unpack(n, c.tables[n].key(s), vec)
		if v := p.decide(vec); v.line >= 0 && v.line < at || !p.evaluate(int32(vec[p.lineAt[at]]), vec) {
			continue
		}
		f(s, vec, c.tables[n].p[s])
	}
}

func (x *Crossing) see(across, down rule.Number, share float64) {
	x.Came += share
	x.Joint = append(x.Joint, JointPoint{across, down, share})
}

// summarize orders what was seen, and sums it up.
func (x *Crossing) summarize() *Crossing {
	slices.SortFunc(x.Joint, func(a, b JointPoint) int {
		if c := a.Across.Cmp(b.Across); c != 0 {
			return c
		}
		return a.Down.Cmp(b.Down)
	})
	merged := x.Joint[:0]
	for _, p := range x.Joint {
		if last := len(merged) - 1; last >= 0 && merged[last].same(p) {
			merged[last].Share += p.Share
			continue
		}
		merged = append(merged, p)
	}
	x.Joint = merged
	x.Across = x.marginal(func(p JointPoint) rule.Number { return p.Across })
	x.Down = x.marginal(func(p JointPoint) rule.Number { return p.Down })
	return x
}

func (x *Crossing) marginal(of func(JointPoint) rule.Number) []Point {
	list := make([]Point, 0, len(x.Joint))
	for _, p := range x.Joint {
		list = append(list, Point{of(p), p.Share})
	}
	sortPoints(list)
	out := list[:0]
	for _, p := range list {
		if last := len(out) - 1; last >= 0 && out[last].Value.Cmp(p.Value) == 0 {
			out[last].Share += p.Share
		} else {
			out = append(out, p)
		}
	}
	if x.Came > 0 {
		for i := range out {
			out[i].Share /= x.Came
		}
	}
	return slices.Clone(out)
}

// simulateCross draws respondents and keeps those who come to the line.
func (k *checker) simulateCross(out *Crossing, line int) error {
	v := &k.m.d.Verdicts[line-1]
	type seen struct{ across, down rule.Number }
	var list []seen
	n, err := k.m.sampleEach(k.ctx, k.o.Samples, func(in walk.Input) {
		r := k.m.c.Walk(in)
		if r.Reason.Line == walk.LineBranch || r.Reason.Line > 0 && r.Reason.Line < line {
			return
		}
		facts := k.m.c.Facts(in)
		if v.When != nil && !v.When.Holds(facts) {
			return
		}
		across, down := facts(v.Matrix.Across.On), facts(v.Matrix.Down.On)
		if across.Kind != rule.Num || down.Kind != rule.Num {
			return
		}
		list = append(list, seen{across.Num, down.Num})
		row, column := verdict.OwningBand(v.Matrix.Down.Cuts, down), verdict.OwningBand(v.Matrix.Across.Cuts, across)
		cell := &out.Cells[row+1][column+1]
		if cell.Share++; cell.Witness == nil {
			cell.Reached, cell.Witness = true, fields(k.m.c, in, r)
		}
	})
	if err != nil {
		return err
	}
	out.Samples = n
	for d := range out.Cells {
		for a := range out.Cells[d] {
			out.Cells[d][a].Share /= float64(max(1, n))
		}
	}
	for _, s := range list {
		out.see(s.across, s.down, 1/float64(n))
	}
	out.summarize()
	return nil
}
