package verdicts

import (
	"fmt"

	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/fact"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// profiles are the outcomes of a line with what each is near to.
type profiles struct {
	Numbers []profiled
	Rows    []profileRow
	More    string // patch: one more number is compared; "" where there are as many as can be
	MoreAt  string
}

// profiled is a number that profiles compare.
type profiled struct {
	Path, Name string
	On         []option
	Drop       string // "" for the only one
}

// profileRow is the profile of an outcome.
type profileRow struct {
	Mark  page.Mark
	ID    string
	Path  string
	Cells []profileCell
	Part  int    // among the profiles, by which its share is known
	Add   string // patch: gives it a profile, where it has none
	AddAt string
	Drop  string
}

type profileCell struct{ Path, Value string }

// mostProfiled is how many numbers are compared at most: see core/verdict.
const mostProfiled = 4

func (s *view) closest(l *line, c *quiz.Closest) {
	d := s.Draft.Doc
	at := l.Path + "/closest"
	p := &profiles{}
	for i, on := range c.On {
		number := profiled{Path: d.Below(at+"/on", i), Name: d.FactName(on), On: s.numbersToCompare(on)}
		if len(c.On) > 1 {
			ops := quiz.Patch{quiz.Remove(number.Path)}
			for id := range c.Profiles {
				ops = append(ops, quiz.Remove(d.Below(at+"/profiles"+quiz.Pointer(id), i)))
			}
			number.Drop = quiz.JSON(ops...)
		}
		p.Numbers = append(p.Numbers, number)
	}
	part := 0
	for i := range d.Outcomes {
		o := &d.Outcomes[i]
		row := profileRow{Mark: s.Draft.Mark(o.ID), ID: o.ID, Path: at + "/profiles" + quiz.Pointer(o.ID)}
		profile, has := c.Profiles[o.ID]
		if !has {
			row.Add = quiz.JSON(quiz.Add(row.Path, make([]rule.Number, len(c.On))))
			row.AddAt = row.Path + "/0"
		} else {
			row.Part, part = part, part+1
			l.Marks = append(l.Marks, row.Mark)
			row.Drop = quiz.JSON(quiz.Remove(row.Path))
			for k, n := range profile {
				row.Cells = append(row.Cells, profileCell{d.Below(row.Path, k), n.String()})
			}
		}
		p.Rows = append(p.Rows, row)
	}
	if list := s.numbersToCompare(""); len(c.On) < mostProfiled && len(list) > 0 {
		ops := quiz.Patch{workbench.AddTo(at+"/on", list[0].Value)}
		for id := range c.Profiles {
			ops = append(ops, workbench.AddTo(at+"/profiles"+quiz.Pointer(id), rule.Number{}))
		}
		p.More = quiz.JSON(ops...)
	}
	l.Closest = p
}

// numbersToCompare are the numbers that profiles can be in.
func (s *view) numbersToCompare(current string) []option {
	var out []option
	for _, o := range s.numbersToCut(current) {
		switch fact.ClassOf(o.Value) {
		case fact.Score, fact.Percent, fact.Votes:
			out = append(out, o)
		}
	}
	return out
}

func (s *view) addClosest() {
	d := s.Draft.Doc
	a := add{
		Name:  "Closest profile",
		Says:  "Describe the typical respondent of each outcome by a few scores. The nearest profile decides.",
		Focus: "/closest/profiles/" + d.Otherwise + "/0",
	}
	c := &quiz.Closest{Profiles: map[string][]rule.Number{}}
	for i := range d.Scales[:min(2, len(d.Scales))] {
		c.On = append(c.On, "percent."+d.Scales[i].ID)
	}
	for i := range d.Keywords[:min(2, len(d.Keywords))] {
		if len(d.Scales) == 0 {
			c.On = append(c.On, fact.VotesFor(d.Keywords[i].ID))
		}
	}
	if len(c.On) == 0 {
		a.Why = "Add a scale or keyword in Script first."
	}
	for i := range d.Outcomes { // evenly between the ends, the first outcome at the top
		var profile []rule.Number
		for range c.On {
			share := rule.Ratio(rule.Int(int64(100*(len(d.Outcomes)-1-i))), rule.Int(int64(max(1, len(d.Outcomes)-1))))
			profile = append(profile, share.Round(0))
		}
		c.Profiles[d.Outcomes[i].ID] = profile
	}
	s.offer(a, quiz.Verdict{Closest: c})
}

// closest says what each profile takes.
func (out parts) closest(v *workbench.Counted, i int, taken map[int]float64) error {
	for part := range v.Doc.Verdicts[i].Closest.Order(v.Doc.OutcomeIDs()) {
		out[fmt.Sprintf("profile-%d-%d", i+1, part)] = text(page.Percent(taken[part]))
	}
	return nil
}
