package chart

import (
	"fmt"
	"html"
	"math"
	"strings"

	"omphalos/core/quiz"
)

// A chart is as wide as the narrowest phone has room for, and scales from there.
const (
	width     = 320
	rowHeight = 46
	barHeight = 12
	radius    = 88
	radarTall = 300
)

// SVG draws the chart. others is what the figures next to are called.
func (c *Chart) SVG(others string) string {
	var b strings.Builder
	tall := radarTall
	if c.Kind != quiz.ChartRadar {
		tall = len(c.Axes) * rowHeight
	}
	fmt.Fprintf(&b, `<svg viewBox="0 0 %d %d" class="chart" role="img" aria-label="%s">`,
		width, tall, html.EscapeString(c.Words(others)))
	if c.Kind == quiz.ChartRadar {
		c.radar(&b)
	} else {
		c.bars(&b)
	}
	b.WriteString("</svg>")
	return b.String()
}

// bars draws a bar under the name of each figure, from the side that reading begins at.
func (c *Chart) bars(b *strings.Builder) {
	for i, a := range c.Axes {
		y := i * rowHeight
		name, value, start := 0.0, float64(width), 0.0
		long := a.Share * width
		mark := a.Level * width
		near, far := "start", "end"
		if c.RTL {
			// Text anchors follow the direction of the text; the places are mirrored.
			name, value, start, mark = value, name, width-long, width-mark
		}
		word(b, "name", name, float64(y+16), near, quiz.Shorten(a.Name, 30))
		word(b, "value", value, float64(y+16), far, quiz.Shorten(a.Text, 12))
		fmt.Fprintf(b, `<rect x="0" y="%d" width="%d" height="%d" class="whole"/>`, y+24, width, barHeight)
		fmt.Fprintf(b, `<rect x="%.1f" y="%d" width="%.1f" height="%d" class="own"/>`, start, y+24, long, barHeight)
		if a.Beside != "" {
			fmt.Fprintf(b, `<line x1="%.1f" x2="%.1f" y1="%d" y2="%d" class="others"/>`,
				mark, mark, y+20, y+24+barHeight+4)
		}
	}
}

// radar draws the figures on as many axes from the middle.
func (c *Chart) radar(b *strings.Builder) {
	x0, y0 := width/2.0, radarTall/2.0
	at := func(i int, far float64) (x, y float64) {
		turn := 2 * math.Pi * float64(i) / float64(max(1, len(c.Axes)))
		if c.RTL {
			turn = -turn
		}
		return x0 + radius*far*math.Sin(turn), y0 - radius*far*math.Cos(turn)
	}
	shape := func(class string, level func(Axis) float64) {
		var points []string
		for i, a := range c.Axes {
			x, y := at(i, level(a))
			points = append(points, fmt.Sprintf("%.1f,%.1f", x, y))
		}
		fmt.Fprintf(b, `<polygon points="%s" class="%s"/>`, strings.Join(points, " "), class)
	}
	for _, far := range []float64{0.5, 1} {
		shape("net", func(Axis) float64 { return far })
	}
	for i := range c.Axes {
		x, y := at(i, 1)
		fmt.Fprintf(b, `<line x1="%.1f" y1="%.1f" x2="%.1f" y2="%.1f" class="net"/>`, x0, y0, x, y)
	}
	shape("own area", func(a Axis) float64 { return a.Share })
	if c.Beside {
		shape("others", func(a Axis) float64 { return a.Level })
	}
	for i, a := range c.Axes {
		x, y := at(i, 1.14)
		anchor := "middle"
		switch {
		case x > x0+12:
			anchor = "start"
		case x < x0-12:
			anchor = "end"
		}
		if c.RTL && anchor != "middle" { // anchors follow the direction of the text
			anchor = map[string]string{"start": "end", "end": "start"}[anchor]
		}
		lines := split(a.Name)
		if y < y0-radius { // above the middle the words end where the axis does
			y -= lineHeight * float64(len(lines))
		}
		for _, line := range lines {
			word(b, "name", x, y, anchor, quiz.Shorten(line, longest+1))
			y += lineHeight
		}
		word(b, "value", x, y, anchor, quiz.Shorten(a.Text, 9))
	}
}

// Words next to an axis are broken into lines.
const (
	longest    = 11 // letters of a line
	lineHeight = 15
)

// split breaks a name into two lines, behind a space or a hyphen.
func split(name string) []string {
	if len([]rune(name)) <= longest {
		return []string{name}
	}
	at := strings.LastIndexAny(name[:len(string([]rune(name)[:longest]))], " -")
	if at < 0 {
		at = strings.IndexAny(name, " -")
	}
	if at < 0 {
		return []string{name}
	}
	return []string{strings.TrimSpace(name[:at+1]), name[at+1:]}
}

// word writes a text with an end, or its middle, at a place.
func word(b *strings.Builder, class string, x, y float64, anchor, text string) {
	const form = `<text x="%g" y="%g" text-anchor="%s" class="%s">%s</text>`
	fmt.Fprintf(b, form, tenth(x), tenth(y), anchor, class, html.EscapeString(text))
}

func tenth(v float64) float64 { return math.Round(10*v) / 10 }
