package reach

import (
	"context"
	"slices"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// probe is the outcome that Through ends walks at; no document has an id like it.
const probe = "--through--"

// Through returns the answers of somebody who takes a branch of question q (both by position), or with branch -1 of
// somebody who is asked the question at all. It reports false when nobody is.
func Through(ctx context.Context, d *quiz.Document, q, branch int, o Options) (map[string]any, bool, error) {
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
	o.Only = true
	r, err := Check(ctx, &other, o)
	if err != nil {
		return nil, false, err
	}
	last := r.Outcomes[len(r.Outcomes)-1]
	return last.Witness, last.Reachable, nil
}
