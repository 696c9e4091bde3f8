package reach

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Options of a count.
type Options struct {
	Assume   *Assumption
	Budget   int           // transitions of a pass; 0 is DemandBudget
	Patience time.Duration // how long is counted before simulation takes over; 0 is 10 s
	Memory   int64         // bytes of all passes together; 0 is 192 MB
	Only     bool          // outcomes alone: no scales, combinations, influence or findings
	Samples  int           // of a simulation; 0 is 20,000
	Moved    bool          // what leaving out each question would move, too
}

// Report is what all respondents at once come to.
type Report struct {
	Exact        bool       `json:"exact"`
	States       int        `json:"states"`
	Combinations string     `json:"combinations"`
	Outcomes     []Outcome  `json:"outcomes"`
	Scales       []Scale    `json:"scales"`
	Verdicts     []Verdict  `json:"verdicts"`
	Takes        []Take     `json:"-"`
	Ties         float64    `json:"ties"`
	Questions    []Question `json:"questions"`
	Edges        []Edge     `json:"edges"`
	Findings     []Finding  `json:"findings"`
	// Assumed lists questions whose answers cannot be listed: shares of conditions on their text are a guess.
	Assumed []string `json:"assumed,omitempty"`
	// Samples is how many simulated respondents the figures rest on when they are not exact.
	Samples int `json:"samples,omitempty"`
}

// Interval is a 95 % interval (Wilson 1927).
type Interval [2]float64

// Settled says what is known of an outcome that was not counted exactly.
const (
	Reached    = "reached"
	Unsettled  = "not settled"
	Impossible = "proved unreachable"
)

// Outcome is what share of respondents ends there.
type Outcome struct {
	ID        string         `json:"id"`
	Share     float64        `json:"share"`
	Reachable bool           `json:"reachable"`
	Witness   map[string]any `json:"witness,omitzero"`
	Interval  *Interval      `json:"interval,omitempty"`
	Settled   string         `json:"settled,omitempty"`
}

// Scale is what respondents have on a scale at the end of the walk.
type Scale struct {
	ID        string      `json:"id"`
	Least     rule.Number `json:"least"`
	Most      rule.Number `json:"most"`
	Shares    []Point     `json:"distribution"`
	Simulated bool        `json:"simulated,omitempty"`
}

// Point is a value and the share of respondents who have it.
type Point struct {
	Value rule.Number
	Share float64
}

// MarshalJSON writes [value, share].
func (p Point) MarshalJSON() ([]byte, error) {
	return fmt.Appendf(nil, "[%s,%s]", p.Value, formatShare(p.Share)), nil
}

func formatShare(f float64) string {
	if f == 0 {
		return "0"
	}
	return strings.TrimSuffix(fmt.Sprintf("%v", f), "+00")
}

// Verdict is the share that a line decides: 1-based, 0 for everyone else, or "branch".
type Verdict struct {
	Line  any     `json:"line"`
	Share float64 `json:"share"`
}

// Take is the share that one part of a verdict line decides: a cut of bands, a keyword of a leader, a row of a table
// (all by position), a cell of a matrix (band of down × bands across + band of across), or a rule (part 0). Parts that
// take no one are left out.
type Take struct {
	Line    int // 1-based
	Part    int
	Outcome string
	Share   float64
}

// Question is the share that is asked it, and what it decides.
type Question struct {
	ID        string  `json:"id"`
	Asked     float64 `json:"asked"`
	Influence float64 `json:"influence"` // mutual information with the outcome in bits, given asked
	Settles   float64 `json:"settles"`   // influence as a share of all that is open about the outcome, given asked
	Matters   bool    `json:"matters"`   // false: no answer to it changes anything
	// Moved is the share of all respondents who would end elsewhere if the question gave no points and no votes, where
	// Options ask for it.
	Moved float64 `json:"moved"`
	// MovedBetween is the interval of Moved where that was simulated.
	MovedBetween *Interval `json:"moved_interval,omitempty"`
}

// Edge is the share that goes from one question on to the next asked, to an outcome by a branch, or to the finish.
type Edge struct {
	From  string  `json:"from"`
	To    string  `json:"to"`
	Share float64 `json:"share"`
}

// check counts within counting, and simulates within ctx what is too much for that.
func (c *Counter) check(ctx, counting context.Context, o Options) (*Report, error) {
	k := c.checker(ctx, counting, o)
	if err := k.outcomes(); err != nil || o.Only {
		return k.r, err
	}
	if err := cmp.Or(k.combinations(), k.scales()); err != nil {
		return nil, err
	}
	if k.o.Moved {
		if err := k.leaveOutShares(); err != nil {
			return nil, err
		}
	}
	k.findings()
	return k.r, k.ctx.Err()
}

// checker makes one report.
type checker struct {
	ctx     context.Context // of the whole check
	within  context.Context // of counting exactly: it ends when the time for that is up
	m       *model
	o       Options
	r       *Report
	counted *counted // of the outcomes; nil when simulated
	final   *final
	decides []decides
	odds    *probabilities // with decides
	c       *Counter
	counts  map[string]bool // passes whose states are in the report
}

func (c *Counter) checker(ctx, counting context.Context, o Options) *checker {
	if o.Memory == 0 {
		o.Memory = countingMemory
	}
	r := &Report{Exact: true, Assumed: c.m.assumed, Findings: []Finding{}, Scales: []Scale{}}
	return &checker{ctx: ctx, within: counting, m: c.m, o: o, c: c, r: r, counts: map[string]bool{}}
}

// count runs one pass. It returns nil without an error when that is beyond the budget.
func (k *checker) count(want purpose, combinations bool) (*counted, error) {
	key := want.key(combinations)
	c, known := k.c.passes[key]
	if !known && k.m.err == nil {
		var err error
		if c, err = k.run(want, combinations); err != nil && !beyond(err) {
			return nil, err
		}
		k.c.passes[key] = c
	}
	if c != nil && !k.counts[key] {
		k.counts[key] = true
		k.r.States += c.states() - c.deserted
	}
	return c, nil
}

// run makes a pass and counts. It returns no count with an error, which may be one of those beyond the budget.
func (k *checker) run(want purpose, combinations bool) (*counted, error) {
	if err := late(k.ctx, k.within); err != nil {
		return nil, err
	}
	most := spend{k.o.Budget, k.o.Memory - k.c.bytes}
	c, err := k.c.earlier[want.key(combinations)].recount(k.within, k.m, k.c.changed, most)
	if err != nil && k.within.Err() == nil {
		c, err = nil, nil // with the states that no one comes to any more it is too much: count without them
	}
	if err == nil && c == nil {
		k.c.Passes++
		var p *pass
		if p, err = newPass(k.within, k.m, want); err == nil {
			c, err = p.run(k.within, most, combinations)
		}
	}
	if err != nil && k.within.Err() != nil {
		err = late(k.ctx, k.within)
	}
	if err != nil {
		return nil, err
	}
	k.c.bytes += c.bytes
	return c, nil
}

func (k *checker) simulated() (*simulation, error) {
	k.r.Exact = false
	if k.c.sim == nil {
		sim, err := simulate(k.ctx, k.m, k.o.Samples)
		if err != nil {
			return nil, err
		}
		k.c.sim = sim
	}
	k.r.Samples = k.c.sim.n
	return k.c.sim, nil
}

// outcomes counts, and writes what was counted into the report.
func (k *checker) outcomes() error {
	c, err := k.count(k.everything(), false)
	if err != nil {
		return err
	}
	if c != nil {
		k.final = c.finish()
		if c, err = k.weighed(c); err != nil {
			return err
		}
	}
	if c == nil {
		sim, err := k.simulated()
		if err != nil {
			return err
		}
		sim.report(k.r)
		return nil
	}
	k.counted = c
	for i, o := range k.m.d.Outcomes {
		out := Outcome{ID: o.ID, Share: k.final.outcomes[i], Reachable: k.final.got[i]}
		if out.Reachable {
			out.Witness = k.witness(c.example(k.final, i), func(r *walk.Result) bool { return r.Outcome == o.ID })
		}
		k.r.Outcomes = append(k.r.Outcomes, out)
	}
	k.reportVerdicts()
	k.r.Ties = k.final.ties
	k.r.Questions = make([]Question, 0, k.m.n())
	for q := range k.m.n() {
		k.reportQuestion(q)
		k.reportEdges(q)
	}
	return nil
}

// weighed finds what each question decides, unless only the outcomes are wanted. It returns no count where the time was
// up before: half a report would not be exact.
func (k *checker) weighed(c *counted) (*counted, error) {
	if k.o.Only {
		return c, nil
	}
	var err error
	if k.decides, k.odds, err = c.influence(k.within, k.final); err != nil {
		return nil, k.ctx.Err()
	}
	return c, nil
}

// everything is the purpose of the pass for the outcomes. Unless it is for them alone, it tells the values that no cut
// point owns besides; and where walks turn and the verdicts look at one scale only, all of its values.
func (k *checker) everything() purpose {
	want := purpose{lines: true, below: !k.o.Only}
	if scale := k.m.onlyScale(); scale >= 0 && !k.o.Only && k.m.turns() {
		want.exact = map[int]bool{scale: true}
	}
	return want
}

// reportVerdicts writes what each line takes, what is left for everyone else, and what branches lead past the lines.
func (k *checker) reportVerdicts() {
	f := k.final
	shares := make([]float64, len(k.m.d.Verdicts))
	for i, l := range k.m.lines {
		shares[l.number-1] += f.lines[i]
		for part, share := range f.parts[i] {
			if share == 0 {
				continue
			}
			t := Take{Line: l.number, Part: l.row + part, Outcome: l.body.outcome(part), Share: share}
			k.r.Takes = append(k.r.Takes, t)
		}
	}
	for i, s := range shares {
		k.r.Verdicts = append(k.r.Verdicts, Verdict{i + 1, s})
	}
	branch := 0.0
	for _, s := range k.counted.outcome {
		branch += s
	}
	k.r.Verdicts = append(k.r.Verdicts, Verdict{0, f.rest}, Verdict{"branch", branch})
}

// settledBits is the least entropy, in bits, of which a share makes sense: below it there is nothing to settle.
const settledBits = 1e-12

func (k *checker) reportQuestion(q int) {
	row := Question{ID: k.m.d.Questions[q].ID}
	for _, p := range k.counted.tables[q].p {
		row.Asked += p
	}
	if k.decides != nil {
		d := k.decides[q]
		row.Influence, row.Matters = d.bits, d.matters
		if d.of > settledBits {
			row.Settles = min(1, row.Influence/d.of)
		}
	}
	k.r.Questions = append(k.r.Questions, row)
}

// reportEdges writes where walks go from a question.
func (k *checker) reportEdges(q int) {
	for to := -len(k.m.d.Outcomes); to <= k.m.n(); to++ {
		if to >= 0 && to <= q {
			continue
		}
		if f := k.counted.edge(q, to); f.ever {
			k.r.Edges = append(k.r.Edges, k.m.edge(q, to, f.share))
		}
	}
}

// edge is the way from question q to another one, to the number of questions for the finish, or to -1-outcome.
func (m *model) edge(q, to int, share float64) Edge {
	e := Edge{From: m.d.Questions[q].ID, To: "finish", Share: share}
	switch {
	case to < 0:
		e.To = "outcome:" + m.d.Outcomes[-1-to].ID
	case to < m.n():
		e.To = "question:" + m.d.Questions[to].ID
	}
	return e
}

// witness writes a walk as fields once it has been walked and does what it is claimed to do; else there is none.
func (k *checker) witness(in walk.Input, does func(*walk.Result) bool) map[string]any {
	r := k.m.c.Walk(in)
	if !does(r) {
		return nil
	}
	return fields(k.m.c, in, r)
}

func (k *checker) combinations() error {
	if !k.m.turns() {
		k.r.Combinations = k.m.mostCombinations().String()
		return nil
	}
	c, err := k.count(purpose{}, true)
	if err != nil {
		return err
	}
	if c != nil {
		k.r.Combinations = c.combos.String()
		return nil
	}
	k.r.Exact = false
	k.r.Combinations = k.m.mostCombinations().String()
	return nil
}

func (k *checker) scales() error {
	for i := range k.m.d.Scales {
		s := Scale{ID: k.m.d.Scales[i].ID}
		shares := k.convolved(i)
		if shares == nil {
			want := purpose{exact: map[int]bool{i: true}}
			if whole := k.everything(); whole.exact[i] {
				want = whole
			}
			var err error
			if shares, err = k.histogram(want, i); err != nil {
				return err
			}
		}
		if shares == nil {
			sim, err := k.simulated()
			if err != nil {
				return err
			}
			shares, s.Simulated = sim.scales[i].points(sim.n), true
		}
		if len(shares) > 0 {
			s.Least, s.Most = shares[0].Value, shares[len(shares)-1].Value
		}
		s.Shares = shares
		k.r.Scales = append(k.r.Scales, s)
	}
	return nil
}

// histogram is the distribution of a scale over all walks; nil when it is beyond the budget.
func (k *checker) histogram(want purpose, scale int) ([]Point, error) {
	c, err := k.count(want, false)
	if err != nil || c == nil {
		return nil, err
	}
	p := c.p
	ended := make([]mass, 0, c.tables[p.m.n()].size())
	vec := make([]int64, p.end)
	tab := &c.tables[p.m.n()]
	for s := range tab.people() {
		p.unpack(p.m.n(), tab.key(s), vec)
		ended = append(ended, mass{vec[p.scale0+scale], tab.p[s]})
	}
	// Walks that a branch sends straight to an outcome end with the scale as it is then.
	for t := range p.m.n() {
		if !c.ends(t) {
			continue
		}
		for e := range p.effects[t] {
			gives, share := p.effects[t][e].o.points[scale], p.effects[t][e].p
			for s, a := range c.arrowsOf(t, e) {
				if a.layer < 0 && !c.tables[t].isDeserted(s) {
					p.unpack(t, c.tables[t].key(s), vec)
					ended = append(ended, mass{vec[p.scale0+scale] + gives, c.tables[t].p[s] * share})
				}
			}
		}
	}
	return pointsOf(ended, p.m.scale[scale]), nil
}

// mass is the share of some of those who have a value.
type mass struct {
	value int64
	share float64
}

// pointsOf joins masses by their values, in ascending order.
func pointsOf(list []mass, u unit) []Point {
	slices.SortStableFunc(list, func(a, b mass) int { return cmp.Compare(a.value, b.value) })
	out := make([]Point, 0, len(list))
	for i, m := range list {
		if i == 0 || m.value != list[i-1].value {
			out = append(out, Point{Value: u.number(m.value)})
		}
		out[len(out)-1].Share += m.share
	}
	return out
}

// Wilson is the 95 % interval of a share of which hits of n were seen (E. B. Wilson 1927, J. Am. Stat. Assoc. 22:209).
func Wilson(hits, n int) Interval {
	if n == 0 {
		return Interval{0, 1}
	}
	const z = 1.959963984540054
	p, m := float64(hits)/float64(n), float64(n)
	centre := (p + z*z/(2*m)) / (1 + z*z/m)
	half := z / (1 + z*z/m) * math.Sqrt(p*(1-p)/m+z*z/(4*m*m))
	return Interval{max(0, centre-half), min(1, centre+half)}
}
