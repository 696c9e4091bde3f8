package paths

import (
	"cmp"
	"fmt"
	"html/template"
	"maps"
	"math"
	"net/url"
	"slices"
	"strings"

	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/walk"
)

// mapDrawing is the map in pixels.
type mapDrawing struct {
	Left          int // where it begins
	Width, Height int
	Name          string
	Stations      []station
	Rails         []rail
	Arcs          []arc
	Ribbons       []ribbon
	Ends          []end
	Links         bool
	Style         template.CSS // of a file that stands alone
	Small         bool
}

type station struct {
	Y       int
	Label   string // in the circle
	Title   string
	Below   string
	Link    string
	Chosen  bool
	Lit     bool
	Nobody  bool
	Opening bool // nothing can be edited of it here
}

// rail is the line from a station to the next one below.
type rail struct {
	Y1, Y2 int
	Width  float64
	Lit    bool
	Nobody bool
}

type arc struct {
	D      string
	Width  float64
	X      float64 // of its figure
	Y      float64
	Text   string
	Name   string
	Link   string
	Chosen bool
	Lit    bool
	Nobody bool
}

type ribbon struct {
	D      string
	Width  float64
	Style  int
	Name   string
	Text   string
	X, Y   float64
	Link   string
	Chosen bool
	Lit    bool
	Nobody bool
}

type end struct {
	Y      int
	Mark   page.Mark
	Name   string
	Text   string
	Link   string
	Chosen bool
	Lit    bool
	Nobody bool
}

const (
	lineX   = 196
	textX   = 224
	endX    = 690
	endW    = 190
	topY    = 46
	ribbonX = 470 // where ribbons may begin, right of what stations say
)

func newMap(v *workbench.Counted, c selection, r *walk.Result, links bool) *mapDrawing {
	n := len(v.Doc.Questions)
	m := &mapDrawing{Name: v.Doc.Name, Links: links}
	gap := min(71, max(40, 540/(n+1))) // a short quiz is seen whole
	m.Small = gap < 52
	ys := make([]int, n+1) // of the stations: the questions, and the verdicts behind them
	ys[0] = topY
	if v.Doc.Intro != nil {
		m.Stations = append(m.Stations, station{Y: topY, Title: "Opening page", Opening: true, Lit: r != nil})
		m.Rails = append(m.Rails, rail{Y1: topY, Y2: topY + gap, Width: 14, Lit: r != nil})
		ys[0] += gap
	}
	for i := range n {
		ys[i+1] = ys[i] + gap
	}
	m.questions(v, c, r, ys)
	m.Stations = append(m.Stations, verdictsStation(v, r, ys[n]))
	m.Height = ys[n] + 60
	m.ends(v, c, r)
	m.arcs(v, c, r, ys)
	m.ribbons(v, c, r, ys)
	m.titles()
	m.Left = lineX - 40
	for _, a := range m.Arcs {
		m.Left = min(m.Left, int(a.X)-50) // what an arc says ends at X
	}
	m.Width = endX + endW + 20 - m.Left
	return m
}

// questions are stations with the rails that lead down from them. On the whole way from one station down to the next
// goes who goes from one straight to the other.
func (m *mapDrawing) questions(v *workbench.Counted, c selection, r *walk.Result, ys []int) {
	d := v.Doc
	direct := map[int]float64{}
	for _, e := range v.Report.Edges {
		from := d.Question(e.From)
		if m.target(d, e.To) == from+1 {
			direct[from] += e.Share
		}
	}
	for i := range d.Questions {
		q := &d.Questions[i]
		asked := &v.Report.Questions[i]
		onPath := r != nil && slices.Contains(r.Path, q.ID)
		m.Stations = append(m.Stations, station{
			Y:      ys[i],
			Label:  fmt.Sprint(i + 1),
			Title:  q.Title(),
			Below:  askedOf(asked, v.Report.Exact),
			Link:   "?station=" + q.ID,
			Chosen: c.Question == i || c.From == q.ID,
			Lit:    onPath,
			Nobody: asked.Asked == 0,
		})
		next := "finish"
		if i+1 < len(d.Questions) {
			next = "question:" + d.Questions[i+1].ID
		}
		m.Rails = append(m.Rails, rail{
			Y1:     ys[i],
			Y2:     ys[i+1],
			Width:  thick(direct[i], 14),
			Lit:    onPath && stepsTo(r, q.ID, next),
			Nobody: direct[i] == 0,
		})
	}
}

// askedOf says how many are asked a question and how much of the outcome it settles, which only a count knows.
func askedOf(q *reach.Question, exact bool) string {
	of := "Asked of " + page.Percent(q.Asked)
	switch {
	case q.Asked == 0:
		return "No one is asked this"
	case !exact:
		return of
	case !q.Matters:
		return of + " · has no effect on the outcome"
	}
	return of + " · explains " + page.Percent(q.Settles)
}

func verdictsStation(v *workbench.Counted, r *walk.Result, y int) station {
	finish := 0.0
	for _, e := range v.Report.Edges {
		if e.To == "finish" {
			finish += e.Share
		}
	}
	s := station{
		Y:     y,
		Title: "Verdicts",
		Below: page.Percent(finish) + " reach the verdicts",
		Link:  "/quizzes/" + v.Quiz.ID + "/verdicts",
		Lit:   r != nil && r.Reason.Line != walk.LineBranch,
	}
	if v.Doc.Contact != nil && v.Doc.Contact.Place == quiz.ContactBefore {
		s.Title = "Contact step, then the verdicts"
	}
	return s
}

// titles cuts what stations say to its room: up to where ribbons begin, and next to none of them nearly to the
// outcomes.
func (m *mapDrawing) titles() {
	free := m.Height
	for _, e := range m.Ends {
		free = min(free, e.Y-60)
	}
	for _, r := range m.Ribbons {
		if r.Text != "" { // from a branch: it begins high up
			free = 0
		}
	}
	for i := range m.Stations {
		room := 38
		if m.Stations[i].Y < free {
			room = 64
		}
		m.Stations[i].Title = quiz.Shorten(m.Stations[i].Title, room)
	}
}

// stepsTo reports whether a walk goes from a question straight to a place.
func stepsTo(r *walk.Result, from, to string) bool {
	if r == nil {
		return false
	}
	i := slices.Index(r.Path, from)
	return i >= 0 && r.Exit(i) == to
}

func thick(share, most float64) float64 {
	if share <= 0 {
		return 1.5
	}
	return math.Max(2, share*most)
}

// target is the position that an edge leads to: of a question, behind the last for finish, -1 for an outcome.
func (m *mapDrawing) target(d *quiz.Document, to string) int {
	if id, ok := strings.CutPrefix(to, "question:"); ok {
		return d.Question(id)
	}
	if to == "finish" {
		return len(d.Questions)
	}
	return -1
}

// ends places the outcomes: over the whole height of a short map, next to the lower end of a long one.
func (m *mapDrawing) ends(v *workbench.Counted, c selection, r *walk.Result) {
	n := len(v.Marks)
	from, to := 70, m.Height-70
	if room := n * 120; to-from > room+200 {
		from = to - room
	}
	if need := from + n*74; to < need {
		to = need
		m.Height = to + 60
	}
	for i, mark := range v.Marks {
		o := v.Report.Outcomes[i]
		y := (from + to) / 2
		if n > 1 {
			y = from + (to-from)*i/(n-1)
		}
		e := end{
			Y:      y,
			Mark:   mark,
			Name:   quiz.Shorten(mark.Name, 18),
			Text:   page.Percent(o.Share),
			Link:   "?outcome=" + mark.ID,
			Chosen: c.Outcome == mark.ID,
			Lit:    r != nil && r.Outcome == mark.ID,
			Nobody: !o.Reachable,
		}
		if !o.Reachable {
			e.Text = "No one ends here"
		}
		m.Ends = append(m.Ends, e)
	}
}

// arcs are the jumps over questions: by a branch, or because what lies between is not asked.
func (m *mapDrawing) arcs(v *workbench.Counted, c selection, r *walk.Result, ys []int) {
	shares := m.skips(v)
	longestFirst := func(a, b [2]int) int {
		return cmp.Or((b[1]-b[0])-(a[1]-a[0]), slices.Compare(a[:], b[:]))
	}
	for _, key := range slices.SortedFunc(maps.Keys(shares), longestFirst) {
		m.Arcs = append(m.Arcs, newArc(v.Doc, c, r, ys, key[0], key[1], shares[key]))
	}
}

// skips are the shares of walks by question and place that they jump to. Branches that no one takes are among them.
func (m *mapDrawing) skips(v *workbench.Counted) map[[2]int]float64 {
	d := v.Doc
	shares := map[[2]int]float64{}
	see := func(from, to int, share float64) {
		if to > from+1 {
			shares[[2]int{from, to}] += share
		}
	}
	for _, e := range v.Report.Edges {
		see(d.Question(e.From), m.target(d, e.To), e.Share)
	}
	for i := range d.Questions {
		for _, b := range d.Questions[i].Branches {
			see(i, m.target(d, b.Go), 0)
		}
	}
	return shares
}

func newArc(d *quiz.Document, c selection, r *walk.Result, ys []int, from, to int, share float64) arc {
	id, place := d.Questions[from].ID, "finish"
	if to < len(d.Questions) {
		place = "question:" + d.Questions[to].ID
	}
	y1, y2 := float64(ys[from]), float64(ys[to])
	bend := 40 + math.Min(120, (y2-y1)*0.42)
	out := lineX - 14 - bend // how far it bends from the line
	name := workbench.TargetName(d, place)
	a := arc{
		D:      fmt.Sprintf("M%d %.0fC%.0f %.0f %.0f %.0f %d %.0f", lineX-14, y1, out, y1, out, y2, lineX-18, y2),
		Width:  thick(share, 14),
		Text:   page.Percent(share),
		X:      lineX - 14 - bend*0.75 - 8,
		Y:      (y1+y2)/2 + 4,
		Name:   fmt.Sprintf("From question %d to %s, %s", from+1, name, page.Percent(share)),
		Link:   "?" + url.Values{"arc": {id + " " + place}}.Encode(),
		Chosen: c.From == id && c.To == place,
		Lit:    stepsTo(r, id, place),
		Nobody: share == 0,
	}
	if a.Nobody {
		a.Text = "nobody"
	}
	return a
}

// jumps are the shares that branches lead straight to an outcome: by its id, by the position of the question. Branches
// that no one takes are among them.
type jumps map[string]map[int]float64

func (j jumps) add(place string, from int, share float64) {
	id, ok := strings.CutPrefix(place, "outcome:")
	if !ok {
		return
	}
	if j[id] == nil {
		j[id] = map[int]float64{}
	}
	j[id][from] += share
}

// rest is what comes to an outcome from the verdicts.
func (j jumps) rest(o *reach.Outcome) float64 {
	rest := o.Share
	for _, q := range slices.Sorted(maps.Keys(j[o.ID])) {
		rest -= j[o.ID][q]
	}
	return rest
}

func jumpsOf(v *workbench.Counted) jumps {
	j := jumps{}
	for i := range v.Doc.Questions {
		for _, b := range v.Doc.Questions[i].Branches {
			j.add(b.Go, i, 0)
		}
	}
	for _, e := range v.Report.Edges {
		j.add(e.To, v.Doc.Question(e.From), e.Share)
	}
	return j
}

// fullRibbon is the width of a ribbon that everyone takes, in pixels.
const fullRibbon = 60.0

// ribbons lead to the outcomes: from the verdicts, and from questions by a branch.
func (m *mapDrawing) ribbons(v *workbench.Counted, c selection, r *walk.Result, ys []int) {
	jumps := jumpsOf(v)
	total := 0.0
	for i := range v.Report.Outcomes {
		total += math.Max(0, jumps.rest(&v.Report.Outcomes[i]))
	}
	at := float64(ys[len(v.Doc.Questions)]) - total*fullRibbon/2 // where the next one leaves the verdicts
	for i, mark := range v.Marks {
		o := &v.Report.Outcomes[i]
		edge := float64(m.Ends[i].Y) - o.Share*fullRibbon/2 // where the next one arrives at the outcome
		arrive := func(width float64) float64 {
			edge += width
			return edge - width/2
		}
		if rest := jumps.rest(o); rest > 1e-9 {
			width := rest * fullRibbon
			m.Ribbons = append(m.Ribbons, ribbon{
				D:      curve(ribbonX-30, at+width/2, endX, arrive(width)),
				Width:  math.Max(2, width),
				Style:  mark.Style,
				Name:   "From the verdicts to " + mark.Name + ", " + page.Percent(rest),
				Link:   "?outcome=" + mark.ID,
				Chosen: c.Outcome == mark.ID,
				Lit:    r != nil && r.Outcome == mark.ID && r.Reason.Line != walk.LineBranch,
			})
			at += width
		}
		for _, q := range slices.Sorted(maps.Keys(jumps[mark.ID])) {
			share := jumps[mark.ID][q]
			id, place := v.Doc.Questions[q].ID, "outcome:"+mark.ID
			b := ribbon{
				D:      curve(ribbonX, float64(ys[q])+9, endX, arrive(share*fullRibbon)),
				Width:  thick(share, fullRibbon),
				Style:  mark.Style,
				Text:   page.Percent(share),
				X:      ribbonX + 4,
				Y:      float64(ys[q]) + 3,
				Name:   fmt.Sprintf("From question %d straight to %s, %s", q+1, mark.Name, page.Percent(share)),
				Link:   "?" + url.Values{"arc": {id + " " + place}}.Encode(),
				Chosen: c.From == id && c.To == place,
				Lit:    stepsTo(r, id, place),
				Nobody: share == 0,
			}
			if b.Nobody {
				b.Text = "nobody"
			}
			m.Ribbons = append(m.Ribbons, b)
		}
	}
}

func curve(x1, y1, x2, y2 float64) string {
	mid := (x2 - x1) * 0.55
	return fmt.Sprintf("M%.0f %.1fC%.0f %.1f %.0f %.1f %.0f %.1f", x1, y1, x1+mid, y1, x2-mid, y2, x2, y2)
}
