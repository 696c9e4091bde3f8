package endings

import (
	"slices"

	"omphalos/core/quiz"
)

// chartView is a chart as it is chosen.
type chartView struct {
	Path   string
	Number int
	Kinds  []option
	Of     []sku // what it can show
	Beside []option
	Drop   string
}

// charts are the charts of an ending, and patches that add one of each sort.
func (v *outcome) charts(d *quiz.Document) {
	at := v.Path + "/ending/charts"
	for i := range v.Ending.Charts {
		c := &v.Ending.Charts[i]
		path := d.Below(at, i)
		one := chartView{Path: path, Number: i + 1, Drop: quiz.JSON(quiz.Remove(path))}
		for _, kind := range []option{{Name: "bars", Value: quiz.ChartBars}, {Name: "radar", Value: quiz.ChartRadar}} {
			kind.Selected, kind.Patch = kind.Value == c.Kind, quiz.JSON(quiz.Add(path+"/kind", kind.Value))
			one.Kinds = append(one.Kinds, kind)
		}
		if !c.Of.Keywords() {
			for _, fact := range drawable(d) {
				one.Of = append(one.Of, toggled(d, c, fact))
			}
			for _, b := range []option{
				{Name: "nothing", Value: quiz.BesideNone},
				{Name: "the average (norm)", Value: quiz.BesideNorm},
			} {
				b.Selected = b.Value == quiz.FirstOf(c.Beside, quiz.BesideNone)
				b.Patch = quiz.JSON(quiz.Add(path+"/beside", b.Value))
				one.Beside = append(one.Beside, b)
			}
		}
		v.Charts = append(v.Charts, one)
	}
	offer := func(name string, c quiz.Chart) {
		v.AddCharts = append(v.AddCharts, option{Name: name, Patch: v.ending(quiz.Add(at+"/-", c))})
	}
	if len(d.Scales) > 0 {
		var percents quiz.ChartOf
		for i := range d.Scales {
			percents = append(percents, "percent."+d.Scales[i].ID)
		}
		offer("of scales", quiz.Chart{Kind: quiz.ChartBars, Of: percents})
	}
	if len(d.Keywords) > 0 {
		offer("of keywords", quiz.Chart{Kind: quiz.ChartBars, Of: quiz.OfKeywords()})
	}
}

// drawable are the facts that a chart can show.
func drawable(d *quiz.Document) []string {
	var out []string
	for i := range d.Scales {
		id := d.Scales[i].ID
		out = append(out, "scale."+id, "percent."+id)
		if d.Scales[i].Norm != nil {
			out = append(out, "percentile."+id)
		}
	}
	return out
}

// toggled is a fact to be shown or not.
func toggled(d *quiz.Document, c *quiz.Chart, fact string) sku {
	return sku{Name: d.FactName(fact), On: slices.Contains(c.Of, fact), Value: fact}
}
