package message

import (
	"slices"

	"omphalos/core/quiz"
)

// outcomesOf are the outcomes that a verdict line can lead to.
func outcomesOf(v *quiz.Verdict) []string {
	var out []string
	mapped(v, func(outcome string) string {
		out = append(out, outcome)
		return outcome
	})
	return out
}

// mapped is a verdict line whose outcomes are replaced.
func mapped(v *quiz.Verdict, to func(outcome string) string) quiz.Verdict {
	out := *v
	switch {
	case v.Table != nil:
		table := *v.Table
		table.Rows = slices.Clone(table.Rows)
		for i := range table.Rows {
			table.Rows[i].Outcome = to(table.Rows[i].Outcome)
		}
		out.Table = &table
	case v.Bands != nil:
		bands := *v.Bands
		bands.Cuts = slices.Clone(bands.Cuts)
		for i := range bands.Cuts {
			bands.Cuts[i].Outcome = to(bands.Cuts[i].Outcome)
		}
		out.Bands = &bands
	case v.Leader != nil:
		leader := *v.Leader
		leader.Outcomes = map[string]string{}
		for k, o := range v.Leader.Outcomes {
			leader.Outcomes[k] = to(o)
		}
		out.Leader = &leader
	default:
		out.Outcome = to(v.Outcome)
	}
	return out
}
