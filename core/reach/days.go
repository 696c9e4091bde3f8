package reach

import (
	"slices"
	"time"

	"omphalos/core/fact"
	"omphalos/core/rule"
)

// todayFact is the day on which dates are looked at. Counts know no clock: where the document names no day, it is a
// usual one.
var todayFact = fact.Find("today")

// looksAtToday reports whether a comparison or a formula counts from the day on which it is looked at.
func (m *model) looksAtToday() bool {
	found := m.formulaUses(todayFact.Name)
	m.d.EachCondition(func(_ string, c *rule.Condition) { found = found || c.Op.OfDays() })
	return found
}

// todays are the days that walks may be on.
func (m *model) todays() []string {
	i := m.slotOf(todayFact.Name)
	if i < 0 {
		return []string{todayFact.Usual}
	}
	var out []string
	for _, o := range m.slots[i].options {
		out = append(out, o.text)
	}
	return out
}

// today is the day that walks are on, where there is one.
func (m *model) today() string { return m.todays()[0] }

// daysUnsure reports whether dates are looked at on several days. Then neither the date nor the day alone decides a
// comparison, and the document is simulated.
func (m *model) daysUnsure() bool { return len(m.todays()) > 1 && m.looksAtToday() }

// daysTold returns one day for each group of days that the comparisons of a date treat alike: the days that are
// mentioned, with a day on either side, and those around the edge of each comparison with today.
func (m *model) daysTold(fact string, mentioned []string) []string {
	var out []string
	ordered := m.ordered(fact)
	for _, text := range mentioned {
		day, isDay := rule.Day(text)
		switch {
		case !isDay: // the number of a comparison with the day
		case ordered:
			out = append(out, rule.Near(day)...)
		default:
			out = append(out, text)
		}
	}
	for _, today := range m.todays() {
		m.d.EachCondition(func(_ string, c *rule.Condition) {
			if c.Fact == fact && c.Op.OfDays() && c.Value != nil {
				for _, s := range c.Value.List {
					out = append(out, rule.DaysAround(c.Op, s, today)...)
				}
			}
		})
		if day, ok := rule.Day(today); ok && m.formulaUses(fact) { // what a formula tells apart cannot be listed
			for _, years := range []int{0, 1, 18, 40, 70} {
				out = append(out, day.AddDate(-years, 0, 0).Format(time.DateOnly))
			}
			out = append(out, day.AddDate(0, 0, 7).Format(time.DateOnly), day.AddDate(0, 3, 0).Format(time.DateOnly))
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
