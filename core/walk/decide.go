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
	line := v.Line()
	if line == nil || v.When != nil && !v.When.Holds(s.Fact) {
		return false
	}
	d, decides := line.Decide(s)
	if decides {
		d.Facts = append(s.look(v.When), d.Facts...)
		s.Outcome, s.Reason = d.Outcome, Reason{Decision: d}
	}
	return decides
}

// Leading are the ids of the keywords level with the most of those listed.
func (s *state) Leading(listed func(id string) bool) []string { return s.ids(s.top(listed)) }

// BreakTie narrows level keywords by the rule of a line.
func (s *state) BreakTie(ties string, level []string) []string {
	tied := make([]int, len(level))
	for i, id := range level {
		tied[i] = s.c.keyword[id]
	}
	return s.ids(s.breakTie(ties, tied))
}

func (s *state) ids(keywords []int) []string {
	out := make([]string, len(keywords))
	for i, k := range keywords {
		out[i] = s.c.Doc.Keywords[k].ID
	}
	return out
}

// OutcomeIDs are the ids of the outcomes in declared order.
func (s *state) OutcomeIDs() []string { return s.c.outcomeIDs }

// KeywordIDs are the ids of the keywords in declared order.
func (s *state) KeywordIDs() []string { return s.c.keywordIDs }

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
