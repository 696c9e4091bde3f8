package leads

import (
	"context"
	"fmt"
	"html/template"
	"slices"
	"strconv"
	"strings"
	"time"

	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/insight"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

// binRow is a range of a score in the table behind the chart.
type binRow struct {
	Name, Share string
	Count       int
	Query       template.URL // chooses these people
}

// cut is a cut point with who is sent from it on.
type cut struct {
	From float64
	Name string
}

// Where the best are looked for, and into how many bars a score is put.
const (
	bestShare = 0.2
	mostBins  = 30
)

// spread draws how a score is spread, with the cut points of the version, and says where the best fifth begins.
//
// expected are the shares of its values that the count promises; none where it could not be counted.
func (v *scaleView) spread(d *quiz.Document, scale int, s *insight.Spread, version int, expected []reach.Point) {
	bins := s.Bins(mostBins)
	promised := promise(bins, expected, s.N())
	choose := func(b insight.Bin) template.URL {
		query := rangeQuery("scores", "scale."+d.Scales[scale].ID, b.From, b.To)
		if version > 0 { // these are people of one version
			query += template.URL("&version=" + strconv.Itoa(version))
		}
		return query
	}
	for _, b := range bins {
		name := number(b.From)
		if b.To-b.From > 1 {
			name += " to under " + number(b.To)
		}
		v.Bins = append(v.Bins, binRow{name, page.Percent(float64(b.Count) / float64(s.N())), b.Count, choose(b)})
	}
	v.Spread = spreadChart(d, scale, bins, promised, choose)
	if from, reached, ok := s.Best(bestShare); ok {
		v.Best = fmt.Sprintf(
			"The top 20%% of these people start at %s; %s score this or higher.",
			number(from),
			page.Percent(reached),
		)
	} else if s.N() > 0 {
		v.Best = "More than 20% of people share the highest value, so no cut point can single out the top 20%."
	}
}

// promise is how many of n people are to be expected in each range.
func promise(bins []insight.Bin, expected []reach.Point, n int) []float64 {
	out := make([]float64, len(bins))
	for _, p := range expected {
		x := p.Value.Float()
		for i, b := range bins {
			if x >= b.From && x < b.To {
				out[i] += p.Share * float64(n)
			}
		}
	}
	return out
}

// Bounds of the count that stands behind the charts: the page does not wait for it longer.
const (
	expectPatience = 300 * time.Millisecond
	expectSamples  = 3000
)

// expectedScores are the shares of the values of each scale, in the order of the document's; nil where they could not
// be counted.
func (h *Handler) expectedScores(d *workbench.Draft, doc *quiz.Document) [][]reach.Point {
	o := reach.Options{Patience: expectPatience, Samples: expectSamples}
	if typed := edit.ReadAssumed(d.Quiz.Assumed); len(typed.Answers)+len(typed.Visitor) > 0 {
		o.Assume = reach.Complete(doc, typed)
	}
	ctx, stop := context.WithTimeout(context.Background(), 10*expectPatience)
	defer stop()
	out := make([][]reach.Point, len(doc.Scales))
	r, err := reach.Check(ctx, doc, o)
	if err != nil {
		return out // the bar says why
	}
	for i := range r.Scales {
		out[i] = r.Scales[i].Shares
	}
	return out
}

func number(x float64) string {
	return strings.Replace(strconv.FormatFloat(x, 'f', -1, 64), "-", "−", 1)
}

// cuts are the cut points on a scale, of the first line that has any.
func cuts(d *quiz.Document, scale int) []cut {
	for i := range d.Verdicts {
		b := d.Verdicts[i].Bands
		if b == nil || b.On != "scale."+d.Scales[scale].ID {
			continue
		}
		var out []cut
		for _, c := range b.Cuts {
			out = append(out, cut{c.From.Float(), d.OutcomeName(c.Outcome)})
		}
		return out
	}
	return nil
}

// Size of the drawing of a score, in its own units, without the words around it.
const spreadWidth, spreadHeight = 380.0, 84.0

// drawCut draws a cut point with its value and who is sent from it on.
func drawCut(b *strings.Builder, c cut, x float64) {
	anchor := "start"
	if x > spreadWidth*0.7 {
		anchor = "end"
	}
	fmt.Fprintf(b, `<path class="cutline" d="M%.1f -2V%.1f"/>`, x, spreadHeight)
	name := template.HTMLEscapeString(quiz.Shorten(c.Name, 16))
	fmt.Fprintf(b, `<text class="q" x="%.1f" y="-4" text-anchor="%s">%s</text>`, x, anchor, name)
	fmt.Fprintf(b, `<text class="q" x="%.1f" y="%.1f" text-anchor="middle">%s</text>`, x, spreadHeight+13, number(c.From))
}

// spreadChart is a bar for each range, which chooses its people, with a line at each cut point within.
func spreadChart(
	d *quiz.Document, scale int, bins []insight.Bin, promised []float64, choose func(insight.Bin) template.URL,
) template.HTML {
	if len(bins) == 0 {
		return ""
	}
	const width, height = spreadWidth, spreadHeight
	most := 1.0
	for i, b := range bins {
		most = max(most, float64(b.Count), promised[i])
	}
	low, high := bins[0].From, bins[len(bins)-1].To
	x := func(value float64) float64 { return width * (value - low) / (high - low) }
	bar := width / float64(len(bins))
	var b strings.Builder
	fmt.Fprintf(&b, `<svg viewBox="0 -14 %.0f %.0f" role="group" aria-label="Distribution of %s, from %s to %s">`,
		width, height+30, template.HTMLEscapeString(d.Scales[scale].Title()), number(low), number(high))
	for _, one := range bins {
		if one.Count == 0 {
			continue
		}
		tall := height * float64(one.Count) / most
		query := template.HTMLEscapeString(string(choose(one)))
		fmt.Fprintf(&b, `<a href="?%s" tabindex="-1"><title>%d</title>`, query, one.Count)
		fmt.Fprintf(&b, `<rect class="leadbar" x="%.1f" y="%.1f" width="%.1f" height="%.1f"/></a>`,
			x(one.From), height-tall, max(0.5, bar-1), tall)
	}
	if slices.Max(promised) > 0 {
		b.WriteString(`<path class="expectedline" d="M0 ` + fmt.Sprintf("%.1f", height))
		for i, one := range bins {
			fmt.Fprintf(&b, "V%.1fH%.1f", height-height*promised[i]/most, x(one.To))
		}
		fmt.Fprintf(&b, `V%.1f"/>`, height)
	}
	fmt.Fprintf(&b, `<path class="base" d="M0 %.1fH%.0f"/>`, height+0.5, width)
	for _, c := range cuts(d, scale) {
		if c.From > low && c.From < high {
			drawCut(&b, c, x(c.From))
		}
	}
	fmt.Fprintf(&b, `<text class="q" x="0" y="%.1f">%s</text>`, height+13, number(low))
	b.WriteString("</svg>")
	return template.HTML(b.String())
}
