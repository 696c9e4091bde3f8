package leads

import (
	"cmp"
	"html/template"
	"net/url"
	"slices"
	"strings"
	"time"

	"omphalos/app/page"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// chosen are the figures of those whom a filter chooses: of finished responses that are kept, as nothing else is known
// of single people.
type chosen struct {
	Count   int
	Many    bool // more than are drawn: what draws them goes through each
	Ends    []outcomeCount
	Sources []sliceRow // by finishes
	Trend   trend
}

// mostChosen is how many are drawn at most. Figures of all are read from tallies; those of a choice are counted again.
const mostChosen = 250_000

// newChosen counts them; nil where a search finds too many to know who they are.
func (h *Handler) newChosen(v *view, r *responses.Reader) (*chosen, error) {
	c := &chosen{}
	var err error
	if c.Count, err = r.Count(); err != nil || c.Count > mostChosen {
		c.Many = true
		return c, err
	}
	outcomes, err := r.By("outcome")
	if err != nil || outcomes == nil {
		return nil, err
	}
	by := map[string]int{}
	for _, one := range outcomes {
		by[one.Value] = one.Count
	}
	for _, m := range append(slices.Clone(v.Marks), v.Rare...) {
		if by[m.ID] > 0 {
			c.Ends = append(c.Ends, newEnded(m, by[m.ID], c.Count))
		}
	}
	sources, err := r.By(tallies.BySource)
	if err != nil {
		return nil, err
	}
	slices.SortStableFunc(sources, func(a, b responses.Grouped) int { return cmp.Compare(b.Count, a.Count) })
	sources = sources[:min(len(sources), shownSources)]
	for _, s := range sources {
		share := float64(s.Count) / float64(max(1, c.Count))
		c.Sources = append(c.Sources, sliceRow{
			Slice: tallies.Slice{Value: s.Value, Finishes: s.Count}, Name: quiz.FirstOf(s.Value, "direct"),
			Rate: page.Percent(share), Share: float64(s.Count) / float64(sources[0].Count),
		})
	}
	days, err := r.By("day")
	if err != nil {
		return nil, err
	}
	var rows []dayRow
	for _, d := range days {
		rows = append(rows, dayRow{Day: d.Value, Finishes: d.Count})
	}
	first, last := v.Since(), v.Until()
	if first == "" && len(rows) > 0 {
		first = rows[0].Day
	}
	if today := h.Now().In(v.Draft.Zone).Format(time.DateOnly); last == "" {
		last = today
	}
	c.Trend = newTrend(rows, first, last, !v.public)
	return c, nil
}

// shownSources is how many sources of those who are chosen are listed.
const shownSources = 12

// revenue is what won deals brought, by source and by outcome, in each currency.
type revenue struct {
	Sources, Outcomes []revenueLine
}

// revenueLine is one line of it.
type revenueLine struct {
	Mark     *page.Mark // of an outcome
	Name     string
	Query    template.URL // that chooses these people
	Deals    int
	Sum      string
	Each     string // on average
	Currency string
	Share    float64 // of the largest sum in its currency
	sum      rule.Number
}

// newRevenue adds up won deals with an amount; nil where there is none.
func (h *Handler) newRevenue(v *view) (*revenue, error) {
	list, err := h.Store.Responses.Revenue(v.Draft.Quiz.ID)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	marks := map[string]page.Mark{}
	for _, m := range append(slices.Clone(v.Marks), v.Rare...) {
		marks[m.ID] = m
	}
	out := &revenue{}
	won := func(name, value string) template.URL {
		return template.URL(url.Values{name: {value}, "deal": {responses.DealWon}}.Encode())
	}
	out.Sources = earnings(list, func(r *responses.Revenue) (string, revenueLine) {
		return r.Source, revenueLine{Name: quiz.FirstOf(r.Source, "direct"), Query: won("source", r.Source)}
	})
	out.Outcomes = earnings(list, func(r *responses.Revenue) (string, revenueLine) {
		e := revenueLine{Name: r.Outcome, Query: won("outcome", r.Outcome)}
		if m, ok := marks[r.Outcome]; ok {
			e.Mark, e.Name = &m, m.Name
		}
		return r.Outcome, e
	})
	return out, nil
}

// earnings adds up by a key of name, the largest sums first.
func earnings(list []responses.Revenue, name func(*responses.Revenue) (string, revenueLine)) []revenueLine {
	var out []revenueLine
	at := map[[2]string]int{}
	for i := range list {
		r := &list[i]
		key, line := name(r)
		k, known := at[[2]string{key, r.Currency}]
		if !known {
			k = len(out)
			at[[2]string{key, r.Currency}] = k
			line.Currency = r.Currency
			out = append(out, line)
		}
		out[k].Deals += r.Deals
		out[k].sum = out[k].sum.Add(r.Sum)
	}
	most := map[string]float64{}
	for i := range out {
		e := &out[i]
		e.Sum = strings.TrimSpace(fill.Money(e.sum, e.Currency, "en"))
		each := rule.Ratio(e.sum, rule.Int(int64(e.Deals))).Round(2)
		e.Each = strings.TrimSpace(fill.Money(each, e.Currency, "en"))
		most[e.Currency] = max(most[e.Currency], e.sum.Float())
	}
	for i := range out {
		if top := most[out[i].Currency]; top > 0 {
			out[i].Share = max(0, out[i].sum.Float()/top)
		}
	}
	slices.SortStableFunc(out, func(a, b revenueLine) int {
		return cmp.Or(strings.Compare(a.Currency, b.Currency), b.sum.Cmp(a.sum))
	})
	return out
}
