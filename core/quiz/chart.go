package quiz

import (
	"encoding/json"
	"omphalos/core/fact"
)

// Chart draws figures of a respondent on their ending.
type Chart struct {
	Kind   string  `json:"kind"` // ChartBars or ChartRadar
	Of     ChartOf `json:"of"`
	Beside string  `json:"beside,omitempty"` // "norm" or "none" (also when empty)
}

// Kinds of chart, and what can stand next to the respondent's own figures.
const (
	ChartBars  = "bars"
	ChartRadar = "radar"
	BesideNorm = "norm"
	BesideNone = "none"
)

// ChartOf is what a chart shows: facts (scale.ID, percent.ID, percentile.ID), or all keywords.
type ChartOf []string

// allKeywords stands for every keyword of the quiz.
const allKeywords = "keywords"

// Keywords reports whether the chart shows the keywords.
func (o ChartOf) Keywords() bool { return len(o) == 1 && o[0] == allKeywords }

// OfKeywords is a chart's keywords.
func OfKeywords() ChartOf { return ChartOf{allKeywords} }

// MarshalJSON writes "keywords", or the list of facts.
func (o ChartOf) MarshalJSON() ([]byte, error) {
	if o.Keywords() {
		return json.Marshal(allKeywords)
	}
	return json.Marshal([]string(o))
}

// UnmarshalJSON reads "keywords", or a list of facts.
func (o *ChartOf) UnmarshalJSON(data []byte) error {
	if len(data) > 0 && data[0] == '"' {
		*o = make(ChartOf, 1)
		return json.Unmarshal(data, &(*o)[0])
	}
	return json.Unmarshal(data, (*[]string)(o))
}

// leastAxes is how many axes a radar needs to have an area.
const leastAxes = 3

// ChartKinds lists every kind of chart.
var ChartKinds = []string{ChartBars, ChartRadar}

// maxAxes is how many figures one chart shows.
const maxAxes = 24

func (c *check) chart(at string, chart *Chart) {
	c.oneOf(at+"/kind", chart.Kind, ChartKinds...)
	if chart.Kind == "" {
		c.ps.add(at+"/kind", useBarsOrRadar.With(), chartHasNoType.With())
	}
	c.oneOf(at+"/beside", chart.Beside, BesideNorm, BesideNone)
	axes := len(chart.Of)
	if chart.Of.Keywords() {
		axes = len(c.d.Keywords)
	} else {
		for i, name := range chart.Of {
			if f, _ := fact.FamilyOf(name); f.Axis {
				c.fact(at+Pointer("of", i), name)
			} else {
				c.ps.add(at+Pointer("of", i), useScaleIDPercentID.With(), chartCantShow.With(name))
			}
		}
	}
	switch {
	case axes == 0:
		c.ps.add(at+"/of", giveListSuchPercentFit.With(), chartShowsNothing.With())
	case axes > maxAxes:
		c.ps.add(at+"/of", splitIntoTwoCharts.With(), chartCanShowUpValues.With(maxAxes))
	case chart.Kind == ChartRadar && axes < leastAxes:
		c.ps.add(at+"/of", addValuesOrChangeBars.With(), radarChartNeedsAtLeast.With(leastAxes))
	}
}
