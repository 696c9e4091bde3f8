package quiz

import "slices"

// Leads are the outcomes that the line can lead to, as often as it names them.
func (v *Verdict) Leads() []string {
	var out []string
	v.Leading(func(outcome string) string {
		out = append(out, outcome)
		return outcome
	})
	return out
}

// Leading is the line with other outcomes.
func (v *Verdict) Leading(to func(outcome string) string) Verdict {
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
	case v.Matrix != nil:
		matrix := *v.Matrix
		matrix.Outcomes = slices.Clone(matrix.Outcomes)
		for d, row := range matrix.Outcomes {
			matrix.Outcomes[d] = slices.Clone(row)
			for a, o := range row {
				if o != "" {
					matrix.Outcomes[d][a] = CellOutcome(to(string(o)))
				}
			}
		}
		out.Matrix = &matrix
	default:
		out.Outcome = to(v.Outcome)
	}
	return out
}
