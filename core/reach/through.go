package reach

import (
	"context"
	"slices"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// probe is the outcome that Through ends walks at; no document has an id like it.
const probe = "--through--"

// Through returns the answers of someone who takes a branch of question q (both by position), or with branch -1 of
// someone who is asked the question at all. It reports false when no one is.
func Through(ctx context.Context, d *quiz.Document, q, branch int, o Options) (map[string]any, bool, error) {
	o.Only = true
	r, err := Check(ctx, probed(d, q, branch), o)
	if err != nil {
		return nil, false, err
	}
	last := r.Outcomes[len(r.Outcomes)-1]
	return last.Witness, last.Reachable, nil
}

// OnTheWay returns someone who is asked question q (by position) and keeps the answers given; nil where no one is.
func OnTheWay(ctx context.Context, d *quiz.Document, in walk.Input, q int, o Options) (*walk.Input, error) {
	list, err := Odds(ctx, probed(d, q, -1), in, o)
	if err != nil || list[len(list)-1].Witness == nil {
		return nil, err
	}
	out := InputOf(d, list[len(list)-1].Witness)
	keepVisitor(&out, in)
	return &out, nil
}

// probed is a document in which anyone who takes a branch of question q, or with branch -1 is asked it, ends at the
// probe, its last outcome.
func probed(d *quiz.Document, q, branch int) *quiz.Document {
	other := *d
	other.Questions = slices.Clone(d.Questions)
	other.Outcomes = append(slices.Clone(d.Outcomes), quiz.Outcome{ID: probe})
	branches := slices.Clone(d.Questions[q].Branches)
	if branch < 0 {
		branches = []quiz.Branch{{When: rule.Condition{All: []rule.Condition{}}, Go: "outcome:" + probe}}
	} else {
		branches[branch].Go = "outcome:" + probe
	}
	other.Questions[q].Branches = branches
	return &other
}
