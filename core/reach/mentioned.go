package reach

import (
	"slices"
	"sort"

	"omphalos/core/fact"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

func (m *model) mentioned(fact string) []string { return Mentioned(m.d, fact) }

// Mentioned returns the constants that conditions and tables of a document compare a fact with, as text, sorted.
func Mentioned(d *quiz.Document, fact string) []string {
	seen := map[string]bool{}
	d.EachComparison(func(name string, _ rule.Op, value *rule.Operand) {
		if name == fact && value != nil {
			for _, s := range value.List {
				seen[s.String()] = true
			}
		}
	})
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
func (m *model) visitorOptions(name string) []option {
	k := fact.Find(name)
	values := m.valuesBefore(k)
	shares := m.assume.Before(k)
	out := make([]option, len(values))
	total := 0.0
	for i, v := range values {
		p := 1.0
		if shares != nil {
			if p = shares[v]; v == fact.Elsewhere {
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

// valuesBefore are the values of a fact that a count tells apart, "" for unknown where a condition asks for that.
func (m *model) valuesBefore(k *fact.Known) []string {
	if k.Values != nil {
		return k.Values
	}
	values := m.mentioned(k.Name)
	if m.ordered(k.Name) {
		values = append(values, k.Ends...)
		for _, n := range m.numbersMentioned(k.Name) {
			if !slices.Contains(values, n.String()) {
				values = append(values, n.String())
			}
		}
	}
	switch {
	case k.Usual == "":
		values = append(values, fact.Elsewhere)
	case len(values) == 0:
		values = []string{k.Usual}
	}
	blanks := false
	m.d.EachCondition(func(_ string, c *rule.Condition) {
		blanks = blanks || c.Fact == k.Name && (c.Op == rule.OpBlank || c.Op == rule.OpAnswered)
	})
	if blanks {
		values = append(values, "")
	}
	return values
}
