package reach

import (
	"cmp"
	"context"
	"math/rand/v2"
	"slices"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// simulation is what many random respondents came to: the same ones for the same document.
type simulation struct {
	n         int
	outcomes  map[string]int
	witness   map[string]walk.Input
	lines     map[int]int
	takes     map[Take]int // by line, part and outcome
	ties      int
	asked     map[string]int
	edges     map[[2]string]int
	edgeOrder [][2]string
	scales    []tally
	m         *model
}

type tally struct {
	counts map[string]int
	values map[string]rule.Number
	n      int
}

func (t *tally) points() []Point {
	ended := make([]Point, 0, len(t.counts))
	for key, count := range t.counts {
		ended = append(ended, Point{t.values[key], float64(count) / float64(t.n)})
	}
	sortPoints(ended)
	return ended
}

// defaultSamples gives an interval of at most ±0.7 points.
const defaultSamples = 20_000

// simulate walks random respondents from a fixed seed.
func simulate(ctx context.Context, m *model, n int) (*simulation, error) {
	if n == 0 {
		n = defaultSamples
	}
	s := &simulation{
		m:        m,
		n:        n,
		outcomes: map[string]int{},
		witness:  map[string]walk.Input{},
		lines:    map[int]int{},
		takes:    map[Take]int{},
		asked:    map[string]int{},
		edges:    map[[2]string]int{},
	}
	for range m.d.Scales {
		s.scales = append(s.scales, tally{map[string]int{}, map[string]rule.Number{}, n})
	}
	draw := sampler{rand.New(rand.NewPCG(0x0a9b, 0x10c5)), m}
	for i := range n {
		if i&255 == 0 && ctx.Err() != nil {
			return nil, ctx.Err()
		}
		in := walk.Input{Answers: map[string]walk.Answer{}, Params: map[string]string{}}
		for _, slot := range m.slots[:m.visitors] {
			weights := make([]float64, len(slot.options))
			for k := range slot.options {
				weights[k] = slot.options[k].p
			}
			slot.tell(&in, slot.options[draw.weighted(weights)].text)
		}
		for q := range m.d.Questions {
			in.Answers[m.d.Questions[q].ID] = draw.answer(q)
		}
		s.see(in, m.c.Walk(in))
	}
	return s, nil
}

func (s *simulation) see(in walk.Input, r *walk.Result) {
	s.outcomes[r.Outcome]++
	if _, ok := s.witness[r.Outcome]; !ok {
		s.witness[r.Outcome] = in
	}
	s.lines[r.Reason.Line]++
	if r.Reason.Line > 0 {
		s.takes[Take{Line: r.Reason.Line, Part: s.part(r), Outcome: r.Outcome}]++
	}
	if r.TieRule() {
		s.ties++
	}
	for i, id := range r.Path {
		s.asked[id]++
		e := [2]string{id, r.Exit(i)}
		if s.edges[e]++; s.edges[e] == 1 {
			s.edgeOrder = append(s.edgeOrder, e)
		}
	}
	for i, v := range r.Scales {
		key := v.String()
		s.scales[i].counts[key]++
		s.scales[i].values[key] = v
	}
}

// part is which part of its line decided a walk.
func (s *simulation) part(r *walk.Result) int {
	v := &s.m.d.Verdicts[r.Reason.Line-1]
	switch {
	case v.Bands != nil:
		return r.Reason.Cut
	case v.Leader != nil:
		return slices.IndexFunc(s.m.d.Keywords, func(k quiz.Keyword) bool { return k.ID == r.Reason.Keyword })
	}
	return r.Reason.Row
}

func (s *simulation) report(r *Report) {
	share := func(n int) float64 { return float64(n) / float64(s.n) }
	d := s.m.d
	possible := map[string]bool{}
	if s.m.err == nil {
		possible = s.m.possible()
	} else { // not even its numbers could be listed
		for i := range d.Outcomes {
			possible[d.Outcomes[i].ID] = s.m.named(d.Outcomes[i].ID)
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
		r.Questions = append(
			r.Questions,
			Question{ID: d.Questions[i].ID, Asked: share(s.asked[d.Questions[i].ID]), Matters: true},
		)
	}
	for _, e := range s.edgeOrder {
		r.Edges = append(r.Edges, Edge{e[0], e[1], share(s.edges[e])})
	}
	sortEdges(d, r.Edges)
}

// named reports whether anything in the document leads to the outcome.
func (m *model) named(id string) bool {
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
	for _, l := range m.lines {
		if l.outcome == id {
			return true
		}
		if l.bands != nil {
			for _, c := range l.bands.cuts {
				if c.Outcome == id {
					return true
				}
			}
		}
		if l.leader != nil {
			for k, o := range l.leader.outcomes {
				if l.leader.listed[k] && o == id {
					return true
				}
			}
		}
	}
	return false
}

func sortPoints(list []Point) {
	slices.SortFunc(list, func(a, b Point) int { return a.Value.Cmp(b.Value) })
}

// sortEdges orders edges by question, then by where they lead, in document order.
func sortEdges(d *quiz.Document, edges []Edge) {
	rank := func(to string) int {
		if id, ok := strings.CutPrefix(to, "outcome:"); ok {
			return slices.IndexFunc(d.Outcomes, func(o quiz.Outcome) bool { return o.ID == id }) - len(d.Outcomes)
		}
		if id, ok := strings.CutPrefix(to, "question:"); ok {
			return d.Question(id)
		}
		return len(d.Questions)
	}
	slices.SortStableFunc(edges, func(a, b Edge) int {
		return cmp.Or(cmp.Compare(d.Question(a.From), d.Question(b.From)), cmp.Compare(rank(a.To), rank(b.To)))
	})
}
