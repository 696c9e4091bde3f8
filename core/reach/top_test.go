package reach

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/rule"
)

func TestTheTopShareHasItsCut(t *testing.T) {
	var points []Point
	for v, share := range []float64{0.1, 0.2, 0.4, 0.2, 0.1} { // binomial-like, values 0 to 4
		points = append(points, Point{rule.Int(int64(v)), share})
	}
	two := rule.Int(2)
	for _, c := range []struct {
		top   float64
		above *rule.Number
		cut   int64
		share float64
	}{
		{0.1, nil, 4, 0.1}, {0.2, nil, 4, 0.1}, {0.21, nil, 3, 0.3}, {0.3, nil, 3, 0.3}, {0.6, nil, 2, 0.7}, {1, nil, 0, 1}, {0, nil, 4, 0.1},
		{1, &two, 3, 0.3},
	} {
		cut, share, ok := TopCut(points, c.top, c.above)
		require.True(t, ok)
		require.Equal(t, rule.Int(c.cut).String(), cut.String(), "top %v", c.top)
		require.InDelta(t, c.share, share, 1e-12)
	}
	four := rule.Int(4)
	_, _, ok := TopCut(points, 0.5, &four)
	require.False(t, ok)
	_, _, ok = TopCut(nil, 0.5, nil)
	require.False(t, ok)
}

func TestAPlainCutCutsAtTheSamePlace(t *testing.T) {
	third := rule.Ratio(rule.Int(100), rule.Int(3))
	points := []Point{{rule.Int(0), 0.2}, {third, 0.3}, {rule.MustNumber("33.4"), 0.2}, {rule.Ratio(rule.Int(200), rule.Int(3)), 0.3}}
	for _, c := range []struct {
		value rule.Number
		want  string
	}{{third, "33"}, {rule.MustNumber("33.4"), "33.4"}, {points[3].Value, "66"}, {rule.Int(0), "0"}} {
		require.Equal(t, c.want, PlainCut(points, c.value).String())
	}
}
