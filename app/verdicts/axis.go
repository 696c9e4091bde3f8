package verdicts

import (
	"fmt"
	"math"
	"strings"

	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
)

// axis is the number line of a bands line: the distribution of those who come to it, and the cut points.
type axis struct {
	Line          int
	Width, Height int
	Base          int // y of the line
	Bars          []bar
	Marks         []tick
	Cuts          []handle
	Names         []bandName
	Say           string
	Low, Step     float64 // for the script: value at the left edge, and value per pixel
	Scale         float64
	Percent       bool
}

type bar struct {
	X, Y, Width, Height float64
	Style               int // of the outcome; -1 where the line does not match
	Title               string
	Nobody              bool
}

type tick struct {
	X    float64
	Text string
}

type handle struct {
	Path  string
	X     float64
	Value string
	Least string // the cut points next to it, "" for none
	Most  string
	From  string // of the slider, for who cannot see it
	To    string
	Step  string
	Name  string
	Low   bool // its flag stands lower, not to cover the one before
}

type bandName struct {
	X    float64
	Mark page.Mark
	Text string
}

const (
	axisWidth  = 784
	axisLeft   = 8
	axisBase   = 96
	axisHeight = 158
	maxBars    = 60
	maxTicks   = 26
)

func newAxis(v *workbench.Counted, line int) (*axis, error) {
	b := v.Doc.Verdicts[line-1].Bands
	spread, err := reach.Arrivals(v.Context, v.Doc, line, v.Options)
	if err != nil {
		return nil, err
	}
	points := spread.Points
	a := &axis{
		Line:    line,
		Width:   axisWidth + 2*axisLeft,
		Height:  axisHeight,
		Base:    axisBase,
		Percent: strings.HasPrefix(b.On, "percent."),
	}
	if len(points) == 0 {
		a.Say = "No respondents reach this line."
	}
	low, high := b.Cuts[0].From.Float(), b.Cuts[len(b.Cuts)-1].From.Float()
	if len(points) > 0 {
		low, high = min(low, points[0].Value.Float()), max(high, points[len(points)-1].Value.Float())
	}
	width, listed := spacing(points, b.Cuts, low, high)
	if high-low < width {
		high = low + width
	}
	n := int((high-low)/width + 1.5)
	a.Low, a.Step = low-width/2, width
	if !listed {
		a.Low = low
		n = maxBars
		width = (high - low) / float64(n)
		high -= width // the last bar owns the greatest value
	}
	a.Scale = axisWidth / (width * float64(n))
	x := func(value float64) float64 { return axisLeft + (value-a.Low)*a.Scale }
	a.bars(v, b, points, width, n, x)
	a.cuts(v, b, line, x, width, listed)
	a.say(v, b, points, listed, width)
	if spread.Samples > 0 && len(points) > 0 {
		a.Say += fmt.Sprintf(", among %s simulated respondents", page.Thousands(spread.Samples))
	}
	return a, nil
}

// spacing finds the gap between neighbouring values when they can be drawn one by one: a whole number of units, few
// enough.
func spacing(points []reach.Point, cuts []quiz.Cut, low, high float64) (float64, bool) {
	gap := 0.0
	for i := 1; i < len(points); i++ {
		g := points[i].Value.Sub(points[i-1].Value).Float()
		if gap == 0 || g < gap {
			gap = g
		}
	}
	if gap == 0 {
		gap = 1
	}
	whole := func(f float64) bool {
		r := f / gap
		return r-float64(int64(r+0.5)) < 1e-6 && float64(int64(r+0.5))-r < 1e-6
	}
	for _, p := range points {
		if !whole(p.Value.Float() - low) {
			return gap, false
		}
	}
	return gap, (high-low)/gap+1 <= maxBars
}

func (a *axis) bars(
	v *workbench.Counted,
	b *quiz.Bands,
	points []reach.Point,
	width float64,
	n int,
	x func(float64) float64,
) {
	shares := make([]float64, n)
	names := make([]string, n)
	first := make([]*rule.Number, n)
	origin := a.Low
	for _, p := range points {
		i := min(n-1, max(0, int((p.Value.Float()-origin)/width)))
		shares[i] += p.Share
		if first[i] == nil {
			value := p.Value
			first[i] = &value
		}
	}
	top := 0.0
	for _, s := range shares {
		top = max(top, s)
	}
	every := 1
	for n/every > maxTicks {
		every++
	}
	for i := range shares {
		at := origin + width*float64(i)
		r := bar{X: x(at) + 1, Width: max(1, width*a.Scale-2), Nobody: shares[i] == 0, Style: -1}
		if top > 0 {
			r.Height = 74 * shares[i] / top
		}
		if shares[i] > 0 {
			r.Height = max(1.5, r.Height)
		}
		r.Y = float64(a.Base) - r.Height
		if first[i] != nil {
			names[i] = first[i].String()
			if a.Percent {
				names[i] = trim(first[i].Float())
			}
			if cut := owning(b.Cuts, *first[i]); cut >= 0 {
				r.Style = v.Mark(b.Cuts[cut].Outcome).Style
			}
			r.Title = fmt.Sprintf("%s: %s", names[i], page.Percent(shares[i]))
		}
		a.Bars = append(a.Bars, r)
		if i%every == 0 {
			label := trim(at + a.tickShift(width, n))
			a.Marks = append(a.Marks, tick{x(at) + width*a.Scale/2, label})
		}
	}
}

// tickShift is from the edge of a bar to the value that it stands for.
func (a *axis) tickShift(width float64, n int) float64 {
	if n == maxBars && a.Step != width {
		return 0
	}
	return width / 2
}

func trim(f float64) string {
	s := strings.TrimRight(strings.TrimRight(fmt.Sprintf("%.2f", f), "0"), ".")
	if s == "-0" || s == "" {
		return "0"
	}
	return s
}

func owning(cuts []quiz.Cut, n rule.Number) int {
	at := -1
	for i := range cuts {
		if n.Cmp(cuts[i].From) >= 0 {
			at = i
		}
	}
	return at
}

func (a *axis) cuts(
	v *workbench.Counted,
	b *quiz.Bands,
	line int,
	x func(float64) float64,
	width float64,
	listed bool,
) {
	shift := 0.0
	if listed {
		shift = -width / 2
	}
	step := trim(width)
	if !listed {
		step = "1"
	}
	before := -1000.0
	for i, c := range b.Cuts {
		h := handle{
			Path: v.Doc.At("verdicts", line-1, "bands", "cuts", i, "from"), X: clamp(x(c.From.Float() + shift)),
			Value: c.From.String(), Step: step, Name: v.Doc.OutcomeName(c.Outcome),
			From: trim(math.Floor(a.Low + 0.5)), To: trim(math.Ceil(a.Low + axisWidth/a.Scale)),
		}
		if i > 0 {
			h.Least = b.Cuts[i-1].From.String()
			h.From = h.Least
		}
		if i < len(b.Cuts)-1 {
			h.Most = b.Cuts[i+1].From.String()
			h.To = h.Most
		}
		h.Low = h.X-before < 34 && !(len(a.Cuts) > 0 && a.Cuts[len(a.Cuts)-1].Low)
		before = h.X
		a.Cuts = append(a.Cuts, h)
	}
	taken := sharesByLine(v.Report)[line]
	for i, c := range b.Cuts {
		right := float64(axisWidth + axisLeft)
		if i < len(a.Cuts)-1 {
			right = a.Cuts[i+1].X
		}
		n := bandName{X: (a.Cuts[i].X + right) / 2, Mark: v.Mark(c.Outcome), Text: page.Percent(taken[i])}
		if right-a.Cuts[i].X < 66 {
			n.Text = ""
		}
		if right-a.Cuts[i].X >= 26 {
			a.Names = append(a.Names, n)
		}
	}
}

func clamp(x float64) float64 { return max(axisLeft, min(axisWidth+axisLeft, x)) }

// say tells who comes here and which values no one gets.
func (a *axis) say(v *workbench.Counted, b *quiz.Bands, points []reach.Point, listed bool, width float64) {
	if len(points) == 0 {
		return
	}
	unit := ""
	if a.Percent {
		unit = "%"
	}
	lo, hi := points[0].Value, points[len(points)-1].Value
	a.Say = fmt.Sprintf("Respondents who reach this line score %s–%s%s", trim(lo.Float()), trim(hi.Float()), unit)
	if lo.Cmp(hi) == 0 {
		a.Say = fmt.Sprintf("All respondents who reach this line score %s%s", trim(lo.Float()), unit)
	}
	if !listed {
		return
	}
	var nobody []string
	at := 0
	for f := lo.Float(); f < hi.Float()-width/2; f += width {
		if at < len(points) && points[at].Value.Float() < f+width/2 {
			at++
			continue
		}
		nobody = append(nobody, trim(f))
	}
	switch {
	case len(nobody) == 0:
	case len(nobody) > 6:
		a.Say += fmt.Sprintf("; %d values in between can’t occur", len(nobody))
	default:
		a.Say += "; these can’t occur: " + strings.Join(nobody, ", ")
	}
}
