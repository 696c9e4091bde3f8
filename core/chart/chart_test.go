package chart

import (
	"encoding/xml"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

func walked(t *testing.T, charts string, picks ...string) (*quiz.Document, *walk.Result) {
	t.Helper()
	d, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"C",
		"scales":[{"id":"fit","name":"Fit & <more>","norm":[[0,0.5],[4,0.5]]},{"id":"urgency","name":"Urgency"},{"id":"size","name":"Size","start":1}],
		"keywords":[{"id":"k","name":"Fern","start":1},{"id":"l","name":"Palm"}],
		"questions":[{"id":"a","kind":"single","required":true,"choices":[
			{"id":"x","points":{"fit":4,"urgency":2,"size":1},"votes":{"k":1}},{"id":"y","points":{"fit":2,"urgency":8},"votes":{"l":4}}]}],
		"outcomes":[{"id":"o","ending":{"kind":"page","charts":` + charts + `}}],"otherwise":"o"}`))
	require.NoError(t, err)
	c, err := walk.New(d)
	require.NoError(t, err)
	return d, c.Walk(walk.Input{Answers: map[string]walk.Answer{"a": {Picks: picks}}})
}

func TestFiguresOfAChart(t *testing.T) {
	d, r := walked(t, `[{"kind":"bars","of":["scale.fit","percent.fit","percentile.fit","percentile.urgency","scale.size"],"beside":"norm"}]`, "y")
	c := Of(d, &d.Outcomes[0].Ending.Charts[0], r)
	require.Equal(t, []Axis{
		{"Fit & <more>", "2", 0.5, "2", 0.5},
		{"Fit & <more>", "50 %", 0.5, "50 %", 0.5},
		{"Fit & <more>", "50", 0.5, "50", 0.5},
		{"Size", "1", 0.5, "", 0},
	}, c.Axes, "a standing without a norm is left out")
	require.Equal(t, "Fit & <more> 2, others 2; Fit & <more> 50 %, others 50 %; Fit & <more> 50, others 50; Size 1", c.Words("others"))

	votes := Of(d, &quiz.Chart{Kind: quiz.ChartBars, Of: quiz.OfKeywords()}, r)
	require.Equal(t, []Axis{{Name: "Fern", Text: "1", Share: 0.25}, {Name: "Palm", Text: "4", Share: 1}}, votes.Axes)
}

// Every drawing is well-formed XML that says all its figures, in either direction.
func TestDrawingsAreWellFormed(t *testing.T) {
	d, r := walked(t, `[{"kind":"radar","of":["scale.fit","percent.urgency","scale.size"],"beside":"norm"},{"kind":"bars","of":["scale.fit"]}]`, "x")
	for i := range d.Outcomes[0].Ending.Charts {
		for _, rtl := range []bool{false, true} {
			c := Of(d, &d.Outcomes[0].Ending.Charts[i], r)
			c.RTL = rtl
			svg := c.SVG("others")
			require.NoError(t, xml.Unmarshal([]byte(svg), new(any)))
			require.NotContains(t, svg, "<more>")
			for _, a := range c.Axes {
				require.Contains(t, svg, ">"+a.Text+"<")
			}
			require.Equal(t, strings.Count(svg, `class="value"`), len(c.Axes))
		}
	}
}

// Shares of a norm sum to 1 however they are rounded.
func TestANormSumsToOne(t *testing.T) {
	values, weights := []rule.Number{}, []float64{}
	for i := range 37 {
		values, weights = append(values, rule.Int(int64(i))), append(weights, 1.0/37)
	}
	sum := rule.Number{}
	for _, p := range quiz.NewNorm(values, weights) {
		sum = sum.Add(p[1])
	}
	require.Zero(t, sum.Cmp(rule.Int(1)))
	require.Empty(t, quiz.NewNorm(nil, nil))
}
