package walk

import (
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Tried is a verdict line that was tried for someone.
type Tried struct {
	Line  int             // 1-based
	Holds bool            // it decides
	Part  *rule.Condition // the part of its condition that did not hold; nil where something else was missing
	Fact  string          // what was looked at in vain: of bands the fact cut, of a condition the fact compared
	Value rule.Value      // what that fact is
}

// Trace tells how the verdict lines decide for someone if their walk ended here: every line up to the one that
// decides, with what did not hold. in.Answers are those given so far; what they leave open is blank. It is empty
// where a branch has named the outcome.
func (c *Compiled) Trace(in Input) ([]Tried, *Result) {
	s := c.start(in)
	for i := 0; i < len(c.Doc.Questions); {
		if _, answered := in.Answers[c.Doc.Questions[i].ID]; s.visible(i) && !answered {
			break
		}
		i = s.pass(i)
	}
	res := s.end()
	if s.jumped != "" {
		return nil, res
	}
	var out []Tried
	for i := range c.Doc.Verdicts {
		v := &c.Doc.Verdicts[i]
		if v.Off {
			continue
		}
		t := Tried{Line: i + 1, Holds: res.Reason.Line == i+1}
		if !t.Holds {
			s.missing(v, &t)
		}
		if out = append(out, t); t.Holds {
			break
		}
	}
	return out, res
}

// missing finds what kept a line from deciding.
func (s *state) missing(v *quiz.Verdict, t *Tried) {
	if v.When != nil && !v.When.Holds(s.Fact) {
		t.Part = failing(v.When, s.Fact)
		if t.Part != nil && t.Part.Fact != "" {
			t.Fact, t.Value = t.Part.Fact, s.Fact(t.Part.Fact)
		}
		return
	}
	if line := v.Line(); line != nil {
		if t.Fact = line.Missed(s); t.Fact != "" {
			t.Value = s.Fact(t.Fact)
		}
	}
}

// failing is the first part of a condition that keeps it from holding: a comparison where there is one, else the group
// of which too few parts hold, or one too many.
func failing(c *rule.Condition, facts rule.Facts) *rule.Condition {
	switch {
	case c.All != nil:
		for i := range c.All {
			if !c.All[i].Holds(facts) {
				return failing(&c.All[i], facts)
			}
		}
	case len(c.Any) == 1:
		return failing(&c.Any[0], facts)
	}
	return c
}
