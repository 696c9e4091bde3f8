package method

import (
	"context"
	"fmt"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/reach"
)

// inks are the colours of what a value leads to, by position of the cut point from below; the first is below all.
var inks = []string{"#bbbbbb", "#ddcc77", "#88ccee", "#117733"}

const (
	width, height = 640, 260
	left, foot    = 40, 40
)

// Chart draws the distribution of the scale as bars, each in the colour of the cut point that it is over (SVG).
func Chart(d *quiz.Document) (string, error) {
	whole, err := reach.Check(context.Background(), d, reach.Options{})
	if err != nil {
		return "", err
	}
	var points []reach.Point
	for _, s := range whole.Scales {
		if s.ID == scale {
			points = s.Shares
		}
	}
	most := 0.0
	for _, p := range points {
		most = max(most, p.Share)
	}
	cuts := d.Verdicts[1].Bands.Cuts
	step := float64(width-left-10) / float64(len(points))
	var out strings.Builder
	fmt.Fprintf(
		&out,
		`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" font-family="sans-serif" `+
			`font-size="12" role="img">`+"\n",
		width,
		height,
	)
	const title = "<title>Share of respondents for each value of %s, with the cut points</title>\n"
	fmt.Fprintf(&out, title, d.Scales[0].Name)
	fmt.Fprintf(&out, `<rect width="%d" height="%d" fill="#fff"/>`+"\n", width, height)
	for i, p := range points {
		over := 0
		for over < len(cuts) && p.Value.Cmp(cuts[over].From) >= 0 {
			over++
		}
		tall := p.Share / most * (height - foot - 30)
		x := left + float64(i)*step
		fmt.Fprintf(
			&out,
			`<rect x="%.1f" y="%.1f" width="%.1f" height="%.1f" fill="%s" stroke="#22262b" stroke-width=".6"/>`+"\n",
			x,
			height-foot-tall,
			step-3,
			tall,
			inks[over],
		)
		fmt.Fprintf(&out, `<text x="%.1f" y="%d" text-anchor="middle">%s</text>`+"\n",
			x+(step-3)/2, height-foot+15, p.Value)
		if over > 0 && p.Value.Cmp(cuts[over-1].From) == 0 {
			fmt.Fprintf(&out, `<path d="M%.1f 14V%d" stroke="#22262b" stroke-dasharray="3 3"/>`+"\n",
				x-1.5, height-foot)
			fmt.Fprintf(&out, `<text x="%.1f" y="22" font-size="11">from %s: %s</text>`+"\n",
				x+3, cuts[over-1].From, d.Outcome(cuts[over-1].Outcome).Name)
		}
	}
	fmt.Fprintf(&out, `<text x="%d" y="%d">%s</text>`+"\n", left, height-6, d.Scales[0].Name)
	fmt.Fprintf(&out, `<text x="4" y="%d">%s</text>`+"\n", 40, percent(most))
	out.WriteString("</svg>\n")
	return out.String(), nil
}
