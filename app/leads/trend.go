package leads

import (
	"fmt"
	"html/template"
	"strings"
	"time"

	"omphalos/app/page"
)

// trend are finishes and leads over time, by day or, where these are many, by week.
type trend struct {
	Rows  []dayRow // by day or week; Day is the first day of it
	Weeks bool
	Leads bool // leads are known
	Drawn template.HTML
}

// mostDayBars is up to how many days have a bar each.
const mostDayBars = 120

// mostTrendDays is how many days are drawn at most: the last ones.
const mostTrendDays = 5 * 366

// newTrend lays rows by day out from a first to a last day (YYYY-MM-DD); days without a row had no one.
func newTrend(rows []dayRow, first, last string, linked bool) trend {
	from, err := time.Parse(time.DateOnly, first)
	to, failed := time.Parse(time.DateOnly, last)
	if err != nil || failed != nil || to.Before(from) {
		return trend{}
	}
	if n := int(to.Sub(from).Hours()/24) + 1; n > mostTrendDays {
		from = to.AddDate(0, 0, 1-mostTrendDays)
	}
	t := trend{Weeks: int(to.Sub(from).Hours()/24)+1 > mostDayBars}
	step := 1
	if t.Weeks {
		step = 7
		from = from.AddDate(0, 0, -(int(from.Weekday())+6)%7) // from a Monday
	}
	for day := from; !day.After(to); day = day.AddDate(0, 0, step) {
		until := day.AddDate(0, 0, step-1).Format(time.DateOnly)
		t.Rows = append(t.Rows, dayRow{Day: day.Format(time.DateOnly), Until: until})
	}
	for _, r := range rows {
		day, err := time.Parse(time.DateOnly, r.Day)
		if err != nil || day.Before(from) || day.After(to) {
			continue
		}
		at := &t.Rows[int(day.Sub(from).Hours()/24)/step]
		at.Views, at.Starts = at.Views+r.Views, at.Starts+r.Starts
		at.Finishes, at.Leads = at.Finishes+r.Finishes, at.Leads+r.Leads
		t.Leads = t.Leads || r.Leads > 0
	}
	t.Drawn = t.draw(linked)
	return t
}

// Per is what a bar stands for.
func (t *trend) Per() string {
	if t.Weeks {
		return "week"
	}
	return "day"
}

// draw is a bar for each day or week: finishes, and within them leads; linked, it chooses the people of that time.
func (t *trend) draw(linked bool) template.HTML {
	const width, height = 380, 84
	bar := float64(width) / float64(len(t.Rows))
	most := 1
	for _, r := range t.Rows {
		most = max(most, r.Finishes)
	}
	var b strings.Builder
	shown := "Finishes"
	if t.Leads {
		shown = "Finishes and leads"
	}
	fmt.Fprintf(&b, `<svg viewBox="0 0 %d %d" role="group" aria-label="%s a %s, at most %d">`,
		width, height+16, shown, t.Per(), most)
	for i, r := range t.Rows {
		says := r.Says() + ": " + page.Plural(r.Finishes, "finish", "finishes")
		if t.Leads { // of people who were chosen, only finishes are counted by day
			says += ", " + page.Plural(r.Leads, "lead", "leads")
		}
		drawBar(&b, r, says, float64(i)*bar, bar, height, most, linked)
	}
	fmt.Fprintf(&b, `<path class="base" d="M0 %d.5H%d"/><text class="q" x="%d" y="9" text-anchor="end">%d</text>`,
		height, width, width, most)
	last := len(t.Rows) - 1
	for at, anchor := range map[int]string{0: "start", last / 2: "middle", last: "end"} {
		day, err := time.Parse(time.DateOnly, t.Rows[at].Day)
		if err != nil || at == 0 && anchor != "start" {
			continue
		}
		x := map[string]int{"start": 0, "middle": width / 2, "end": width}[anchor]
		fmt.Fprintf(&b, `<text class="q" x="%d" y="%d" text-anchor="%s">%s</text>`,
			x, height+13, anchor, day.Format("2 Jan"))
	}
	b.WriteString("</svg>")
	return template.HTML(b.String())
}

// drawBar draws one day's or week's bars. The table behind has the same links for the keyboard.
func drawBar(b *strings.Builder, r dayRow, says string, x, bar, height float64, most int, linked bool) {
	if r.Finishes == 0 {
		return
	}
	around := "g"
	if linked {
		around = "a"
		fmt.Fprintf(b, `<a data-adds href="?%s" tabindex="-1">`, r.Query())
	} else {
		b.WriteString("<g>")
	}
	fmt.Fprintf(b, `<title>%s</title>`, says)
	fmt.Fprintf(b, `<rect class="hit" x="%.2f" y="0" width="%.2f" height="%.0f"/>`, x, bar, height)
	rect := func(class string, n int) {
		tall := height * float64(n) / float64(most)
		fmt.Fprintf(b, `<rect class="%s" x="%.2f" y="%.1f" width="%.2f" height="%.1f"/>`,
			class, x, height-tall, max(0.6, bar-1), tall)
	}
	rect("finishbar", r.Finishes)
	if r.Leads > 0 {
		rect("leadbar", r.Leads)
	}
	b.WriteString("</" + around + ">")
}

// Query chooses the people of the row.
func (r dayRow) Query() template.URL {
	if r.Until == "" || r.Until == r.Day {
		return template.URL("day=" + r.Day)
	}
	return template.URL("since=" + r.Day + "&until=" + r.Until)
}

// Says names the row.
func (r dayRow) Says() string {
	if r.Until == "" || r.Until == r.Day {
		return r.Day
	}
	return r.Day + " to " + r.Until
}
