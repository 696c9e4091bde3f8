package leads

import (
	"fmt"
	"html/template"
	"math"
	"slices"
	"strings"

	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/insight"
	"omphalos/core/quiz"
)

// wonView is what deals tell.
type wonView struct {
	Version, Other, Unfit int  // the version that runs; deals of other versions, and those that do not fit it
	Live                  bool // deals of other versions are left out

	Won, Lost int
	Needs     int
	Scales    []areaView
	Suggested *suggestedView
	Preview   *dealsPreview
	Revenue   *revenue
}

// areaView is how well a scale tells who wins.
type areaView struct {
	Name, Share, Low, High string
	Curve                  template.HTML
	Bands                  []bandView
	Fifths                 bool // the bands are fifths of the deals: the version cuts the scale nowhere
}

// bandView is how many deals of a range of a score were won.
type bandView struct {
	insight.Band
	Name    string
	Between string
}

// Drawn is the won rate as a bar, with its interval as a line.
func (b bandView) Drawn() template.HTML {
	return template.HTML(fmt.Sprintf(
		`<svg viewBox="0 0 100 14" preserveAspectRatio="none"><rect class="ground" width="100" height="14"/><rect class="leadbar" width="%.1f" height="14"/>`+
			`<rect class="promised" x="%.1f" y="6" width="%.1f" height="2"/></svg>`,
		100*b.Share(),
		100*b.Low,
		100*(b.High-b.Low),
	))
}

// suggestedView is the weights that would tell better who wins.
type suggestedView struct {
	Scale, Now, Unseen string
	Rows               []weightRow
	All                string // the patch that takes them all
}

type weightRow struct {
	Question, Choice, Now string
	Points                int
	Patch                 string // "" where the draft has it so, or has it no longer
}

func (h *Handler) won(v *view) (*wonView, error) {
	live := v.kept.Get("deals") == "live"
	l, err := h.learned(v.Draft, learning{Deals: true, Past: !live}, nil)
	if err != nil {
		return nil, err
	}
	out := &wonView{Live: live}
	if out.Revenue, err = h.newRevenue(v); err != nil || l == nil {
		return out, err
	}
	out.Version, out.Other, out.Unfit = v.Draft.Quiz.LiveVersion, l.Other, l.Unfit
	if l.Won == nil {
		return out, nil
	}
	doc := l.Doc
	out.Won, out.Lost, out.Needs = l.Won.Won, l.Won.Lost, l.Won.Needs
	for _, s := range l.Won.Scales {
		out.Scales = append(out.Scales, newArea(l, s))
	}
	if s := l.Won.Suggested; s != nil {
		out.Suggested = newSuggested(v.Draft, doc, s)
	}
	return out, nil
}

// newArea draws how a scale tells won deals from lost ones: by band, and for every cut point there could be.
func newArea(l *analysis, s insight.LearnedScore) areaView {
	doc := l.Doc
	scale := slices.IndexFunc(doc.Scales, func(one quiz.Scale) bool { return one.ID == s.ID })
	deals := l.Learner.Graded(scale)
	out := areaView{
		Name:  doc.FactName("scale." + s.ID),
		Share: page.Percent(s.AUC),
		Low:   page.Percent(s.Low),
		High:  page.Percent(s.High),
		Curve: rocChart(insight.ROC(deals), doc.Scales[scale].Title()),
	}
	var at []float64
	names := map[float64]string{}
	for _, c := range cuts(doc, scale) {
		at = append(at, c.From)
		names[c.From] = c.Name
	}
	if len(at) == 0 {
		at, out.Fifths = insight.Fifths(deals), true
	}
	for _, b := range insight.Bands(deals, at) {
		if b.Of == 0 {
			continue
		}
		name := "from " + number(b.From)
		switch {
		case math.IsInf(b.From, -1) && math.IsInf(b.To, 1):
			name = "all"
		case math.IsInf(b.From, -1):
			name = "under " + number(b.To)
		case !math.IsInf(b.To, 1):
			name = number(b.From) + " to under " + number(b.To)
		}
		if names[b.From] != "" {
			name += " · " + names[b.From]
		}
		out.Bands = append(out.Bands, bandView{b, name, page.Percent(b.Low) + " to " + page.Percent(b.High)})
	}
	return out
}

// rocChart draws a ROC curve over the diagonal of a score that tells nothing.
func rocChart(curve []insight.Point, name string) template.HTML {
	if curve == nil {
		return ""
	}
	const size = 150.0
	var b strings.Builder
	fmt.Fprintf(
		&b,
		`<svg class="roc" viewBox="-22 -6 %.0f %.0f" role="img" aria-label="For each cut point on %s: share of won deals above it and share of lost deals above it">`,
		size+30,
		size+30,
		template.HTMLEscapeString(name),
	)
	fmt.Fprintf(
		&b,
		`<path class="base" d="M0 0V%[1]vH%[1]v"/><path class="chance" d="M0 %[1]vL%[1]v 0"/><path class="curve" d="M`,
		size,
	)
	for i, p := range curve {
		if i > 0 {
			b.WriteByte('L')
		}
		fmt.Fprintf(&b, "%.1f %.1f", size*p.Lost, size*(1-p.Won))
	}
	fmt.Fprintf(&b, `"/><text class="q" x="%.0f" y="%.0f" text-anchor="middle">Lost deals above the cut point</text>`, size/2, size+16)
	fmt.Fprintf(
		&b,
		`<text class="q" transform="rotate(-90)" x="%.0f" y="-8" text-anchor="middle">Won deals above the cut point</text></svg>`,
		-size/2,
	)
	return template.HTML(b.String())
}

// newSuggested shows suggested weights next to the present ones of the draft.
func newSuggested(d *workbench.Draft, doc *quiz.Document, s *insight.Suggestion) *suggestedView {
	out := &suggestedView{
		Scale:  doc.FactName("scale." + s.Scale),
		Now:    page.Percent(s.AUCNow),
		Unseen: page.Percent(s.AUCUnseen),
	}
	var all []quiz.Operation
	for _, w := range s.Weights {
		q := doc.Question(w.Question)
		row := weightRow{
			Question: doc.Questions[q].Title(),
			Choice:   choiceTitle(&doc.Questions[q], w.Choice),
			Now:      w.Now.String(),
			Points:   w.Points,
		}
		if i := d.Doc.Question(w.Question); i >= 0 && d.Doc.Scale(s.Scale) != nil {
			if j := d.Doc.Questions[i].Choice(w.Choice); j >= 0 {
				at := d.Doc.At("questions", i, "choices", j, "points", s.Scale)
				now := d.Doc.Questions[i].Choices[j].Points[s.Scale]
				row.Now = now.String()
				if math.Abs(now.Float()-float64(w.Points)) > 1e-9 {
					op := quiz.Add(at, w.Points)
					all = append(all, op)
					row.Patch = quiz.JSON(op)
				}
			}
		}
		out.Rows = append(out.Rows, row)
	}
	if len(all) > 0 {
		out.All = quiz.JSON(all...)
	}
	return out
}
