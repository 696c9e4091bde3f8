package leads

import (
	"fmt"
	"html/template"
	"maps"
	"slices"
	"strings"

	"omphalos/app/store"
	"omphalos/app/workbench"
	"omphalos/core/insight"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// mostLearned is how many of the newest responses scores, deals and a replay look at: more takes longer than somebody
// waits for a page.
const mostLearned = 20_000

// learned is what the newest responses of the version that runs tell.
type learned struct {
	*insight.Learned
	Learner *insight.Learner
	Doc     *quiz.Document
	Spreads []insight.Spread // by scale

	Versions []int // whose deals are in it, in rising order
	Other    int   // deals of other versions that are in it
	Unfit    int   // deals of other versions whose answers do not fit the version that runs
}

// learned gathers the newest responses of the version that runs, with what came of them, and calls also, if it is not
// nil, with each. It is nil where none runs.
// With past, the deals of other versions are taken too, scored as the version that runs would: where all of their answers
// fit it.
func (h *Handler) learned(d *workbench.Draft, past bool, also func(in walk.Input)) (*learned, error) {
	version := d.Quiz.LiveVersion
	if version == 0 {
		return nil, nil
	}
	doc, err := h.Store.VersionDocument(d.Quiz.ID, version)
	if err != nil {
		return nil, err
	}
	c, err := walk.New(doc)
	if err != nil {
		return nil, err
	}
	deals, err := h.Store.Deals(d.Quiz.ID)
	if err != nil {
		return nil, err
	}
	l := insight.NewLearner(c)
	spreads := make([]insight.Spread, len(doc.Scales))
	n := 0
	out := &learned{Learner: l, Doc: doc, Spreads: spreads}
	only := store.Filter{Version: version}
	if past {
		only.Version = 0
	}
	dealt := map[int]bool{}
	for r, err := range h.Store.Reader(d.Quiz.ID, store.Genuine).Only(only).Lean().Newest() {
		if err != nil {
			return nil, err
		}
		won := wonOf(deals[r.ID])
		if r.Version != version && won == nil {
			continue
		}
		a, err := r.Answered()
		if err != nil {
			return nil, err
		}
		if r.Version != version && !c.Takes(a.Answers) {
			out.Unfit++
			continue
		}
		if won != nil {
			dealt[r.Version] = true
		}
		if r.Version != version {
			out.Other++
		}
		in := inputOf(d, a)
		res := c.Walk(in)
		l.Add(in, res, won)
		for i := range spreads {
			spreads[i].Add(res.Scales[i].Float())
		}
		if also != nil {
			also(in)
		}
		if n++; n == mostLearned {
			break
		}
	}
	out.Learned, out.Versions = l.Learned(nil), slices.Sorted(maps.Keys(dealt))
	return out, nil
}

// inputOf is what the walk of a response depended on.
func inputOf(d *workbench.Draft, a *store.Answered) walk.Input {
	return walk.Input{
		Answers: a.Answers, Params: a.Params,
		Visitor: walk.Visitor{Country: a.Country, Language: a.Language, Device: a.Device},
		Today:   a.StartedAt.In(d.Zone).Format("2006-01-02"),
	}
}

func wonOf(d store.Deal) *bool {
	won := d.State == store.DealWon
	if d.State != store.DealWon && d.State != store.DealLost {
		return nil
	}
	return &won
}

// scoresView is how the scales did.
type scoresView struct {
	Scales []scaleView
	None   string // why there is nothing to show
}

type scaleView struct {
	Name, Mean, SD, Alpha string
	Complete              int
	Advice                string
	Items                 []itemView
	Newest                bool // there are more than were looked at
	Spread                template.HTML
	Bins                  []binRow
	Best                  string // where the cut for the best fifth must be
	Cuts                  *cutsView
}

type itemView struct {
	Name, ItemRest, Without, Advice string
}

func (h *Handler) scores(v *view) (*scoresView, error) {
	tried, also := onDraft(v.Draft.Doc)
	l, err := h.learned(v.Draft, false, also)
	if err != nil {
		return nil, err
	}
	if l == nil || len(l.Scales) == 0 {
		return &scoresView{None: "The version that runs has no scale."}, nil
	}
	out, doc := &scoresView{}, l.Doc
	version := 0
	if len(v.Draft.Counts.Versions) > 1 {
		version = v.Draft.Quiz.LiveVersion
	}
	expected := h.expectedScores(v.Draft, doc)
	for i, s := range l.Scales {
		one := scaleView{
			Name:     doc.Scales[i].Title(),
			Mean:     rounded(s.Mean),
			SD:       rounded(s.SD),
			Alpha:    rounded(s.Alpha),
			Complete: s.Complete,
			Newest:   l.Responses == mostLearned,
			Advice:   adviceOfAlpha(s),
		}
		for _, it := range s.Items {
			line := itemView{Name: itemName(doc, it.ID), ItemRest: rounded(it.ItemRest), Without: rounded(it.AlphaWithout)}
			switch {
			case it.ItemRest != nil && *it.ItemRest < 0:
				line.Advice = "runs against the others: are its points the wrong way round?"
			case it.AlphaWithout != nil && s.Alpha != nil && *it.AlphaWithout > *s.Alpha+0.02:
				line.Advice = "the scale goes together better without it"
			}
			one.Items = append(one.Items, line)
		}
		one.spread(doc, i, &l.Spreads[i], version, expected[i])
		if r := tried[doc.Scales[i].ID]; r != nil {
			one.Cuts = r.view(v.Draft.Doc)
		}
		out.Scales = append(out.Scales, one)
	}
	return out, nil
}

// adviceOfAlpha says what alpha means for a lead score. The bounds are common practice of the trade.
func adviceOfAlpha(s insight.LearnedScale) string {
	switch {
	case s.Alpha == nil:
		return "Alpha needs two questions that score and some who answered them all."
	case *s.Alpha >= 0.7:
		return "Its questions go together: the score stands for one thing."
	case *s.Alpha >= 0.5:
		return "Its questions go together loosely. That is common for a lead score, which adds up different things."
	default:
		return "Its questions measure different things: read the score as a sum of points, not as one trait."
	}
}

func rounded(x *float64) string {
	if x == nil {
		return "–"
	}
	text := fmt.Sprintf("%.2f", *x)
	return strings.Replace(text, "-", "−", 1)
}

// itemName is the wording of what an item stands for.
func itemName(d *quiz.Document, id string) string {
	question, row, inRow := strings.Cut(id, ".")
	i := d.Question(question)
	if i < 0 {
		return id
	}
	name := fmt.Sprintf("%d %s", i+1, d.Questions[i].Title())
	if at := d.Questions[i].Row(row); inRow && at >= 0 {
		name += ", " + quiz.FirstOf(d.Questions[i].Rows[at].Label, row)
	}
	return name
}

func choiceTitle(q *quiz.Question, id string) string {
	if i := q.Choice(id); i >= 0 {
		return q.Choices[i].Title()
	}
	return id
}
