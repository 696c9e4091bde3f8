package leads

import (
	"encoding/json"
	"maps"
	"slices"
	"strconv"

	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// cutsView are the cut points of the draft on a scale, to be tried on the people who came: each says, while it is
// moved, how many of them would end elsewhere.
type cutsView struct {
	People int
	Values string // JSON: value to how many have it, of those whom no line above decides
	Cuts   []cutView
}

type cutView struct {
	Path        string // of its value in the document
	At          string
	Least, Most string
	Step        string
	Below, From string // names of the outcomes on its two sides
}

// scoreSpread counts the values of a scale among the people whom the draft's cut points on it decide, or whom nothing
// above them did. The cut points are those of one line.
type scoreSpread struct {
	line   int // position of the line
	scale  int
	people int
	counts map[float64]int
	whole  bool // every value is a whole number
}

// newReached finds the line that cuts a scale, by its id; nil where none does.
func newReached(d *quiz.Document, scale string) *scoreSpread {
	for i := range d.Verdicts {
		if b := d.Verdicts[i].Bands; b != nil && b.On == "scale."+scale && !d.Verdicts[i].Off {
			at := slices.IndexFunc(d.Scales, func(s quiz.Scale) bool { return s.ID == scale })
			if at < 0 {
				return nil
			}
			return &scoreSpread{line: i, scale: at, counts: map[float64]int{}, whole: true}
		}
	}
	return nil
}

// onDraft are the cut points of the draft by scale, and what walks people through it to them; nil where it cannot be
// walked.
func onDraft(d *quiz.Document) (tried map[string]*scoreSpread, also func(walk.Input)) {
	c, err := walk.New(d)
	if err != nil {
		return nil, nil // the frame says what to fix
	}
	tried = map[string]*scoreSpread{}
	for i := range d.Scales {
		if r := newReached(d, d.Scales[i].ID); r != nil {
			tried[d.Scales[i].ID] = r
		}
	}
	if len(tried) == 0 {
		return nil, nil
	}
	return tried, func(in walk.Input) {
		if !c.Takes(in.Answers) {
			return
		}
		res := c.Walk(in)
		for _, r := range tried {
			r.add(res)
		}
	}
}

// add adds someone as they walk the draft.
func (r *scoreSpread) add(res *walk.Result) {
	r.people++
	if res.Reason.Line == walk.LineBranch || res.Reason.Line > 0 && res.Reason.Line <= r.line {
		return // decided above
	}
	n := res.Scales[r.scale]
	r.counts[n.Float()]++
	r.whole = r.whole && n.IsInt()
}

// view are the cut points with how far each can go: up to its neighbours, and to the ends of what came.
func (r *scoreSpread) view(d *quiz.Document) *cutsView {
	if r.people == 0 || len(r.counts) == 0 {
		return nil
	}
	v := &cutsView{People: r.people}
	values := slices.Sorted(maps.Keys(r.counts))
	pairs := make([][2]float64, len(values))
	for i, x := range values {
		pairs[i] = [2]float64{x, float64(r.counts[x])}
	}
	text, err := json.Marshal(pairs)
	if err != nil {
		return nil // numbers are always JSON
	}
	v.Values = string(text)
	step := 1.0
	if !r.whole {
		step = 0.1
	}
	cuts := d.Verdicts[r.line].Bands.Cuts
	for i, c := range cuts {
		at := c.From.Float()
		least, most := min(at, values[0]), max(at, values[len(values)-1]+step)
		below := d.OutcomeName(d.Otherwise)
		if i > 0 {
			least, below = cuts[i-1].From.Float()+step, d.OutcomeName(cuts[i-1].Outcome)
		} else if r.line+1 < len(d.Verdicts) {
			below = "the lines below"
		}
		if i+1 < len(cuts) {
			most = cuts[i+1].From.Float() - step
		}
		if below == d.OutcomeName(c.Outcome) || least >= most {
			continue
		}
		plain := func(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }
		v.Cuts = append(v.Cuts, cutView{
			Path: d.At("verdicts", r.line, "bands", "cuts", i, "from"), At: plain(at),
			Least: plain(least), Most: plain(most), Step: plain(step),
			Below: below, From: d.OutcomeName(c.Outcome),
		})
	}
	if len(v.Cuts) == 0 {
		return nil
	}
	return v
}
