package workbench

import (
	"slices"
	"strings"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// EndingsForKeywords is the edit that gives each keyword an ending of its own, named as it is, and a line by which the
// leading one decides. An outcome that is called as a keyword is taken for it; keywords that a leader line has already
// are left as they are. It is "" where nothing is missing.
func EndingsForKeywords(d *quiz.Document) string {
	line := slices.IndexFunc(d.Verdicts, func(v quiz.Verdict) bool { return v.Leader != nil && !v.Off })
	listed := map[string]string{}
	if line >= 0 {
		listed = d.Verdicts[line].Leader.Outcomes
	}
	n := fresh{d: d}
	outcomes := map[string]string{}
	for i := range d.Keywords {
		if k := &d.Keywords[i]; listed[k.ID] == "" {
			outcomes[k.ID] = n.outcome(k.Title())
		}
	}
	switch {
	case len(outcomes) == 0:
		return ""
	case line >= 0:
		for i := range d.Keywords {
			if id := outcomes[d.Keywords[i].ID]; id != "" {
				at := d.At("verdicts", line, "leader", "outcomes", d.Keywords[i].ID)
				n.ops = append(n.ops, quiz.Add(at, id))
			}
		}
	default:
		n.ops = append(n.ops, AddTo("/verdicts", quiz.Verdict{Leader: &quiz.Leader{Outcomes: outcomes, Ties: "order"}}))
	}
	return quiz.JSON(WithoutLeftover(d, n.ops)...)
}

// EndingsForCut is the edit that cuts a scale in the middle of what it can be, with an ending for either side.
func EndingsForCut(d *quiz.Document, scale int) string {
	s := &d.Scales[scale]
	least, most := attainable(d, s)
	middle := rule.Ratio(least.Add(most), rule.Int(2)).Ceil()
	if middle.Cmp(least) <= 0 {
		middle = least.Add(rule.Int(1))
	}
	n := fresh{d: d}
	low, high := n.outcome(n.unused("Not yet", s.Title())), n.outcome(n.unused("A good fit", s.Title()))
	n.ops = append(n.ops, AddTo("/verdicts", quiz.Verdict{Bands: &quiz.Bands{
		On:   "scale." + s.ID,
		Cuts: []quiz.Cut{{From: least, Outcome: low}, {From: middle, Outcome: high}},
	}}))
	return quiz.JSON(WithoutLeftover(d, n.ops)...)
}

// AddedLine is a place within the verdict line that an edit adds; "" where it adds none.
func AddedLine(d *quiz.Document, patch string, within ...any) string {
	ops, err := quiz.ReadPatch([]byte(patch))
	if err != nil {
		return ""
	}
	for _, op := range ops {
		if op.Op == "add" && op.Path == "/verdicts/-" {
			return d.Next("/verdicts", op.Value, within...)
		}
	}
	return ""
}

// fresh gathers outcomes that an edit makes.
type fresh struct {
	d   *quiz.Document
	ops []quiz.Operation
	ids []string
}

// outcome is the id of the outcome with a name: one that is there, or a new one.
func (n *fresh) outcome(name string) string {
	for i := range n.d.Outcomes {
		if o := &n.d.Outcomes[i]; strings.EqualFold(o.Title(), name) {
			return o.ID
		}
	}
	id := quiz.Unused("o", func(id string) bool { return n.d.Outcome(id) != nil || slices.Contains(n.ids, id) })
	n.ids = append(n.ids, id)
	n.ops = append(n.ops, AddTo("/outcomes", quiz.Outcome{
		ID: id, Name: name, Heading: name, Ending: &quiz.Ending{Kind: quiz.EndPage},
	}))
	return id
}

// unused is a name for an outcome: with what it is about where there is one of that name already.
func (n *fresh) unused(name, about string) string {
	for i := range n.d.Outcomes {
		if strings.EqualFold(n.d.Outcomes[i].Title(), name) {
			return name + ": " + about
		}
	}
	return name
}

// attainable is about the least and the most that a scale can be: each question by itself, whatever is asked.
func attainable(d *quiz.Document, s *quiz.Scale) (least, most rule.Number) {
	least, most = s.Start, s.Start
	for i := range d.Questions {
		q := &d.Questions[i]
		lo, hi := rule.Number{}, rule.Number{}
		see := func(n rule.Number) {
			if n = n.Mul(q.Factor()); n.Cmp(lo) < 0 {
				lo = n
			}
			if n.Cmp(hi) > 0 {
				hi = n
			}
		}
		sum := rule.Number{}
		for _, c := range q.Choices {
			see(c.Points[s.ID])
			if n := c.Points[s.ID]; kind.Of(q).About().Many && n.Sign() > 0 {
				sum = sum.Add(n)
			}
		}
		see(sum)
		for _, step := range q.Steps {
			see(step.Points[s.ID])
		}
		if l, ok := q.Linear[s.ID]; ok && q.From != nil && q.To != nil {
			see(l.Factor.Mul(*q.From).Add(l.Offset))
			see(l.Factor.Mul(*q.To).Add(l.Offset))
		}
		least, most = least.Add(lo), most.Add(hi)
	}
	return least, most
}
