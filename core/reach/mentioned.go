package reach

import (
	"slices"
	"sort"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

func (m *model) mentioned(fact string) []string { return Mentioned(m.d, fact) }

// Mentioned returns the constants that conditions and tables of a document compare a fact with, as text, sorted.
func Mentioned(d *quiz.Document, fact string) []string {
	seen := map[string]bool{}
	d.EachCondition(func(_ string, c *rule.Condition) {
		if c.Fact == fact && c.Value != nil {
			for _, s := range c.Value.List {
				seen[s.String()] = true
			}
		}
	})
	for _, v := range d.Verdicts {
		if v.Table == nil || v.Off {
			continue
		}
		for col, f := range v.Table.Facts {
			for _, row := range v.Table.Rows {
				if f == fact {
					for _, s := range row.Cells[col] {
						seen[s.String()] = true
					}
				}
			}
		}
	}
	out := make([]string, 0, len(seen))
	for s := range seen {
		out = append(out, s)
	}
	sort.Strings(out)
	return out
}

// numbersMentioned returns the numbers that a fact is compared with, and their neighbours on both sides, ascending.
func (m *model) numbersMentioned(fact string) []rule.Number {
	var out []rule.Number
	for _, s := range m.mentioned(fact) {
		n, err := rule.ParseNumber(s)
		if err != nil {
			continue
		}
		for _, d := range []int64{-1, 0, 1} {
			v := n.Add(rule.Int(d))
			if !slices.ContainsFunc(out, func(o rule.Number) bool { return o.Cmp(v) == 0 }) {
				out = append(out, v)
			}
		}
	}
	slices.SortFunc(out, func(a, b rule.Number) int { return a.Cmp(b) })
	return out
}

// ordered reports whether a fact is compared by size.
func (m *model) ordered(fact string) bool {
	found := false
	m.d.EachCondition(func(_ string, c *rule.Condition) {
		switch c.Op {
		case rule.OpLt, rule.OpLe, rule.OpGt, rule.OpGe, rule.OpBetween:
			found = found || c.Fact == fact
		}
	})
	return found
}

// visitorOptions lists the values of a fact that is known before the first question.
func (m *model) visitorOptions(fact string) []option {
	values := m.mentioned(fact)
	if m.ordered(fact) {
		if fact == "today" {
			values = append(values, "0001-01-01", "9999-12-31")
		}
		for _, n := range m.numbersMentioned(fact) {
			if !slices.Contains(values, n.String()) {
				values = append(values, n.String())
			}
		}
	}
	blanks := false
	m.d.EachCondition(func(_ string, c *rule.Condition) {
		blanks = blanks || c.Fact == fact && (c.Op == rule.OpBlank || c.Op == rule.OpAnswered)
	})
	values = append(values, elsewhere)
	if fact == "today" {
		values = values[:len(values)-1]
		if len(values) == 0 {
			values = []string{"2026-03-31"}
		}
	}
	if blanks {
		values = append(values, "")
	}
	var shares map[string]float64
	if root, id, _ := strings.Cut(fact, "."); m.assume != nil && root == "visitor" {
		shares = m.assume.Visitor[id]
	}
	out := make([]option, len(values))
	total := 0.0
	for i, v := range values {
		p := 1.0
		if shares != nil {
			if p = shares[v]; v == elsewhere {
				p = 0
				for name, share := range shares {
					if !slices.Contains(values, name) {
						p += share // "*", and countries that no condition mentions
					}
				}
			}
		}
		out[i] = option{p: p, n: one, text: v}
		total += p
	}
	for i := range out {
		if total > 0 {
			out[i].p /= total
		} else {
			out[i].p = 1 / float64(len(out))
		}
	}
	return out
}
