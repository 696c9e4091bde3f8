package leads

import (
	"fmt"
	"html/template"
	"strings"

	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/insight"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// mostLearned is how many of the newest responses scores, deals and a replay look at: more takes longer than someone
// waits for a page.
const mostLearned = 20_000

// analysis is what the newest responses of the version that runs tell.
type analysis struct {
	*insight.Learned
	Learner *insight.Learner
	Doc     *quiz.Document
	Spreads []insight.Spread // by scale

	Other int // deals of other versions that are in it
	Unfit int // deals of other versions whose answers the live version no longer takes
}

// learning says which responses are learned from.
type learning struct {
	Deals bool // for deals: imported responses count too
	Past  bool // deals of other versions count too, scored as the live version scores them
}

// learned gathers the newest responses of the live version, with what came of them, and calls also, if it is not nil,
// with each. It is nil where no version is live.
func (h *Handler) learned(d *workbench.Draft, from learning, also func(in walk.Input)) (*analysis, error) {
	version := d.Quiz.LiveVersion
	if version == 0 {
		return nil, nil
	}
	doc, err := h.Store.Documents.VersionDocument(d.Quiz.ID, version)
	if err != nil {
		return nil, err
	}
	c, err := walk.New(doc)
	if err != nil {
		return nil, err
	}
	deals, err := h.Store.Responses.Deals(d.Quiz.ID)
	if err != nil {
		return nil, err
	}
	out := &analysis{Learner: insight.NewLearner(c), Doc: doc, Spreads: make([]insight.Spread, len(doc.Scales))}
	take := func(r *responses.Response, a *responses.Answered) {
		in := inputOf(d, a)
		res := c.Walk(in)
		out.Learner.Add(in, res, wonOf(deals[r.ID]))
		for i := range out.Spreads {
			out.Spreads[i].Add(res.Scales[i].Float())
		}
		if also != nil {
			also(in)
		}
	}
	live := responses.Filter{Version: version}
	if !from.Deals {
		live.Import = responses.NotImported
	}
	if err := h.newest(d.Quiz.ID, live, take); err != nil {
		return nil, err
	}
	if from.Past {
		for _, state := range []string{responses.DealWon, responses.DealLost} {
			err := h.newest(
				d.Quiz.ID,
				responses.Filter{Deal: state},
				func(r *responses.Response, a *responses.Answered) {
					switch {
					case r.Version == version: // it is in already
					case !c.Takes(a.Answers):
						out.Unfit++
					default:
						out.Other++
						take(r, a)
					}
				},
			)
			if err != nil {
				return nil, err
			}
		}
	}
	out.Learned = out.Learner.Learned(nil)
	return out, nil
}

// newest calls f with the newest responses that a filter chooses, at most mostLearned.
func (h *Handler) newest(quizID string, only responses.Filter, f func(*responses.Response, *responses.Answered)) error {
	n := 0
	for r, err := range h.Store.Responses.Reader(quizID, responses.Genuine).Only(only).Lean().Newest() {
		if err != nil {
			return err
		}
		a, err := r.Answered()
		if err != nil {
			return err
		}
		f(r, a)
		if n++; n == mostLearned {
			break
		}
	}
	return nil
}

// inputOf is what the walk of a response depended on.
func inputOf(d *workbench.Draft, a *responses.Answered) walk.Input {
	return a.InputIn(d.Zone)
}

func wonOf(d responses.Deal) *bool {
	won := d.State == responses.DealWon
	if d.State != responses.DealWon && d.State != responses.DealLost {
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
	l, err := h.learned(v.Draft, learning{}, also)
	if err != nil {
		return nil, err
	}
	if l == nil || len(l.Scales) == 0 {
		return &scoresView{None: "The live version has no scale, so there are no scores to analyse."}, nil
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
			line := itemView{
				Name:     itemName(doc, it.ID),
				ItemRest: rounded(it.ItemRest),
				Without:  rounded(it.AlphaWithout),
			}
			switch {
			case it.ItemRest != nil && *it.ItemRest < 0:
				line.Advice = "Works against the other questions. Check whether its points are reversed."
			case it.AlphaWithout != nil && s.Alpha != nil && *it.AlphaWithout > *s.Alpha+0.02:
				line.Advice = "The scale is more consistent without this question."
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
		return "Alpha needs at least two questions with points, and people who answered all of them."
	case *s.Alpha >= 0.7:
		return "High consistency: the questions measure the same thing."
	case *s.Alpha >= 0.5:
		return "Moderate consistency. That’s normal for a lead score, which adds up different things."
	default:
		return "Low consistency: the questions measure different things. Read the score as a sum of points, not as a " +
			"single trait."
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
