package leads

import (
	"math"
	"slices"
	"strconv"

	"omphalos/app/store/tallies"
	"omphalos/core/insight"
)

// mostValues is how many numbers are shown one by one, and into how many ranges more are put.
const mostValues = 12

// numbers are the values that are numbers, or ranges of them, by size.
func numbers(c *crossTable) []string {
	if c.ranges {
		return slices.DeleteFunc(
			slices.Clone(c.order),
			func(v string) bool { return v == tallies.ValueBlank || v == tallies.ValueOthers },
		)
	}
	var out []string
	for _, text := range c.order {
		if _, err := strconv.ParseFloat(text, 64); err == nil {
			out = append(out, text)
		}
	}
	slices.SortFunc(out, func(a, b string) int {
		x, _ := strconv.ParseFloat(a, 64)
		y, _ := strconv.ParseFloat(b, 64)
		return int(math.Copysign(1, x-y))
	})
	return out
}

// inRanges puts many different numbers into a few ranges: by themselves each tells of one or two people. What is no
// number stays.
func (c *crossTable) inRanges() *crossTable {
	list := numbers(c)
	if len(list) <= mostValues {
		return c
	}
	var spread insight.Spread
	for _, text := range list {
		x, _ := strconv.ParseFloat(text, 64)
		spread.AddMany(x, total(c.values[text]))
	}
	out := &crossTable{asked: c.asked, values: map[string]map[string]int{}, ranges: true}
	add := func(name string, outcomes map[string]int) {
		if out.values[name] == nil {
			out.values[name] = map[string]int{}
			out.order = append(out.order, name)
		}
		for outcome, n := range outcomes {
			out.values[name][outcome] += n
		}
	}
	bins := spread.Bins(mostValues)
	at := 0
	out.bins = map[string][2]float64{}
	for _, b := range bins {
		name := number(b.From) + " to under " + number(b.To)
		out.bins[name] = [2]float64{b.From, b.To}
		add(name, nil)
		for ; at < len(list); at++ {
			if x, _ := strconv.ParseFloat(list[at], 64); x >= b.To {
				break
			}
			add(name, c.values[list[at]])
		}
	}
	for _, rest := range []string{tallies.ValueOthers, tallies.ValueBlank} {
		if c.values[rest] != nil {
			add(rest, c.values[rest])
		}
	}
	return out
}
