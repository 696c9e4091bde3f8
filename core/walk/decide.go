package walk

import (
	"slices"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// leader is the keyword with the most, start and votes, of those that have votes above 0; the first declared of
// several.
func (s *state) leader() string {
	top := s.top(func(string) bool { return true })
	if len(top) == 0 {
		return ""
	}
	return s.c.Doc.Keywords[top[0]].ID
}

// top are the keywords level with the most, start and votes, of those listed that have votes above 0.
func (s *state) top(listed func(id string) bool) []int {
	var top []int
	for i := range s.c.Doc.Keywords {
		if s.Votes[i].Sign() <= 0 || !listed(s.c.Doc.Keywords[i].ID) {
			continue
		}
		switch {
		case len(top) == 0 || s.Keywords[i].Cmp(s.Keywords[top[0]]) > 0:
			top = []int{i}
		case s.Keywords[i].Cmp(s.Keywords[top[0]]) == 0:
			top = append(top, i)
		}
	}
	return top
}

func (s *state) end() *Result {
	s.count()
	if s.jumped != "" {
		s.Outcome = s.jumped
		return s.Result
	}
	for i := range s.c.Doc.Verdicts {
		if !s.c.Doc.Verdicts[i].Off && s.decide(&s.c.Doc.Verdicts[i]) {
			s.Reason.Line = i + 1
			return s.Result
		}
	}
	s.Outcome = s.c.Doc.Otherwise
	return s.Result
}

// decide tries one verdict line; when it matches, Outcome and Reason are set.
func (s *state) decide(v *quiz.Verdict) bool {
	if v.When != nil && !v.When.Holds(s.Fact) {
		return false
	}
	guard := s.look(v.When)
	switch {
	case v.Table != nil:
		return s.decideTable(v.Table, guard)
	case v.Bands != nil:
		value := s.Fact(v.Bands.On)
		cut := OwningCut(v.Bands.Cuts, value)
		if cut < 0 {
			return false
		}
		s.Outcome = v.Bands.Cuts[cut].Outcome
		s.Reason = Reason{Cut: cut, Facts: append(guard, FactValue{v.Bands.On, value})}
		return true
	case v.Leader != nil:
		return s.decideLeader(v.Leader, guard)
	case v.Matrix != nil:
		return s.decideMatrix(v.Matrix, guard)
	}
	s.Outcome, s.Reason = v.Outcome, Reason{Facts: guard}
	return true
}

// OwningCut returns the position of the cut that owns the value, or -1: below all cuts, blank, or not a number.
func OwningCut(cuts []quiz.Cut, value rule.Value) int {
	if value.Kind != rule.Num {
		return -1
	}
	for i := len(cuts) - 1; i >= 0; i-- {
		if value.Num.Cmp(cuts[i].From) >= 0 {
			return i
		}
	}
	return -1
}

func (s *state) decideMatrix(m *quiz.Matrix, guard []FactValue) bool {
	across, down := s.Fact(m.Across.On), s.Fact(m.Down.On)
	a, d := OwningBand(m.Across.Cuts, across), OwningBand(m.Down.Cuts, down)
	outcome := m.Cell(d, a)
	if outcome == "" {
		return false
	}
	s.Outcome = outcome
	s.Reason = Reason{
		Row: d, Cut: a, Facts: append(guard, FactValue{m.Across.On, across}, FactValue{m.Down.On, down}),
	}
	return true
}

// OwningBand is OwningCut for bare cut points.
func OwningBand(cuts []rule.Number, value rule.Value) int {
	if value.Kind != rule.Num {
		return -1
	}
	for i, cut := range slices.Backward(cuts) {
		if value.Num.Cmp(cut) >= 0 {
			return i
		}
	}
	return -1
}

func (s *state) decideTable(t *quiz.Table, guard []FactValue) bool {
	for r, row := range t.Rows {
		matches := true
		for i, cell := range row.Cells {
			if cell != nil && !rule.Compare(s.Fact(t.Facts[i]), rule.OpIn, &rule.Operand{IsList: true, List: cell}) {
				matches = false
				break
			}
		}
		if matches {
			facts := guard
			for _, f := range t.Facts {
				facts = append(facts, FactValue{f, s.Fact(f)})
			}
			s.Outcome, s.Reason = row.Outcome, Reason{Row: r, Facts: facts}
			return true
		}
	}
	return false
}

func (s *state) decideLeader(l *quiz.Leader, guard []FactValue) bool {
	tied := s.top(func(id string) bool { _, listed := l.Outcomes[id]; return listed })
	if len(tied) == 0 {
		return false
	}
	s.Reason = Reason{Facts: guard}
	for i := range s.c.Doc.Keywords {
		if id := s.c.Doc.Keywords[i].ID; l.Outcomes[id] != "" {
			s.Reason.Facts = append(s.Reason.Facts, FactValue{"keyword." + id, rule.NumValue(s.Keywords[i])})
		}
	}
	if len(tied) > 1 {
		for _, i := range tied {
			s.Reason.Tied = append(s.Reason.Tied, s.c.Doc.Keywords[i].ID)
		}
		tied = s.breakTie(l.Ties, tied)
	}
	s.Reason.Keyword = s.c.Doc.Keywords[tied[0]].ID
	s.Outcome = l.Outcomes[s.Reason.Keyword]
	return true
}

// breakTie narrows level keywords by the rule; what is still level stays in declared order.
func (s *state) breakTie(ties string, tied []int) []int {
	narrow := func(votes []rule.Number) []int {
		var top []int
		for _, k := range tied {
			if len(top) == 0 || votes[k].Cmp(votes[top[0]]) > 0 {
				top = []int{k}
			} else if votes[k].Cmp(votes[top[0]]) == 0 {
				top = append(top, k)
			}
		}
		return top
	}
	if ties == "latest" {
		for _, votes := range slices.Backward(s.votes) {
			var voted []int
			for _, k := range tied {
				if votes[k].Sign() > 0 {
					voted = append(voted, k)
				}
			}
			if len(voted) > 0 {
				return voted
			}
		}
		return tied
	}
	if id, ok := strings.CutPrefix(ties, "question:"); ok {
		if at := slices.Index(s.Path, id); at >= 0 {
			return narrow(s.votes[at])
		}
	}
	return tied
}

// Exit returns where the question at position i of the path led: "question:ID" of the next one asked, "outcome:ID"
// when a branch named it, else "finish".
func (r *Result) Exit(i int) string {
	switch {
	case i+1 < len(r.Path):
		return "question:" + r.Path[i+1]
	case r.Reason.Line == LineBranch:
		return "outcome:" + r.Outcome
	}
	return "finish"
}

// TieRule reports whether the leader line that decided needed its tie rule.
func (r *Result) TieRule() bool { return len(r.Reason.Tied) > 1 }
