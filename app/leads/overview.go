package leads

import (
	"fmt"
	"html/template"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/store/tallies"
	"omphalos/app/workbench"
	"omphalos/core/insight"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

// overview is the first view: how many came, how far, and where they ended against what the count had promised.
type overview struct {
	Figures  []figure
	Period   int          // days that Lately compares
	Lately   []comparison // nothing where there was nothing before
	Ends     []outcomeCount
	Of       string // which version Ends are of, where there are several
	Version  int    // the same as a number; 0 where there is one alone
	Assumed  string // what the expectation assumes
	Drift    string // which outcomes are not as expected; "" where all are
	Stations []stop
	Trend    trend
	Spans    []span
	Slices   []breakdown
}

// comparison is a figure of the last days next to that of as many days before them.
type comparison struct {
	Name        string
	Now, Before int
}

// Change is by how much the figure has grown.
func (c comparison) Change() string {
	if c.Before == 0 {
		return "–"
	}
	by := math.Round(100 * (float64(c.Now)/float64(c.Before) - 1))
	if by < 0 {
		return fmt.Sprintf("−%.0f%%", -by)
	}
	return fmt.Sprintf("+%.0f%%", by)
}

// figure is one number with its rate.
type figure struct {
	Name, Value string
	Rate        string // of the one before, with its interval; "" for none
}

// outcomeCount is an outcome: how many came to it, and how many were to be expected.
type outcomeCount struct {
	page.Mark
	Share, Expected float64
	Between         string
	Off             string // by how much it differs from what was expected, where that is no chance
	low, high       float64
}

// ends are the outcomes of the version that runs: others made other promises. Where no one has finished it yet, or none
// runs, they are those of all.
func (w *overview) ends(marks []page.Mark, c *tallies.Counts, version int) {
	counts, all := c.Versions[version], 0
	for _, n := range counts {
		all += n
	}
	if all == 0 {
		counts, all = c.Outcomes, c.Finishes
	} else if len(c.Versions) > 1 {
		w.Of, w.Version = fmt.Sprintf("version %d", version), version
	}
	for _, m := range marks {
		if m.Count = counts[m.ID]; w.Version > 0 && m.Count == 0 && c.Outcomes[m.ID] > 0 {
			continue // of an earlier version
		}
		w.Ends = append(w.Ends, newEnded(m, m.Count, all))
	}
}

// newEnded is an outcome that n of all ended at.
func newEnded(m page.Mark, n, all int) outcomeCount {
	m.Count = n
	r := insight.Rate{Hits: n, Of: all}
	e := outcomeCount{Mark: m, Share: r.Share(), Expected: -1}
	e.low, e.high = insight.Wilson(r)
	e.Between = page.Percent(e.low) + " to " + page.Percent(e.high)
	return e
}

// Drawn is the share as a bar, with a line at what was expected.
func (e outcomeCount) Drawn() template.HTML {
	var b strings.Builder
	fmt.Fprintf(
		&b,
		`<svg viewBox="0 0 100 14" preserveAspectRatio="none"><rect class="ground" width="100" height="14"/><rect class="f%d" width="%.2f" height="14"/>`,
		e.Style,
		100*e.Share,
	)
	if e.Expected >= 0 {
		fmt.Fprintf(&b, `<rect class="promised" x="%.2f" y="-1" width="1" height="16"/>`, math.Min(99, 100*e.Expected))
	}
	b.WriteString("</svg>")
	return template.HTML(b.String())
}

// stop is a station of the way: who came there, and how many fewer that is than at the station before.
type stop struct {
	ID    string // of the question; "" for the opening page and the end
	Name  string
	Count int
	Lost  int
	Worst bool
	Ways  []wayOn // where those who finished went on from it, where it branches
	Took  string  // how long people stay there, by medians; "" where that is not known
	Width int     // of 100
}

type dayRow struct {
	Day, Until                     string // the same for a day
	Views, Starts, Finishes, Leads int
}

// breakdown is all walks by one thing.
type breakdown struct {
	Key  string // parameter of the address that chooses one of the values
	Name string
	Rows []sliceRow
	More int
}

type sliceRow struct {
	tallies.Slice
	Name, Rate string
	Share      float64 // of the largest, for a bar
}

// newWhole reads the first view from tallies.
func (h *Handler) newWhole(v *view) (*overview, error) {
	d, c := v.Draft, v.Draft.Counts
	w := &overview{}
	took, err := h.Store.Tallies.MedianTime(d.Quiz.ID)
	if err != nil {
		return nil, err
	}
	w.figures(c, v.Qualified, took)
	steps, err := h.Store.Tallies.StageCounts(d.Quiz.ID, tallies.StageStep)
	if err != nil {
		return nil, err
	}
	arrivals, err := h.Store.Tallies.MedianArrivals(d.Quiz.ID)
	if err != nil {
		return nil, err
	}
	w.stations(d, steps, arrivals, took)
	if !v.public {
		onward, err := h.onward(d)
		if err != nil {
			return nil, err
		}
		for i := range w.Stations {
			w.Stations[i].Ways = onward[w.Stations[i].ID]
		}
	}
	if err := h.days(w, d, v.period, !v.public); err != nil {
		return nil, err
	}
	for _, by := range []struct{ key, name string }{
		{"source", "Source"},
		{"device", "Device"},
		{"country", "Country"},
		{"language", "Language"},
		{"way", "Channel"},
		{"version", "Version"},
	} {
		list, err := h.Store.Tallies.Breakdown(d.Quiz.ID, by.key)
		if err != nil {
			return nil, err
		}
		if s := newSlices(by.key, by.name, list); len(s.Rows) > 0 {
			w.Slices = append(w.Slices, s)
		}
	}
	version := d.Quiz.LiveVersion
	if v.public {
		version = 0 // results are of all
	}
	w.ends(v.Marks, d.Counts, version)
	return w, nil
}

func (w *overview) figures(c *tallies.Counts, qualified int, took time.Duration) {
	rate := func(hits, of int) string {
		if of == 0 || hits > of {
			return ""
		}
		r := insight.Rate{Hits: hits, Of: of}
		low, high := insight.Wilson(r)
		return page.Percent(r.Share()) + ", " + page.Percent(low) + " to " + page.Percent(high)
	}
	w.Figures = []figure{
		{"Views", page.Thousands(c.Views), ""},
		{"Starts", page.Thousands(c.Starts), rate(c.Starts, c.Views)},
		{"Finishes", page.Thousands(c.Finishes), rate(c.Finishes, c.Starts)},
		{"Leads", page.Thousands(c.Leads), rate(c.Leads, c.Finishes)},
		{"Qualified leads", page.Thousands(qualified), rate(qualified, c.Finishes)},
	}
	if took > 0 {
		w.Figures = append(w.Figures, figure{"Median time", duration(took), ""})
	}
}

// stations are the opening page, every question as the draft has them, and the end.
func (w *overview) stations(
	d *workbench.Draft,
	steps map[string]int,
	arrivals map[string]time.Duration,
	all time.Duration,
) {
	var at []time.Duration // when half of them had come there
	put := func(id, name string, n int, after time.Duration) {
		w.Stations, at = append(w.Stations, stop{ID: id, Name: name, Count: n}), append(at, after)
	}
	if d.Doc.Intro != nil {
		put("", "Opening page", d.Counts.Views, 0)
	}
	for i := range d.Doc.Questions {
		id := d.Doc.Questions[i].ID
		put(id, fmt.Sprintf("%d %s", i+1, d.Doc.Questions[i].Title()), steps[id], arrivals[id])
	}
	put("", "Finished", d.Counts.Finishes, all)
	for i := range w.Stations[:len(at)-1] {
		if stay := at[i+1] - at[i]; stay > 0 && (at[i] > 0 || i == 0) {
			w.Stations[i].Took = duration(stay)
		}
	}
	most, worst := 1, 0
	for i := range w.Stations {
		most = max(most, w.Stations[i].Count)
		if i > 0 && !elsewhere(d.Doc, w.Stations[i-1].ID, w.Stations[i].ID) {
			w.Stations[i].Lost = w.Stations[i-1].Count - w.Stations[i].Count
			worst = max(worst, w.Stations[i].Lost)
		}
	}
	for i := range w.Stations {
		s := &w.Stations[i]
		s.Width = int(math.Round(100 * float64(s.Count) / float64(most)))
		s.Worst = s.Lost > 0 && s.Lost == worst
	}
}

// period is how many days are compared with as many before them.
const period = 28

// lately compares the last days with those before.
func (w *overview) lately(rows []dayRow) {
	views, starts, finishes, leads := comparison{
		Name: "views",
	}, comparison{
		Name: "starts",
	}, comparison{
		Name: "finishes",
	}, comparison{
		Name: "leads",
	}
	for i, row := range rows {
		for _, one := range []struct {
			c *comparison
			n int
		}{{&views, row.Views}, {&starts, row.Starts}, {&finishes, row.Finishes}, {&leads, row.Leads}} {
			if i < period {
				one.c.Before += one.n
			} else {
				one.c.Now += one.n
			}
		}
	}
	if views.Before+starts.Before+finishes.Before > 0 {
		w.Period, w.Lately = period, []comparison{views, starts, finishes, leads}
	}
}

// elsewhere reports whether some continue from a station without coming to the next one: fewer there have not left.
func elsewhere(d *quiz.Document, from, to string) bool {
	if i := d.Question(from); i >= 0 && len(d.Questions[i].Branches) > 0 {
		return true
	}
	i := d.Question(to)
	return i >= 0 && d.Questions[i].VisibleIf != nil
}

// spans are the times that the chart can show, in days; the first one is usual.
var spans = []int{60, 30, 90, 365}

// span is a time that the chart can show.
type span struct {
	Days    int
	Current bool
}

// days draws finishes and leads over the last days, with a table behind it.
func (h *Handler) days(w *overview, d *workbench.Draft, asked string, linked bool) error {
	list, err := h.Store.Tallies.Days(d.Quiz.ID)
	if err != nil {
		return err
	}
	shown := spans[0]
	for _, n := range spans {
		if strconv.Itoa(n) == asked {
			shown = n
		}
	}
	for _, n := range slices.Sorted(slices.Values(spans)) {
		w.Spans = append(w.Spans, span{n, n == shown})
	}
	byDay := map[string]*dayRow{}
	var rows []*dayRow
	for _, t := range list {
		row := byDay[t.Day]
		if row == nil {
			row = &dayRow{Day: t.Day}
			byDay[t.Day], rows = row, append(rows, row)
		}
		switch t.Stage {
		case tallies.StageView:
			row.Views += t.Count
		case tallies.StageStart:
			row.Starts += t.Count
		case tallies.StageEnd:
			row.Finishes += t.Count
			row.Leads += t.Leads
		}
	}
	all := make([]dayRow, len(rows))
	for i, row := range rows {
		all[i] = *row
	}
	today := h.Now().In(d.Zone)
	ago := func(n int) string { return today.AddDate(0, 0, 1-n).Format(time.DateOnly) }
	w.Trend = newTrend(all, ago(shown), today.Format(time.DateOnly), linked)
	w.lately(newTrend(all, ago(2*period), today.Format(time.DateOnly), false).Rows)
	return nil
}

// shownSlices is how many values of one thing are listed.
const shownSlices = 6

func newSlices(key, name string, list []tallies.Slice) breakdown {
	s := breakdown{Key: key, Name: name}
	for _, one := range list {
		if one.Value == "" && one.Starts+one.Finishes == 0 {
			continue
		}
		if len(s.Rows) == shownSlices {
			s.More++
			continue
		}
		row := sliceRow{Slice: one, Name: one.Value}
		switch {
		case name == "Version":
			row.Name = "version " + one.Value
		case one.Value == "" && name == "Source":
			row.Name = "direct"
		case one.Value == "":
			row.Name = "Unknown"
		case name == "Country":
			row.Name = quiz.CountryName(one.Value)
		case name == "Channel":
			row.Name = quiz.FirstOf(ways[one.Value], one.Value)
		case name == "Language":
			row.Name = languageName(one.Value)
		}
		if one.Starts > 0 && one.Finishes <= one.Starts {
			row.Rate = page.Percent(float64(one.Finishes) / float64(one.Starts))
		}
		s.Rows = append(s.Rows, row)
	}
	most := 1
	for _, r := range s.Rows {
		most = max(most, r.Finishes)
	}
	for i := range s.Rows {
		s.Rows[i].Share = float64(s.Rows[i].Finishes) / float64(most)
	}
	if len(s.Rows) == 1 && s.Rows[0].Value == "" {
		s.Rows = nil // nothing is told apart
	}
	return s
}

// expect draws the outcomes against what the count of the version that runs promises, with answers as they are assumed.
func (h *Handler) expect(v *workbench.Counted) (map[string]template.HTML, error) {
	if v.Quiz.LiveVersion == 0 || v.Counts.Finishes == 0 || v.Query.Get("view") != "" {
		return nil, nil
	}
	doc, err := h.Store.Documents.VersionDocument(v.Quiz.ID, v.Quiz.LiveVersion)
	if err != nil {
		return nil, err
	}
	o := v.Options
	o.Only, o.Assume = true, nil
	if typed := edit.ReadAssumed(v.Quiz.Assumed); len(typed.Answers)+len(typed.Visitor) > 0 {
		o.Assume = reach.Complete(doc, typed)
	}
	r, err := reach.Check(v.Context, doc, o)
	if err != nil {
		return nil, err
	}
	s := &view{Draft: v.Draft}
	if err := h.outcomes(s); err != nil {
		return nil, err
	}
	w := &overview{}
	w.ends(s.Marks, v.Counts, v.Quiz.LiveVersion)
	expected := map[string]float64{}
	for _, one := range r.Outcomes {
		expected[one.ID] = one.Share
	}
	var off []string
	for i := range w.Ends {
		e := &w.Ends[i]
		if p, known := expected[e.ID]; known {
			if e.Expected = p; p < e.low || p > e.high {
				e.Off = signedPoints(e.Share - p)
				off = append(off, e.Name)
			}
		}
	}
	assumed := "evenly spread answers"
	if o.Assume != nil {
		assumed = "the answer shares you expect"
	}
	w.Assumed = assumed
	switch len(off) {
	case 0:
		w.Drift = "The results match " + assumed + ", apart from chance."
	case 1:
		w.Drift = off[0] + " differs from what " + assumed + " would lead to (the black line is outside the 95% interval)."
	default:
		names := strings.Join(off[:len(off)-1], ", ") + " and " + off[len(off)-1]
		w.Drift = names + " differ from what " + assumed + " would lead to (the black lines are outside the 95% intervals)."
	}
	return map[string]template.HTML{"expected": template.HTML(page.Execute(templates, "expected", w))}, nil
}

func signedPoints(d float64) string {
	text := fmt.Sprintf("%.1f", 100*math.Abs(d))
	if d < 0 {
		return "−" + text
	}
	return "+" + text
}
