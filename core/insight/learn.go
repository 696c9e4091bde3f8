package insight

import (
	"math"
	"slices"
	"strings"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Learned is what responses tell of a quiz.
type Learned struct {
	Responses int               `json:"responses"`
	Outcomes  []LearnedOutcome  `json:"outcomes"`
	Questions []LearnedQuestion `json:"questions"`
	Scales    []LearnedScale    `json:"scales"`
	Won       *LearnedWon       `json:"won,omitempty"` // nil where no deal is known
}

// LearnedOutcome is how many ended at an outcome, the 95 % interval of their share (Wilson 1927), and the share that
// was to be expected.
type LearnedOutcome struct {
	ID       string  `json:"id"`
	Count    int     `json:"count"`
	Share    float64 `json:"share"`
	Low      float64 `json:"low"`
	High     float64 `json:"high"`
	Expected float64 `json:"expected"`
}

// LearnedQuestion is how a question was answered, and what its answers tell of the outcome.
type LearnedQuestion struct {
	ID          string        `json:"id"`
	Asked       int           `json:"asked"`
	Blank       int           `json:"blank"`
	Choices     []ChoiceCount `json:"choices"`
	Information float64       `json:"information"` // bits; a blank is a value of its own; over those who were asked
}

// ChoiceCount is how many gave an answer: a choice, or a value of a rating or number. Of a grid it counts rows.
type ChoiceCount struct {
	ID    string `json:"id"`
	Count int    `json:"count"`
}

// LearnedScale is a scale among those who answered every question that scores on it. What cannot be told is left out.
type LearnedScale struct {
	ID       string        `json:"id"`
	Mean     *float64      `json:"mean,omitempty"`
	SD       *float64      `json:"sd,omitempty"` // with n − 1
	Complete int           `json:"complete"`
	Alpha    *float64      `json:"alpha,omitempty"`
	Items    []LearnedItem `json:"items"`
}

// LearnedItem is what one question, or row of a grid, gives a scale.
type LearnedItem struct {
	ID           string   `json:"id"`
	ItemRest     *float64 `json:"item_rest,omitempty"`
	AlphaWithout *float64 `json:"alpha_without,omitempty"`
}

// LearnedWon is what deals tell of the scores.
type LearnedWon struct {
	Won       int            `json:"won"`
	Lost      int            `json:"lost"`
	Scales    []LearnedScore `json:"scales"`
	Suggested *Suggestion    `json:"suggested,omitempty"`
	Needs     int            `json:"needs,omitempty"` // deals of each kind that there must be for advice; 0 where there are enough
}

// LearnedScore is how well a scale tells who wins: see AUC.
type LearnedScore struct {
	ID   string  `json:"id"`
	AUC  float64 `json:"auc"`
	Low  float64 `json:"low"`
	High float64 `json:"high"`
}

// Learner gathers responses in one pass.
type Learner struct {
	c         *walk.Compiled
	n         int
	outcomes  map[string]int
	questions []questionTally
	scales    []scaleTally
	deals     []deal
}

type questionTally struct {
	asked, blank int
	counts       map[string]int
	values       []rule.Number // of a rating or number, in the order in which they came
	cross        Crossing
}

type scaleTally struct {
	items   []item
	total   *Moments
	moments *Moments
}

// item is one question, or one row of a grid, that scores on a scale.
type item struct {
	question int
	row      string // "" for a question
}

func (i item) id(d *quiz.Document) string {
	if i.row == "" {
		return d.Questions[i.question].ID
	}
	return d.Questions[i.question].ID + "." + i.row
}

// deal is a response of which it is known whether it was won.
type deal struct {
	won     bool
	scales  []float64
	answers map[string]walk.Answer
	path    []string
}

// NewLearner begins with no response.
func NewLearner(c *walk.Compiled) *Learner {
	l := &Learner{c: c, outcomes: map[string]int{}, questions: make([]questionTally, len(c.Doc.Questions))}
	for i := range l.questions {
		l.questions[i].counts = map[string]int{}
	}
	for s := range c.Doc.Scales {
		items := itemsOf(c, s)
		l.scales = append(l.scales, scaleTally{items: items, total: NewMoments(1), moments: NewMoments(len(items))})
	}
	return l
}

// itemsOf are the questions and rows that score on the scale at a position.
func itemsOf(c *walk.Compiled, scale int) []item {
	id := c.Doc.Scales[scale].ID
	var out []item
	for i := range c.Doc.Questions {
		q := &c.Doc.Questions[i]
		if q.Factor().Sign() == 0 || !scores(q, id) {
			continue
		}
		if !kind.Of(q).About().Rows {
			out = append(out, item{question: i})
			continue
		}
		for _, r := range q.Rows {
			out = append(out, item{i, r.ID})
		}
	}
	return out
}

func scores(q *quiz.Question, scale string) bool {
	gives := func(points map[string]rule.Number) bool { n := points[scale]; return n.Sign() != 0 }
	_, linear := q.Linear[scale]
	return linear ||
		slices.ContainsFunc(q.Choices, func(c quiz.Choice) bool { return gives(c.Points) }) ||
		slices.ContainsFunc(q.Steps, func(s quiz.Step) bool { return gives(s.Points) })
}

// Add adds a response; won is nil where that is not known.
func (l *Learner) Add(in walk.Input, res *walk.Result, won *bool) {
	l.n++
	l.outcomes[res.Outcome]++
	for _, id := range res.Path {
		l.question(l.c.Position(id), in.Answers[id], res.Outcome)
	}
	for s := range l.scales {
		l.scale(s, in, res)
	}
	if won != nil {
		d := deal{won: *won, answers: in.Answers, path: res.Path}
		for _, n := range res.Scales {
			d.scales = append(d.scales, n.Float())
		}
		l.deals = append(l.deals, d)
	}
}

func (l *Learner) question(i int, a walk.Answer, outcome string) {
	q, t := &l.c.Doc.Questions[i], &l.questions[i]
	t.asked++
	if a.Blank() {
		t.blank++
	}
	for _, id := range a.Picks {
		t.counts[id]++
	}
	for _, id := range a.Rows {
		t.counts[id]++
	}
	if a.Number != nil {
		key := a.Number.String()
		if t.counts[key] == 0 {
			t.values = append(t.values, *a.Number)
		}
		t.counts[key]++
	}
	t.cross.Add(a.Value(q).String(), outcome)
}

// scale adds a response that answered every question that scores on a scale.
func (l *Learner) scale(s int, in walk.Input, res *walk.Result) {
	t := &l.scales[s]
	x := make([]float64, len(t.items))
	for k, it := range t.items {
		q := &l.c.Doc.Questions[it.question]
		a := in.Answers[q.ID]
		if it.row != "" {
			a = rowAlone(a, it.row)
		}
		if a.Blank() || !slices.Contains(res.Path, q.ID) {
			return
		}
		x[k] = l.c.Effect(it.question, a).Points[s].Float()
	}
	if len(x) == 0 {
		return
	}
	t.moments.Add(x)
	t.total.Add([]float64{res.Scales[s].Float()})
}

// rowAlone is the answer in one row of a grid.
func rowAlone(a walk.Answer, row string) walk.Answer {
	if a.Rows[row] == "" {
		return walk.Answer{}
	}
	return walk.Answer{Rows: map[string]string{row: a.Rows[row]}}
}

// Learned is what the responses so far tell. expected are the shares of outcomes that the count gives.
func (l *Learner) Learned(expected map[string]float64) *Learned {
	d := l.c.Doc
	out := &Learned{Responses: l.n, Outcomes: []LearnedOutcome{}, Questions: []LearnedQuestion{}, Scales: []LearnedScale{}}
	for i := range d.Outcomes {
		id := d.Outcomes[i].ID
		r := Rate{l.outcomes[id], l.n}
		o := LearnedOutcome{ID: id, Count: r.Hits, Share: r.Share(), Expected: expected[id]}
		o.Low, o.High = Wilson(r)
		out.Outcomes = append(out.Outcomes, o)
	}
	for i := range d.Questions {
		out.Questions = append(out.Questions, l.learnedQuestion(i))
	}
	for s := range d.Scales {
		out.Scales = append(out.Scales, l.learnedScale(s))
	}
	out.Won = l.won()
	return out
}

func (l *Learner) learnedQuestion(i int) LearnedQuestion {
	q, t := &l.c.Doc.Questions[i], &l.questions[i]
	out := LearnedQuestion{
		ID:          q.ID,
		Asked:       t.asked,
		Blank:       t.blank,
		Choices:     []ChoiceCount{},
		Information: t.cross.Information(),
	}
	for _, c := range q.Choices {
		out.Choices = append(out.Choices, ChoiceCount{c.ID, t.counts[c.ID]})
	}
	slices.SortFunc(t.values, func(a, b rule.Number) int { return a.Cmp(b) })
	for _, n := range t.values {
		out.Choices = append(out.Choices, ChoiceCount{n.String(), t.counts[n.String()]})
	}
	return out
}

func (l *Learner) learnedScale(s int) LearnedScale {
	t := &l.scales[s]
	out := LearnedScale{ID: l.c.Doc.Scales[s].ID, Complete: t.moments.N, Items: []LearnedItem{}}
	if t.total.N > 0 {
		out.Mean = finite(t.total.Means[0])
		out.SD = finite(math.Sqrt(t.total.Covariance(0, 0)))
	}
	if len(t.items) == 0 {
		return out
	}
	r := t.moments.Reliability()
	out.Alpha = finite(r.Alpha)
	for k, it := range t.items {
		out.Items = append(out.Items, LearnedItem{it.id(l.c.Doc), finite(r.Items[k].ItemRest), finite(r.Items[k].AlphaWithout)})
	}
	return out
}

// finite is a figure; nil where it cannot be told.
func finite(x float64) *float64 {
	if math.IsNaN(x) || math.IsInf(x, 0) {
		return nil
	}
	return &x
}

// ReadWon reads a cell of the column won: 1, 0 or blank.
func ReadWon(cell string) (won *bool, ok bool) {
	yes, no := true, false
	switch strings.TrimSpace(cell) {
	case "":
		return nil, true
	case "1":
		return &yes, true
	case "0":
		return &no, true
	}
	return nil, false
}
