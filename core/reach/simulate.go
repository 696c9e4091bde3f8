package reach

import (
	"cmp"
	"context"
	"maps"
	"slices"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// simulation is what many random respondents came to: the same ones for the same document.
type simulation struct {
	n        int
	outcomes map[string]int
	witness  map[string]walk.Input
	lines    map[int]int
	takes    map[Take]int // by line, part and outcome
	ties     int
	asked    []int          // by question
	edges    map[[2]int]int // from a question to one, to the number of questions for the finish, or to -1-outcome
	scales   []tally
	m        *model
}

type tally struct {
	counts map[string]int
	values map[string]rule.Number
}

func newTally() tally { return tally{map[string]int{}, map[string]rule.Number{}} }

func (t *tally) see(v rule.Number) {
	key := v.String()
	if t.counts[key]++; t.counts[key] == 1 {
		t.values[key] = v
	}
}

// points are the shares of the values seen, of all n.
func (t *tally) points(n int) []Point {
	ended := make([]Point, 0, len(t.counts))
	for key, count := range t.counts {
		ended = append(ended, Point{t.values[key], float64(count) / float64(n)})
	}
	sortPoints(ended)
	return ended
}

const (
	defaultSamples = 20_000 // gives an interval of at most ±0.7 points
	leastSamples   = 1_000  // ±3.1 points: fewer are not worth showing, however slow they are
)

// sampleEach gives random respondents from a fixed seed to see, and returns how many: n, or as many as the time for
// simulating was enough for. They are made again in place: who keeps one keeps a copy.
func (m *model) sampleEach(ctx context.Context, n int, see func(walk.Input)) (int, error) {
	if n == 0 {
		n = defaultSamples
	}
	enough, stop := context.WithTimeout(ctx, simulatingTime)
	defer stop()
	draw := newSampler(m)
	in := walk.Input{Answers: map[string]walk.Answer{}, Params: map[string]string{}}
	for i := range n {
		if i%64 == 0 && enough.Err() != nil && (ctx.Err() != nil || i >= leastSamples) {
			return i, ctx.Err()
		}
		draw.next(&in)
		see(in)
	}
	return n, nil
}

// simulate walks random respondents.
func simulate(ctx context.Context, m *model, n int) (*simulation, error) {
	s := &simulation{
		m:        m,
		outcomes: map[string]int{},
		witness:  map[string]walk.Input{},
		lines:    map[int]int{},
		takes:    map[Take]int{},
		asked:    make([]int, m.n()),
		edges:    map[[2]int]int{},
	}
	for range m.d.Scales {
		s.scales = append(s.scales, newTally())
	}
	var err error
	s.n, err = m.sampleEach(ctx, n, func(in walk.Input) { s.see(in, m.c.Walk(in)) })
	return s, err
}

func (s *simulation) see(in walk.Input, r *walk.Result) {
	s.outcomes[r.Outcome]++
	if _, ok := s.witness[r.Outcome]; !ok {
		in.Answers, in.Params = maps.Clone(in.Answers), maps.Clone(in.Params)
		s.witness[r.Outcome] = in
	}
	s.lines[r.Reason.Line]++
	if r.Reason.Line > 0 {
		s.takes[Take{Line: r.Reason.Line, Part: s.part(r), Outcome: r.Outcome}]++
	}
	if r.TieRule() {
		s.ties++
	}
	s.way(r)
	for i, v := range r.Scales {
		s.scales[i].see(v)
	}
}

// way counts the questions of a walk and the ways between them.
func (s *simulation) way(r *walk.Result) {
	from := -1
	for _, id := range r.Path {
		at := s.m.c.Position(id)
		s.asked[at]++
		if from >= 0 {
			s.edges[[2]int{from, at}]++
		}
		from = at
	}
	if from < 0 {
		return
	}
	to := s.m.n()
	if r.Reason.Line == walk.LineBranch {
		to = -1 - slices.IndexFunc(s.m.d.Outcomes, func(o quiz.Outcome) bool { return o.ID == r.Outcome })
	}
	s.edges[[2]int{from, to}]++
}

// part is which part of its line decided a walk.
func (s *simulation) part(r *walk.Result) int {
	return s.m.d.Verdicts[r.Reason.Line-1].Line().Part(s.m.d, r.Reason.Decision)
}

func (s *simulation) report(r *Report) {
	share := func(n int) float64 { return float64(n) / float64(s.n) }
	d := s.m.d
	possible := map[string]bool{}
	if s.m.err == nil {
		possible = s.m.possible()
	} else { // not even its numbers could be listed
		for i := range d.Outcomes {
			possible[d.Outcomes[i].ID] = s.m.isNamed(d.Outcomes[i].ID)
		}
	}
	for i := range d.Outcomes {
		id := d.Outcomes[i].ID
		between := Wilson(s.outcomes[id], s.n)
		o := Outcome{ID: id, Share: share(s.outcomes[id]), Interval: &between, Settled: Unsettled}
		if in, ok := s.witness[id]; ok {
			o.Reachable, o.Settled, o.Witness = true, Reached, fields(s.m.c, in, s.m.c.Walk(in))
		} else if !possible[id] {
			o.Settled, o.Interval = Impossible, nil
		}
		r.Outcomes = append(r.Outcomes, o)
	}
	for i := range d.Verdicts {
		r.Verdicts = append(r.Verdicts, Verdict{i + 1, share(s.lines[i+1])})
	}
	r.Verdicts = append(
		r.Verdicts,
		Verdict{0, share(s.lines[walk.LineOtherwise])},
		Verdict{"branch", share(s.lines[walk.LineBranch])},
	)
	for t, n := range s.takes {
		t.Share = share(n)
		r.Takes = append(r.Takes, t)
	}
	slices.SortFunc(r.Takes, func(a, b Take) int { return cmp.Or(a.Line-b.Line, a.Part-b.Part) })
	r.Ties = share(s.ties)
	for i := range d.Questions {
		r.Questions = append(r.Questions, Question{ID: d.Questions[i].ID, Asked: share(s.asked[i]), Matters: true})
	}
	byPlace := func(a, b [2]int) int { return slices.Compare(a[:], b[:]) }
	for _, e := range slices.SortedFunc(maps.Keys(s.edges), byPlace) {
		r.Edges = append(r.Edges, s.m.edge(e[0], e[1], share(s.edges[e])))
	}
}

// isNamed reports whether anything in the document leads to the outcome.
func (m *model) isNamed(id string) bool {
	if m.d.Otherwise == id {
		return true
	}
	for i := range m.d.Questions {
		for _, b := range m.d.Questions[i].Branches {
			if b.Go == "outcome:"+id {
				return true
			}
		}
	}
	return slices.ContainsFunc(m.d.Verdicts, func(v quiz.Verdict) bool {
		return !v.Off && slices.Contains(v.Leads(), id)
	})
}

func sortPoints(list []Point) {
	slices.SortFunc(list, func(a, b Point) int { return a.Value.Cmp(b.Value) })
}
