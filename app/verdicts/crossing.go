package verdicts

import (
	"encoding/json"
	"fmt"
	"math"

	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
)

// crossing is a matrix as it is drawn: the cells as wide and as tall as their bands, the distributions along two
// edges, the cut points to drag, and who is in each cell.
type crossing struct {
	Line   int
	Path   string
	Say    string
	Box    crossBox
	X, Y   span
	Cells  []cell
	Cuts   []crossCut
	Joint  string // for the script: [across, down, share of all respondents]
	Across string // names of the numbers
	Down   string
	XBars  []bar
	YBars  []bar
}

// span is one edge: pixels and values.
type span struct {
	From, Size float64 // in pixels; Size is negative where values grow upwards
	Low, Step  float64 // the value at From, and between values
	Scale      float64 // pixels for one
	Cuts       string  // for the script
	Unit       string
}

type cell struct {
	Down, Across  int // bands, from 1; 0 is below the lowest cut point
	X, Y          float64
	Width, Height float64
	Mark          page.Mark // Style -1 for none
	Text          string    // its share
	Label         string    // for who cannot see it
	Says          string
	Walk          []string
	Lit           string // its address on the map; "" where no one falls
	Path          string // of its outcome; "" below the lowest cut points
	First         bool
}

// MiddleX and MiddleY are where the cell's tag stands.
func (c cell) MiddleX() float64 { return c.X + c.Width/2 }

// MiddleY is the other coordinate.
func (c cell) MiddleY() float64 { return c.Y + c.Height/2 }

type crossCut struct {
	Path, Value, Least, Most, Name string
	From, To, Step                 string
	Says                           string   // who is just above it
	Walk                           []string // and what they answer
	X, Y                           float64
	Down                           bool
}

// crossBox is where the cells stand in the drawing, in its units, and how large a cell must be to carry its tag.
type crossBox struct {
	Left, Top, Width, Height float64
	TagWidth, TagHeight      float64
}

// Right is the right edge of the cells.
func (b crossBox) Right() float64 { return b.Left + b.Width }

// Bottom is their lower edge.
func (b crossBox) Bottom() float64 { return b.Top + b.Height }

var cross = crossBox{Left: 104, Top: 62, Width: 664, Height: 270, TagWidth: 60, TagHeight: 20}

const (
	crossBars = 48.0 // how long the longest bar of a distribution is
	maxJoint  = 4000 // pairs of values that the page is sent
)

func newCrossing(v *workbench.Counted, line int) (*crossing, error) {
	m := v.Doc.Verdicts[line-1].Matrix
	x, err := reach.Cross(v.Context, v.Doc, line, v.Options)
	if err != nil {
		return nil, err
	}
	c := &crossing{Line: line, Box: cross, Path: v.Doc.At("verdicts", line-1, "matrix")}
	c.Across, c.Down = v.Doc.FactName(m.Across.On), v.Doc.FactName(m.Down.On)
	c.X = newSpan(cross.Left, cross.Width, &m.Across, x.Across)
	c.Y = newSpan(cross.Bottom(), -cross.Height, &m.Down, x.Down)
	c.XBars = edgeBars(&c.X, x.Across, false)
	c.YBars = edgeBars(&c.Y, x.Down, true)
	c.cells(v, m, x)
	c.Cuts = append(
		c.handles(v, &m.Across, &c.X, "across", x.AcrossCuts), c.handles(v, &m.Down, &c.Y, "down", x.DownCuts)...)
	if len(x.Joint) <= maxJoint {
		c.Joint = joint(x)
	}
	c.say(x)
	return c, nil
}

// newSpan lays the values of a number, and its cut points, out along an edge.
func newSpan(from, size float64, e *quiz.Edge, points []reach.Point) span {
	first, last := e.Cuts[0].Float(), e.Cuts[len(e.Cuts)-1].Float()
	low, high := last, last
	switch {
	case len(points) == 0:
		low, high = first, last+max(1, last-first)
	case len(e.Cuts) > 1:
		low = e.Cuts[1].Float() // the lowest may be far below anyone
	}
	gap := 0.0
	for i, p := range points {
		low, high = min(low, p.Value.Float()), max(high, p.Value.Float())
		if i > 0 {
			if g := p.Value.Sub(points[i-1].Value).Float(); gap == 0 || g < gap {
				gap = g
			}
		}
	}
	if gap == 0 || (high-low)/gap > cross.Width/2 {
		gap = max(1, (high-low)/60)
	}
	s := span{From: from, Size: size, Low: low - gap/2, Step: gap}
	s.Scale = math.Abs(size) / (high - low + gap)
	var cuts []float64
	for _, c := range e.Cuts {
		cuts = append(cuts, c.Float())
	}
	text, _ := json.Marshal(cuts) // numbers always have a form
	s.Cuts = string(text)
	s.Unit = workbench.EdgeUnit(e)
	return s
}

// pixel is the pixel of a value; cut points stand half a step before theirs.
func (s *span) pixel(value float64) float64 {
	far := max(0, min(math.Abs(s.Size), (value-s.Low)*s.Scale))
	if s.Size < 0 {
		return s.From - far
	}
	return s.From + far
}

func (s *span) cut(n rule.Number) float64 { return s.pixel(n.Float() - s.Step/2) }

// edgeBars draws the distribution along an edge.
func edgeBars(s *span, points []reach.Point, down bool) []bar {
	n := int(math.Abs(s.Size)/(s.Step*s.Scale) + 0.5)
	shares := make([]float64, max(1, n))
	top := 0.0
	for _, p := range points {
		i := min(len(shares)-1, max(0, int((p.Value.Float()-s.Low)/s.Step)))
		shares[i] += p.Share
		top = max(top, shares[i])
	}
	var out []bar
	for i, share := range shares {
		if share == 0 {
			continue
		}
		long := max(1.5, crossBars*share/top)
		value := s.Low + s.Step*(float64(i)+0.5)
		b := bar{Title: fmt.Sprintf("%s: %s", trim(value), page.Percent(share))}
		wide := max(1, s.Step*s.Scale-1)
		if down {
			b.X, b.Y, b.Width, b.Height = cross.Left-8-long, s.pixel(value)-wide/2, long, wide
		} else {
			b.X, b.Y, b.Width, b.Height = s.pixel(value)-wide/2, cross.Top-8-long, wide, long
		}
		out = append(out, b)
	}
	return out
}

func (c *crossing) cells(v *workbench.Counted, m *quiz.Matrix, x *reach.Crossing) {
	c.Cells = nil
	for d := len(x.Cells) - 1; d >= 0; d-- {
		for a := range x.Cells[d] {
			one := &x.Cells[d][a]
			left, right := c.X.From, c.X.From+c.X.Size
			if a > 0 {
				left = c.X.cut(m.Across.Cuts[a-1])
			}
			if a < len(m.Across.Cuts) {
				right = c.X.cut(m.Across.Cuts[a])
			}
			bottom, top := c.Y.From, c.Y.From+c.Y.Size
			if d > 0 {
				bottom = c.Y.cut(m.Down.Cuts[d-1])
			}
			if d < len(m.Down.Cuts) {
				top = c.Y.cut(m.Down.Cuts[d])
			}
			outcome := m.Cell(d-1, a-1)
			out := cell{
				Down: d, Across: a, X: left, Y: top, Width: max(0, right-left), Height: max(0, bottom-top),
				Mark: page.Mark{Style: -1, Letters: "–"}, Text: page.Percent(one.Share),
			}
			at := workbench.Cell{Line: c.Line, Down: d, Across: a}
			where := at.In(v.Doc)
			leads := "no outcome; the lines below decide"
			if a > 0 && d > 0 {
				out.Path = v.Doc.Below(c.Path, "outcomes", d-1, a-1)
			}
			if outcome != "" {
				out.Mark = v.Mark(outcome)
				leads = out.Mark.Name
			}
			out.Label = fmt.Sprintf("%s %s %s: %s", out.Mark.Letters, out.Text, leads, where)
			out.Says = fmt.Sprintf("%s of all respondents: %s.", out.Text, where)
			if !one.Reached {
				out.Says = "No respondent lands here: " + where + "."
			}
			if out.Walk = steps(v, one.Witness); one.Reached {
				out.Lit = at.String()
			}
			if a == 0 || d == 0 {
				if !one.Reached {
					continue // there is no one below the lowest cut point
				}
			}
			c.Cells = append(c.Cells, out)
		}
	}
	for i := range c.Cells {
		if c.Cells[i].Path != "" {
			c.Cells[i].First = true
			break
		}
	}
}

// handles are the cut points to drag. A lowest one below everyone is not among them: it is typed.
func (c *crossing) handles(
	v *workbench.Counted,
	e *quiz.Edge,
	s *span,
	name string,
	above []reach.Boundary,
) []crossCut {
	var out []crossCut
	down := name == "down"
	for i, n := range e.Cuts {
		if i == 0 && n.Float() <= s.Low+s.Step/2 {
			continue
		}
		h := crossCut{
			Path: v.Doc.Below(c.Path, name, "cuts", i), Value: n.String(), Down: down, Name: v.Doc.FactName(e.On),
			From: trim(s.Low + s.Step/2), To: trim(s.Low + math.Abs(s.Size)/s.Scale), Step: trim(s.Step),
		}
		h.Says = fmt.Sprintf("No respondent has %s from %s%s up to the next cut point.", h.Name, n, s.Unit)
		if b := above[i]; b.Value != nil {
			h.Says = fmt.Sprintf("Just above the cut point %s%s on %s, the next respondents have %s%s.",
				n, s.Unit, h.Name, b.Value.Round(2), s.Unit)
			h.Walk = steps(v, b.Witness)
		}
		if i > 0 {
			h.Least = e.Cuts[i-1].String()
			h.From = h.Least
		}
		if i+1 < len(e.Cuts) {
			h.Most = e.Cuts[i+1].String()
			h.To = h.Most
		}
		if down {
			h.X, h.Y = cross.Left, s.cut(n)
		} else {
			h.X, h.Y = s.cut(n), cross.Bottom()
		}
		out = append(out, h)
	}
	return out
}

// joint is who has which two values, for figures while a cut point is dragged.
func joint(x *reach.Crossing) string {
	list := make([][3]float64, len(x.Joint))
	for i, p := range x.Joint {
		list[i] = [3]float64{p.Across.Float(), p.Down.Float(), p.Share}
	}
	text, err := json.Marshal(list)
	if err != nil {
		return ""
	}
	return string(text)
}

func (c *crossing) say(x *reach.Crossing) {
	switch {
	case x.Came == 0:
		c.Say = "No respondents reach this line."
		return
	case x.Samples > 0:
		c.Say = fmt.Sprintf("Of %s simulated respondents ", page.Thousands(x.Samples))
	}
	c.Say += page.Percent(x.Came) + " reach this line"
	gaps, empty := 0.0, 0
	for _, one := range c.Cells {
		if one.Mark.Style < 0 {
			gaps += x.Cells[one.Down][one.Across].Share
		} else if !x.Cells[one.Down][one.Across].Reached {
			empty++
		}
	}
	if gaps > 0 {
		c.Say += fmt.Sprintf("; %s match no cell and continue to the next line", page.Percent(gaps))
	}
	if empty > 0 {
		c.Say += fmt.Sprintf("; no one reaches %d of the cells", empty)
	}
}

// steps are what someone answers, in words; none where no one is known.
func steps(v *workbench.Counted, witness map[string]any) []string {
	if witness == nil {
		return nil
	}
	return workbench.Steps(v.Doc, witness)
}
