package reach

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"omphalos/core/fact"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Advice is the cut points that come closest to the wanted shares, and what they really give.
type Advice struct {
	Cuts   []rule.Number `json:"cuts"`   // ascending; one fewer than the shares
	Shares []float64     `json:"shares"` // of the bands, from the lowest; they sum to 1
	Off    float64       `json:"off"`    // the sum of the distances from what was wanted

	Samples int `json:"samples,omitempty"` // how many simulated respondents it rests on; 0 is exact
}

// maxAdvice bounds the values between which cut points are sought.
const maxAdvice = 2000

// Advise finds cut points for the bands of verdict line (1-based) so that their shares, from the lowest band to the
// highest, come closest to the wanted ones among the respondents who come to that line. Wanted shares are scaled to
// sum to 1. Of cut points that are equally good the lower ones are advised. Past the budget the values are
// those of simulated respondents.
func Advise(ctx context.Context, d *quiz.Document, line int, wanted []float64, o Options) (*Advice, error) {
	if line < 1 || line > len(d.Verdicts) || d.Verdicts[line-1].Bands == nil {
		return nil, fmt.Errorf("line %d has no cut points", line)
	}
	total := 0.0
	for _, w := range wanted {
		if w < 0 || math.IsNaN(w) || math.IsInf(w, 0) {
			return nil, errors.New("a target share can’t be negative")
		}
		total += w
	}
	if len(wanted) < 2 || total <= 0 {
		return nil, errors.New("set a target share for at least two bands")
	}
	arrivals, err := Arrivals(ctx, d, line, o)
	if err != nil {
		return nil, err
	}
	values := arrivals.Points
	if len(values) == 0 {
		return nil, fmt.Errorf("no respondents reach line %d", line)
	}
	if len(values) > maxAdvice {
		return nil, fmt.Errorf("this score has more than %d different values, too many to find cut points", maxAdvice)
	}
	target := make([]float64, len(wanted))
	for i, w := range wanted {
		target[i] = w / total
	}
	a := advise(values, target)
	a.Samples = arrivals.Samples
	return a, nil
}

// Distribution is how a number is spread.
type Distribution struct {
	Points  []Point // ascending; their shares sum to 1
	Samples int     // how many simulated respondents it rests on; 0 is exact
}

// Arrivals is the distribution of what a bands line looks at among the respondents who come to it: those whom no
// branch and no line before has taken, and whom its own condition lets in. Shares are of these respondents. Past the
// budget it is of simulated ones.
func Arrivals(ctx context.Context, d *quiz.Document, line int, o Options) (*Distribution, error) {
	k, stop, err := alone(ctx, d, o)
	if err != nil {
		return nil, err
	}
	defer stop()
	at, err := k.m.bandsLine(line)
	if err != nil {
		return nil, err
	}
	if at >= 0 {
		want := purpose{lines: true, last: at + 1}
		if form := k.m.lines[at].bands.form; form >= 0 {
			want.exact = map[int]bool{form: true}
		}
		counted, err := k.count(want, false)
		if err != nil {
			return nil, err
		}
		if counted != nil {
			return &Distribution{Points: counted.arrivals(at)}, nil
		}
	}
	return k.simulatedArrivals(line)
}

// bandsLine is the position of a line with cut points among the flat lines; -1 where they are too much to be made.
func (m *model) bandsLine(number int) (int, error) {
	if v := &m.d.Verdicts[number-1]; v.Off || v.Bands == nil {
		return -1, fmt.Errorf("line %d has no cut points that respondents can reach", number)
	}
	return slices.IndexFunc(m.lines, func(l line) bool { return l.number == number }), nil
}

// arrivals reads the distribution off the final states.
func (c *counted) arrivals(at int) []Point {
	values, mass := map[string]rule.Number{}, map[string]float64{}
	total := 0.0
	c.come(at, func(_ int, vec []int64, share float64) {
		v := c.p.value(c.p.m.lines[at].bands, vec)
		if v.Kind != rule.Num {
			return
		}
		key := v.Num.String()
		values[key] = v.Num
		mass[key] += share
		total += share
	})
	out := make([]Point, 0, len(mass))
	for key, share := range mass {
		out = append(out, Point{values[key], share / total})
	}
	sortPoints(out)
	return out
}

// simulatedArrivals draws respondents and keeps those who come to the line.
func (k *checker) simulatedArrivals(line int) (*Distribution, error) {
	v := &k.m.d.Verdicts[line-1]
	found, came := newTally(), 0
	samples, err := k.m.sampleEach(k.ctx, k.o.Samples, func(in walk.Input) {
		r := k.m.c.Walk(in)
		if r.Reason.Line == walk.LineBranch || r.Reason.Line > 0 && r.Reason.Line < line {
			return
		}
		facts := k.m.c.Facts(in)
		if v.When != nil && !v.When.Holds(facts) {
			return
		}
		if value := facts(v.Bands.On); value.Kind == rule.Num {
			came++
			found.see(value.Num)
		}
	})
	if err != nil {
		return nil, err
	}
	return &Distribution{Points: found.points(max(1, came)), Samples: samples}, nil
}

// advise cuts the values into len(target) bands by dynamic programming over the last cut: best[k][i] is the least
// distance of the first k bands when they hold the values before position i.
func advise(values []Point, target []float64) *Advice {
	n, bands := len(values), len(target)
	sum := make([]float64, n+1)
	for i, v := range values {
		sum[i+1] = sum[i] + v.Share
	}
	const same = 1e-12 // shares closer than this are equally good
	best := make([][]float64, bands+1)
	from := make([][]int, bands+1)
	for k := range best {
		best[k], from[k] = make([]float64, n+1), make([]int, n+1)
		for i := range best[k] {
			best[k][i] = math.Inf(1)
		}
	}
	best[0][0] = 0
	for k := 1; k <= bands; k++ {
		for i := 0; i <= n; i++ {
			for j := 0; j <= i; j++ {
				if off := best[k-1][j] + math.Abs(sum[i]-sum[j]-target[k-1]); off < best[k][i]-same {
					best[k][i], from[k][i] = off, j
				}
			}
		}
	}
	a := &Advice{Off: best[bands][n]}
	cuts := make([]int, bands+1)
	cuts[bands] = n
	for k := bands; k > 0; k-- {
		cuts[k-1] = from[k][cuts[k]]
	}
	for k := range bands {
		a.Shares = append(a.Shares, sum[cuts[k+1]]-sum[cuts[k]])
	}
	a.Cuts = make([]rule.Number, bands-1)
	for k := bands - 2; k >= 0; k-- {
		at := cuts[k+1]
		if at < n {
			a.Cuts[k] = values[at].Value
		} else { // no one is to reach the band above: its cut is over all values
			a.Cuts[k] = values[n-1].Value.Add(rule.Int(1))
		}
		if k < bands-2 &&
			a.Cuts[k].Cmp(a.Cuts[k+1]) >= 0 { // an empty band between two cuts ends just below the upper one
			a.Cuts[k] = a.Cuts[k+1].Sub(rule.MustNumber("0.0001"))
		}
	}
	return a
}

// Odds are the shares of the outcomes for someone who has answered what in.Answers holds and may yet answer the rest
// in any way: at any point of a walk, where it is heading. An outcome with all of the odds is settled.
func Odds(ctx context.Context, d *quiz.Document, in walk.Input, o Options) ([]Outcome, error) {
	counting, stop := o.counting(ctx)
	defer stop()
	c := Counter{}
	if err := c.startModel(ctx, counting, d, o); err != nil {
		return nil, err
	}
	c.m.pin(in)
	o.Only = true
	r, err := c.check(ctx, counting, o)
	if err != nil {
		return nil, err
	}
	return r.Outcomes, nil
}

// pin leaves a visitor fact the one value that it has in the input, if it has one.
func (s *slot) pin(in walk.Input) {
	visit := in.Visit()
	value := fact.Find(s.fact).Text(&visit)
	if value == "" {
		return
	}
	at := len(s.options) - 1
	for k := range s.options {
		if s.options[k].text == value {
			at = k
			break
		}
		if s.options[k].text == fact.Elsewhere {
			at = k
		}
	}
	s.options = []option{s.options[at]}
	s.options[0].p = 1
}

// pinAnswer leaves a question the one answer that was given.
func (m *model) pinAnswer(slot int, a walk.Answer) error {
	s := &m.slots[slot]
	q := &m.d.Questions[s.q]
	o := option{p: 1, n: one, answer: a, points: make([]int64, len(m.scale)), votes: make([]int64, len(m.keyword))}
	e := m.c.Effect(s.q, a)
	for k, n := range e.Points {
		v, err := m.scale[k].integer(n)
		if err != nil {
			return err
		}
		o.points[k] = v
	}
	for k, n := range e.Votes {
		v, err := m.keyword[k].integer(n)
		if err != nil {
			return err
		}
		o.votes[k] = v
	}
	for _, id := range s.atoms {
		o.truth = append(o.truth, rule.Compare(m.valueOf(q, a, m.atoms[id].fact), m.atoms[id].op, m.atoms[id].operand))
	}
	if len(s.values) > 1 {
		s.values = []walk.Answer{{}, a}
		o.value = 1
	}
	s.options = []option{o}
	return nil
}

// Band is one band of a verdict line: the share of all respondents whom it decides, the least value among them, and
// someone who has just that value.
type Band struct {
	From    rule.Number    `json:"from"`
	Outcome string         `json:"outcome"`
	Share   float64        `json:"share"`
	Least   *rule.Number   `json:"least,omitempty"` // nil: no one is in the band
	Witness map[string]any `json:"witness,omitzero"`
}

// Boundaries returns the bands of a verdict line (1-based) with someone at the lower boundary of each.
func Boundaries(ctx context.Context, d *quiz.Document, line int, o Options) ([]Band, error) {
	if line < 1 || line > len(d.Verdicts) || d.Verdicts[line-1].Bands == nil {
		return nil, fmt.Errorf("line %d has no cut points", line)
	}
	k, stop, err := alone(ctx, d, o)
	if err != nil {
		return nil, err
	}
	defer stop()
	at, err := k.m.bandsLine(line)
	if err != nil {
		return nil, err
	}
	if at < 0 {
		return nil, errBudget
	}
	bands := k.m.lines[at].bands
	want := purpose{lines: true, last: at + 1}
	if bands.form >= 0 {
		want.exact = map[int]bool{bands.form: true}
	}
	counted, err := k.count(want, false)
	if err != nil {
		return nil, err
	}
	if counted == nil {
		return nil, errBudget
	}
	return k.boundaries(counted, at), nil
}

// boundaries reads the bands of a flat line off the final states.
func (k *checker) boundaries(c *counted, at int) []Band {
	m, line := k.m, k.m.lines[at].number
	bands := m.lines[at].bands
	out := make([]Band, len(bands.cuts))
	state := make([]int, len(out))
	for i, cut := range bands.cuts {
		out[i].From, out[i].Outcome = cut, bands.outcomes[i]
	}
	n, vec := m.n(), make([]int64, c.p.end)
	for s := range c.tables[n].people() {
		c.p.unpack(n, c.tables[n].key(s), vec)
		v := c.p.decide(vec)
		if v.line != at {
			continue
		}
		b := &out[v.cut]
		b.Share += c.tables[n].p[s]
		if value := c.p.value(bands, vec); b.Least == nil || value.Num.Cmp(*b.Least) < 0 {
			b.Least, state[v.cut] = &value.Num, s
		}
	}
	for i := range out {
		if out[i].Least != nil {
			out[i].Witness = k.witness(c.traceFinal(state[i]), func(r *walk.Result) bool {
				return r.Reason.Line == line && r.Reason.Cut == i
			})
		}
	}
	return out
}
