package leads

import (
	"fmt"
	"html/template"
	"strings"

	"omphalos/app/page"
)

// flow is how many people ended at one outcome and would end at another, or the same, in the draft.
type flow struct {
	From, To page.Mark
	Count    int
}

// Size of the drawing of a stream, in its own units.
const (
	streamWidth  = 640.0
	streamHeight = 150.0
	streamBar    = 12.0
	streamGap    = 5.0
)

// streamChart draws outcomes as they were on the left and as they would be on the right, with a stream between for each
// way from one to another. marks are the outcomes in their order.
func streamChart(marks []page.Mark, flows []flow) template.HTML {
	left, right := map[string]int{}, map[string]int{}
	all := 0
	for _, f := range flows {
		left[f.From.ID] += f.Count
		right[f.To.ID] += f.Count
		all += f.Count
	}
	if all == 0 {
		return ""
	}
	scale := (streamHeight - streamGap*float64(len(marks))) / float64(all)
	var b strings.Builder
	fmt.Fprintf(
		&b,
		`<svg class="stream" viewBox="0 0 %.0f %.0f" role="img" aria-label="Outcomes of these people, before and with the draft">`,
		streamWidth,
		streamHeight,
	)
	// Where the next stream leaves or comes in, by outcome.
	leaves, comes := starts(marks, left, scale), starts(marks, right, scale)
	for _, from := range marks { // in the order of both sides, so that streams cross as little as can be
		for _, to := range marks {
			for _, f := range flows {
				if f.From.ID != from.ID || f.To.ID != to.ID {
					continue
				}
				tall := scale * float64(f.Count)
				drawStream(&b, f, leaves[from.ID], comes[to.ID], tall)
				leaves[from.ID] += tall
				comes[to.ID] += tall
			}
		}
	}
	drawBars(&b, marks, left, scale, 0)
	drawBars(&b, marks, right, scale, streamWidth-streamBar)
	b.WriteString("</svg>")
	return template.HTML(b.String())
}

// starts are the tops of the bars of one side.
func starts(marks []page.Mark, counts map[string]int, scale float64) map[string]float64 {
	out := map[string]float64{}
	y := 0.0
	for _, m := range marks {
		out[m.ID] = y
		if counts[m.ID] > 0 {
			y += scale*float64(counts[m.ID]) + streamGap
		}
	}
	return out
}

func drawBars(b *strings.Builder, marks []page.Mark, counts map[string]int, scale, x float64) {
	tops := starts(marks, counts, scale)
	for _, m := range marks {
		if n := counts[m.ID]; n > 0 {
			fmt.Fprintf(b, `<rect class="f%d" x="%.1f" y="%.1f" width="%.0f" height="%.1f"><title>%s: %d</title></rect>`,
				m.Style, x, tops[m.ID], streamBar, scale*float64(n), template.HTMLEscapeString(m.Name), n)
		}
	}
}

// drawStream draws a way as a band of one height; those who stay are only hinted at.
func drawStream(b *strings.Builder, f flow, from, to, tall float64) {
	class := "moves"
	if f.From.ID == f.To.ID {
		class = "stays"
	}
	x0, x1 := streamBar, streamWidth-streamBar
	mid := (x0 + x1) / 2
	fmt.Fprintf(
		b,
		`<path class="%s" d="M%.1f %.1fC%.1f %.1f %.1f %.1f %.1f %.1fV%.1fC%.1f %.1f %.1f %.1f %.1f %.1fZ"><title>%s → %s: %d</title></path>`,
		class,
		x0,
		from,
		mid,
		from,
		mid,
		to,
		x1,
		to,
		to+tall,
		mid,
		to+tall,
		mid,
		from+tall,
		x0,
		from+tall,
		template.HTMLEscapeString(f.From.Name),
		template.HTMLEscapeString(f.To.Name),
		f.Count,
	)
}
