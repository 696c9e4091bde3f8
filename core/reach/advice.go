package reach

import (
	"context"
	"errors"
	"fmt"
	"math"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Advice is the cut points that come closest to the wanted shares, and what they really give.
type Advice struct {
	Cuts   []rule.Number `json:"cuts"`   // ascending; one fewer than the shares
	Shares []float64     `json:"shares"` // of the bands, from the lowest; they sum to 1
	Off    float64       `json:"off"`    // the sum of the distances from what was wanted
}

// maxAdvice bounds the values between which cut points are sought.
const maxAdvice = 2000

// Advise finds cut points for the bands of verdict line (1-based) so that their shares, from the lowest band to the
// highest, come closest to the wanted ones among the respondents who come to that line. Wanted shares are scaled to
// sum to 1. Of cut points that are equally good the lower ones are advised. Past the budget, or on values that cannot
// be listed, it is an error.
func Advise(ctx context.Context, d *quiz.Document, line int, wanted []float64, o Options) (*Advice, error) {
	if line < 1 || line > len(d.Verdicts) || d.Verdicts[line-1].Bands == nil {
		return nil, fmt.Errorf("line %d has no cut points", line)
	}
	total := 0.0
	for _, w := range wanted {
		if w < 0 || math.IsNaN(w) || math.IsInf(w, 0) {
			return nil, errors.New("a wanted share is 0 or more")
		}
		total += w
	}
	if len(wanted) < 2 || total <= 0 {
		return nil, errors.New("give a wanted share for each of at least two bands")
	}
	values, err := Arrivals(ctx, d, line, o)
	if err != nil {
		return nil, err
	}
	if len(values) == 0 {
		return nil, fmt.Errorf("nobody comes to line %d", line)
	}
	if len(values) > maxAdvice {
		return nil, fmt.Errorf("there are more than %d values to cut between", maxAdvice)
	}
	target := make([]float64, len(wanted))
	for i, w := range wanted {
		target[i] = w / total
	}
	return advise(values, target), nil
}

// Arrivals is the distribution of what a bands line looks at among the respondents who come to it: those whom no
// branch and no line before has taken, and whom its own condition lets in. Shares are of these respondents.
func Arrivals(ctx context.Context, d *quiz.Document, line int, o Options) ([]Point, error) {
	m, err := newModel(d, o.Assume)
	if err != nil {
		return nil, err
	}
	if m.err != nil {
		return nil, m.err
	}
	at := -1
	for i, l := range m.lines {
		if l.number == line && l.bands != nil {
			at = i
		}
	}
	if at < 0 {
		return nil, fmt.Errorf("line %d has no cut points that count", line)
	}
	want := purpose{lines: true, last: at + 1}
	bands := m.lines[at].bands
	if bands.form >= 0 {
		want.exact = map[int]bool{bands.form: true}
	}
	p, err := newPass(m, want)
	if err != nil {
		return nil, err
	}
	budget := o.Budget
	if budget == 0 {
		budget = DemandBudget
	}
	c, err := p.run(ctx, budget, false)
	if err != nil {
		return nil, err
	}
	n, vec := m.n(), make([]int64, p.end)
	found := tally{map[string]int{}, map[string]rule.Number{}, 0}
	mass := map[string]float64{}
	total := 0.0
	for s := range c.tables[n].keys {
		p.unpack(n, c.tables[n].keys[s], vec)
		if v := p.decide(vec); v.line >= 0 && v.line < at || !p.holds(int32(vec[p.lineAt[at]]), vec) {
			continue
		}
		v := p.value(bands, vec)
		if v.Kind != rule.Num {
			continue
		}
		key := v.Num.String()
		found.values[key] = v.Num
		mass[key] += c.tables[n].p[s]
		total += c.tables[n].p[s]
	}
	out := make([]Point, 0, len(mass))
	for key, share := range mass {
		out = append(out, Point{found.values[key], share / total})
	}
	sortPoints(out)
	return out, nil
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
		} else { // nobody is to reach the band above: its cut is over all values
			a.Cuts[k] = values[n-1].Value.Add(rule.Int(1))
		}
		if k < bands-2 &&
			a.Cuts[k].Cmp(a.Cuts[k+1]) >= 0 { // an empty band between two cuts ends just below the upper one
			a.Cuts[k] = a.Cuts[k+1].Sub(rule.MustNumber("0.0001"))
		}
	}
	return a
}

// Odds are the shares of the outcomes for somebody who has answered what in.Answers holds and may yet answer the rest
// in any way: at any point of a walk, where it is heading. An outcome with all of the odds is settled.
func Odds(ctx context.Context, d *quiz.Document, in walk.Input, o Options) ([]Outcome, error) {
	m, err := newModel(d, o.Assume)
	if err != nil {
		return nil, err
	}
	for i := range m.slots {
		s := &m.slots[i]
		if s.q < 0 {
			s.pin(in)
			continue
		}
		answer, answered := in.Answers[d.Questions[s.q].ID]
		if !answered {
			continue
		}
		if err := m.pinAnswer(i, answer); err != nil {
			return nil, err
		}
	}
	c := Counter{m: m, passes: map[string]*counted{}}
	o.Only = true
	r, err := c.check(ctx, o)
	if err != nil {
		return nil, err
	}
	return r.Outcomes, nil
}

// pin leaves a visitor fact the one value that it has in the input, if it has one.
func (s *slot) pin(in walk.Input) {
	values := map[string]string{
		"visitor.country":  in.Visitor.Country,
		"visitor.language": in.Visitor.Language,
		"visitor.device":   in.Visitor.Device,
		"today":            in.Today,
	}
	value := values[s.fact]
	if len(s.fact) > 6 && s.fact[:6] == "param." {
		value = in.Params[s.fact[6:]]
	}
	if value == "" {
		return
	}
	at := len(s.options) - 1
	for k := range s.options {
		if s.options[k].text == value {
			at = k
			break
		}
		if s.options[k].text == elsewhere {
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
		v, err := m.scale[k].of(n)
		if err != nil {
			return err
		}
		o.points[k] = v
	}
	for k, n := range e.Votes {
		v, err := m.keyword[k].of(n)
		if err != nil {
			return err
		}
		o.votes[k] = v
	}
	for _, id := range s.atoms {
		o.truth = append(o.truth, rule.Compare(valueOf(q, a, m.atoms[id].fact), m.atoms[id].op, m.atoms[id].operand))
	}
	if len(s.values) > 1 {
		s.values = []walk.Answer{{}, a}
		o.value = 1
	}
	s.options = []option{o}
	return nil
}

// Band is one band of a verdict line: the share of all respondents whom it decides, the least value among them, and
// somebody who has just that value.
type Band struct {
	From    rule.Number    `json:"from"`
	Outcome string         `json:"outcome"`
	Share   float64        `json:"share"`
	Least   *rule.Number   `json:"least,omitempty"` // nil: nobody is in the band
	Witness map[string]any `json:"witness,omitempty"`
}

// Boundaries returns the bands of a verdict line (1-based) with somebody at the lower boundary of each.
func Boundaries(ctx context.Context, d *quiz.Document, line int, o Options) ([]Band, error) {
	if line < 1 || line > len(d.Verdicts) || d.Verdicts[line-1].Bands == nil {
		return nil, fmt.Errorf("line %d has no cut points", line)
	}
	m, err := newModel(d, o.Assume)
	if err != nil {
		return nil, err
	}
	if m.err != nil {
		return nil, m.err
	}
	at := -1
	for i, l := range m.lines {
		if l.number == line {
			at = i
		}
	}
	if at < 0 {
		return nil, fmt.Errorf("line %d is switched off", line)
	}
	bands := m.lines[at].bands
	want := purpose{lines: true, last: at + 1}
	if bands.form >= 0 {
		want.exact = map[int]bool{bands.form: true}
	}
	k := &checker{ctx: ctx, m: m, o: o, c: &Counter{m: m, passes: map[string]*counted{}}, r: &Report{}}
	if k.o.Budget == 0 {
		k.o.Budget = DemandBudget
	}
	c, err := k.count(want, false)
	if err != nil {
		return nil, err
	}
	if c == nil {
		return nil, errBudget
	}
	out := make([]Band, len(bands.cuts))
	state := make([]int, len(out))
	for i, cut := range bands.cuts {
		out[i].From, out[i].Outcome = cut.From, cut.Outcome
	}
	n, vec := m.n(), make([]int64, c.p.end)
	for s := range c.tables[n].keys {
		c.p.unpack(n, c.tables[n].keys[s], vec)
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
			out[i].Witness = k.witness(c.trace(c.here(n, state[i])), func(r *walk.Result) bool {
				return r.Reason.Line == line && r.Reason.Cut == i
			})
		}
	}
	return out, nil
}
