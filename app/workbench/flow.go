package workbench

import (
	"fmt"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Target is a place that a branch can lead to; Position is that of a question, and for all else behind the last.
type Target struct {
	Go       string
	Name     string
	Position int
}

// Targets lists every place that branches can lead to.
func Targets(d *quiz.Document) []Target {
	var out []Target
	for i := range d.Questions {
		out = append(
			out,
			Target{
				"question:" + d.Questions[i].ID,
				fmt.Sprintf("%d %s", i+1, quiz.Shorten(d.Questions[i].Title(), 44)),
				i,
			},
		)
	}
	end := len(d.Questions)
	for i := range d.Outcomes {
		out = append(out, Target{"outcome:" + d.Outcomes[i].ID, "outcome " + d.Outcomes[i].Title(), end})
	}
	return append(out, Target{"finish", "the end, where the verdicts decide", end})
}

// TargetName says where a branch leads in words.
func TargetName(d *quiz.Document, to string) string {
	for _, t := range Targets(d) {
		if t.Go == to {
			return t.Name
		}
	}
	return to
}

// Flow is when a question is asked and where it leads, as it is edited.
type Flow struct {
	Path       string
	First      bool // nothing is asked before it
	Visible    *Condition
	AddVisible string
	Branches   []Branch
	AddBranch  string
}

// Branch is one branch as it is edited.
type Branch struct {
	Path     string
	Number   int
	When     *Condition
	Targets  []Option
	Up, Drop string
}

// ownCondition is the condition that a branch of a question begins with: about its own answer, where that can be
// compared.
func ownCondition(d *quiz.Document, i int) rule.Condition {
	b := builder{d: d, before: i + 1}
	q := &d.Questions[i]
	for _, f := range kind.Of(q).Facts(q) {
		switch {
		case f.Whole && f.Part == "":
			return b.fresh("answer." + q.ID)
		case f.Whole:
			return b.fresh("answer." + q.ID + "." + f.Part)
		}
	}
	return DefaultCondition(d, i+1)
}

// NewFlow makes the flow of the question at position i.
func NewFlow(d *quiz.Document, i int) Flow {
	q, at := &d.Questions[i], d.At("questions", i)
	f := Flow{Path: at, First: i == 0}
	if q.VisibleIf != nil {
		f.Visible = NewCondition(
			d,
			at+"/visible_if",
			q.VisibleIf,
			i,
			"Ask this question only if",
			false,
		)
	} else {
		f.AddVisible = quiz.JSON(quiz.Add(at+"/visible_if", DefaultCondition(d, i)))
	}
	for j := range q.Branches {
		place := d.Below(at, "branches", j)
		b := Branch{
			Path:   place,
			Number: j + 1,
			When:   NewCondition(d, place+"/when", &q.Branches[j].When, i+1, "Condition of the branch", true),
			Drop:   quiz.JSON(quiz.Remove(place)),
		}
		found := false
		for _, t := range Targets(d) {
			if t.Position > i {
				here := t.Go == q.Branches[j].Go
				found = found || here
				b.Targets = append(
					b.Targets,
					Option{Name: t.Name, Value: t.Go, Selected: here},
				)
			}
		}
		b.Targets = append(b.Targets, NewOutcome())
		if !found {
			b.Targets = append(
				[]Option{{Name: TargetName(d, q.Branches[j].Go) + " (can’t be reached from here)", Selected: true}},
				b.Targets...)
		}
		b.Up, _ = Order(d, at+"/branches", j, len(q.Branches))
		f.Branches = append(f.Branches, b)
	}
	when := ownCondition(d, i)
	if kind.Of(q).About().Silent {
		when = rule.Condition{All: []rule.Condition{}}
	}
	f.AddBranch = quiz.JSON(AddTo(at+"/branches", quiz.Branch{When: when, Go: "finish"}))
	return f
}
