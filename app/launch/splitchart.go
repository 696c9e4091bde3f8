package launch

import (
	"fmt"
	"html/template"
	"math"
	"strings"
	"time"

	"omphalos/app/page"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
	"omphalos/core/insight"
)

// splitChart is one rate of both versions over time: of all that came up to the end of each day.
type splitChart struct {
	Name    string
	Drawing template.HTML
	Rows    []splitDay
}

// splitDay is a day of it.
type splitDay struct {
	Day   string // YYYY-MM-DD
	Rates [2]insight.Rate
}

// Share is the rate of one of the two versions.
func (d splitDay) Share(version int) string { return page.Percent(d.Rates[version].Share()) }

// mostSplitDays is how many days are drawn at most; of a longer test, days at even distances.
const mostSplitDays = 60

// splitCharts reads the days of a test from tallies, from its first to today; before the second there is nothing to
// draw.
func (h *Handler) splitCharts(quizID, first, today string, split *responses.Split) ([]splitChart, error) {
	days := daysBetween(first, today)
	if len(days) < 2 {
		return nil, nil
	}
	finish, lead := splitChart{Name: "finish"}, splitChart{Name: "become leads"}
	for _, day := range days {
		finish.Rows = append(finish.Rows, splitDay{Day: day})
		lead.Rows = append(lead.Rows, splitDay{Day: day})
	}
	for i, version := range []int{split.A, split.B} {
		walks, err := h.Store.Tallies.VersionDays(quizID, version)
		if err != nil {
			return nil, err
		}
		var so tallies.VersionCounts
		for k, day := range days {
			for len(walks) > 0 && walks[0].Day <= day {
				so.AddDay(&walks[0])
				walks = walks[1:]
			}
			c := so.Since(split.Before[version])
			finish.Rows[k].Rates[i] = insight.Rate{Hits: min(c.Finishes, c.Starts), Of: c.Starts}
			lead.Rows[k].Rates[i] = insight.Rate{Hits: min(c.Leads, c.Starts), Of: c.Starts}
		}
	}
	finish.draw(split)
	lead.draw(split)
	return []splitChart{finish, lead}, nil
}

// daysBetween are the days from one to another, both included.
func daysBetween(first, last string) []string {
	from, err := time.Parse(time.DateOnly, first)
	to, failed := time.Parse(time.DateOnly, last)
	if err != nil || failed != nil || to.Before(from) {
		return nil
	}
	n := int(to.Sub(from).Hours()/24) + 1
	shown := min(n, mostSplitDays)
	var out []string
	for k := range shown {
		ago := int(math.Round(float64(k) * float64(n-1) / float64(max(1, shown-1))))
		out = append(out, from.AddDate(0, 0, ago).Format(time.DateOnly))
	}
	return out
}

// Measures of the drawing, in its own units.
const (
	splitWidth  = 360.0
	splitHeight = 120.0
	splitLeft   = 44.0
	splitRight  = 74.0
)

// draw draws both rates with their confidence sequences: A as a line, B dashed.
func (c *splitChart) draw(split *responses.Split) {
	low, high := 1.0, 0.0
	var bands [2][][2]float64
	for i := range 2 {
		for _, row := range c.Rows {
			from, to := insight.Sequence(row.Rates[i], splitAlpha)
			bands[i] = append(bands[i], [2]float64{from, to})
		}
		last := bands[i][len(bands[i])-1]
		share := c.Rows[len(c.Rows)-1].Rates[i].Share()
		low, high = min(low, last[0], share), max(high, last[1], share)
	}
	low, high = math.Max(0, low-0.05), math.Min(1, high+0.05)
	x := func(k int) float64 {
		return splitLeft + (splitWidth-splitLeft-splitRight)*float64(k)/float64(len(c.Rows)-1)
	}
	y := func(share float64) float64 {
		return splitHeight - 18 - (splitHeight-28)*(math.Min(high, math.Max(low, share))-low)/(high-low)
	}
	var b strings.Builder
	last := c.Rows[len(c.Rows)-1]
	said := fmt.Sprintf("%s: version %d %s, version %d %s", c.Name, split.A, last.Share(0), split.B, last.Share(1))
	fmt.Fprintf(&b, `<svg viewBox="0 0 %.0f %.0f" class="splitchart" role="img" aria-label="%s">`,
		splitWidth, splitHeight, said)
	for _, share := range []float64{low, high} {
		fmt.Fprintf(&b, `<path class="base" d="M%.0f %.1fH%.0f"/>`, splitLeft, y(share), splitWidth-splitRight)
		fmt.Fprintf(&b, `<text class="q" x="%.0f" y="%.1f" text-anchor="end">%s</text>`,
			splitLeft-4, y(share)+3, page.Percent(share))
	}
	for i := range 2 {
		var band, line []string
		for k, row := range c.Rows {
			band = append(band, fmt.Sprintf("%.1f %.1f", x(k), y(bands[i][k][1])))
			if row.Rates[i].Of > 0 {
				line = append(line, fmt.Sprintf("%.1f %.1f", x(k), y(row.Rates[i].Share())))
			}
		}
		for k := len(c.Rows) - 1; k >= 0; k-- {
			band = append(band, fmt.Sprintf("%.1f %.1f", x(k), y(bands[i][k][0])))
		}
		fmt.Fprintf(&b, `<path class="band b%d" d="M%sZ"/>`, i, strings.Join(band, "L"))
		if len(line) > 0 {
			fmt.Fprintf(&b, `<path class="rate r%d" d="M%s"/>`, i, strings.Join(line, "L"))
		}
	}
	c.label(&b, split, y)
	day := func(k int) string {
		at, _ := time.Parse(time.DateOnly, c.Rows[k].Day) // daysBetween wrote it
		return at.Format("2 Jan")
	}
	fmt.Fprintf(&b, `<text class="q" x="%.0f" y="%.0f">%s</text>`, splitLeft, splitHeight-4, day(0))
	fmt.Fprintf(&b, `<text class="q" x="%.0f" y="%.0f" text-anchor="end">%s</text></svg>`,
		splitWidth-splitRight, splitHeight-4, day(len(c.Rows)-1))
	c.Drawing = template.HTML(b.String())
}

// label names the lines at their ends, apart from one another.
func (c *splitChart) label(b *strings.Builder, split *responses.Split, y func(float64) float64) {
	last := c.Rows[len(c.Rows)-1]
	at := [2]float64{y(last.Rates[0].Share()), y(last.Rates[1].Share())}
	if gap := at[1] - at[0]; math.Abs(gap) < 12 {
		middle, sign := (at[0]+at[1])/2, math.Copysign(6, gap)
		at[0], at[1] = middle-sign, middle+sign
	}
	for i, version := range []int{split.A, split.B} {
		fmt.Fprintf(b, `<text class="r%d" x="%.0f" y="%.1f">version %d</text>`,
			i, splitWidth-splitRight+6, at[i]+3.5, version)
	}
}
