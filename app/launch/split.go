package launch

import (
	"fmt"
	"math"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
	"omphalos/core/insight"
	"omphalos/core/quiz"
)

// splitPart is how two versions share the traffic.
type splitPart struct {
	A, B     int
	Share    string // of B
	Since    string
	Starts   [2]int
	Rows     []rateRow
	Mismatch string // the traffic does not fit what was asked; "" where it does
	Words    []string
	Winner   int          // the version that is clearly better at the last of the rates that tell; 0 for none
	Charts   []splitChart // nothing until a day has passed
	Day      string       // YYYY-MM-DD on which it began, in the quiz's time zone
}

// Both are the two versions.
func (p *splitPart) Both() []int { return []int{p.A, p.B} }

// rateRow is one rate of both versions.
type rateRow struct {
	Name       string
	A, B       string    // shares
	Hits       [2]string // “12 of 20”
	Difference string
	Interval   string
	Clear      bool
}

// splitAlpha is the chance of ever claiming a difference that is not there.
const splitAlpha = 0.05

// settledBy is the difference for which the time to wait is told.
const settledBy = 0.05

func (h *Handler) splitOf(s *view, a *responses.Access) (*splitPart, error) {
	split := a.Split
	if split == nil {
		return nil, nil
	}
	counts, err := h.Store.Tallies.VersionCounts(s.Draft.Quiz.ID)
	if err != nil {
		return nil, err
	}
	p := &splitPart{A: split.A, B: split.B, Share: page.Percent(split.Share), Since: s.Draft.Moment(split.Since)}
	var now [2]*tallies.VersionCounts
	var qualified [2]int
	p.Day = split.Since.In(s.Draft.Zone).Format(time.DateOnly)
	for i, number := range []int{split.A, split.B} {
		now[i] = counts[number].Since(split.Before[number])
		p.Starts[i] = now[i].Starts
		d, err := h.Store.Documents.VersionDocument(s.Draft.Quiz.ID, number)
		if err != nil {
			return nil, err
		}
		qualified[i] = qualifiedLeads(d, now[i])
	}
	if chance := insight.Mismatch(now[0].Starts, now[1].Starts, split.Share); chance < insight.MismatchAlarm {
		p.Mismatch = fmt.Sprintf(
			"The split isn’t working as set: %d and %d starts don’t match a share of %s. A gap this large happens by "+
				"chance less than once in %s times. "+
				"Something is sending people to one version, so don’t rely on this comparison.",
			now[0].Starts,
			now[1].Starts,
			p.Share,
			oneIn(chance),
		)
	}
	days := time.Since(split.Since).Hours() / 24
	for _, r := range []struct {
		name, verb string
		a, b       int
	}{
		{"finish", "finishes", now[0].Finishes, now[1].Finishes},
		{"become leads", "brings leads", now[0].Leads, now[1].Leads},
		{"qualified leads", "brings qualified leads", qualified[0], qualified[1]},
	} {
		// starts are written within a second, responses at once: never more than began
		a := insight.Rate{Hits: min(r.a, now[0].Starts), Of: now[0].Starts}
		b := insight.Rate{Hits: min(r.b, now[1].Starts), Of: now[1].Starts}
		p.row(r.name, r.verb, a, b, days)
	}
	p.Charts, err = h.splitCharts(s.Draft.Quiz.ID, p.Day, time.Now().In(s.Draft.Zone).Format(time.DateOnly), split)
	return p, err
}

func qualifiedLeads(d *quiz.Document, c *tallies.VersionCounts) int {
	n := 0
	for id, m := range c.Outcomes {
		if o := d.Outcome(id); o != nil && o.Qualified {
			n += m.Leads
		}
	}
	return n
}

func oneIn(chance float64) string {
	if chance < 1e-9 {
		return "a billion"
	}
	return page.Thousands(int(1 / chance))
}

// row adds a rate of both versions, and what can be said of their difference.
func (p *splitPart) row(name, verb string, a, b insight.Rate, days float64) {
	of := func(r insight.Rate) string { return page.Thousands(r.Hits) + " of " + page.Thousands(r.Of) }
	r := rateRow{Name: name, A: page.Percent(a.Share()), B: page.Percent(b.Share()), Hits: [2]string{of(a), of(b)}}
	d := insight.Compare(a, b, splitAlpha)
	r.Difference = points(d.Value)
	r.Interval = points(d.Low) + " to " + points(d.High)
	r.Clear = d.Clear()
	p.Rows = append(p.Rows, r)
	switch {
	case a.Of+b.Of == 0:
	case d.Clear():
		better, low, high := p.B, d.Low, d.High
		if d.High < 0 {
			better, low, high = p.A, -d.High, -d.Low
		}
		p.Winner = better
		p.Words = append(
			p.Words,
			fmt.Sprintf("Version %d %s more often, by %.1f to %.1f percentage points.", better, verb, 100*low, 100*high),
		)
	default:
		p.Words = append(p.Words, wait(name, a, b, days))
	}
}

// fewestStarts is how many starts each version needs before it is said how long the test takes: common practice of the
// trade, as a rate of fewer moves by points with every visit.
const fewestStarts = 100

// longestWait is how many days ahead are told at most.
const longestWait = 730

// wait says how long it takes at this rate until a difference of five points would show.
func wait(name string, a, b insight.Rate, days float64) string {
	pooled := insight.Rate{Hits: a.Hits + b.Hits, Of: a.Of + b.Of}
	needed := insight.Needed(pooled.Share(), settledBy, splitAlpha, 1_000_000)
	smaller := min(a.Of, b.Of)
	said := fmt.Sprintf("No clear difference yet in how many people %s", map[string]string{
		"finish": "finish", "become leads": "become leads", "qualified leads": "become qualified leads"}[name])
	if smaller < fewestStarts || days <= 0 {
		return fmt.Sprintf("%s. How long it takes can be estimated from %d starts of each version on.", said, fewestStarts)
	}
	left := float64(needed-smaller) * days / float64(smaller)
	switch {
	case left <= 0:
		return said + ". A difference of 5 percentage points would be visible by now."
	case left > longestWait:
		return said + ". At this rate, a difference of 5 percentage points would take more than two years to show."
	case left < 1:
		return said + ". At this rate, a difference of 5 percentage points would show within a day."
	}
	return fmt.Sprintf(
		"%s. At this rate, a difference of 5 percentage points would show in about %s.",
		said,
		page.Plural(int(math.Ceil(left)), "day", "days"),
	)
}

// points writes a difference of shares as percentage points.
func points(d float64) string {
	text := strconv.FormatFloat(100*d, 'f', 1, 64)
	switch {
	case text == "0.0" || text == "-0.0":
		return "0"
	case d < 0:
		return "−" + text[1:]
	}
	return "+" + text
}

func (h *Handler) split(c *gin.Context, who edit.Actor, id string) error {
	version, _ := strconv.Atoi(c.PostForm("version"))
	percent, err := strconv.Atoi(c.PostForm("percent"))
	if err != nil {
		percent = 0 // is refused with words
	}
	return h.Bench.Editor.StartSplit(who, id, version, percent)
}

// choose ends the sharing: one of the two versions gets all the traffic.
func (h *Handler) choose(c *gin.Context, who edit.Actor, id string) error {
	number, _ := strconv.Atoi(c.Param("number"))
	return h.Bench.Editor.Choose(who, id, number)
}
