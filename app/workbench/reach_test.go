package workbench

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
)

func TestPlacesHaveTheirRoom(t *testing.T) {
	for pointer, want := range map[string]string{
		"/questions/1/text": "/quizzes/x/script?at=%2Fquestions%2F1%2Ftext", "/contact": "/quizzes/x/script?at=%2Fcontact", "/scales/0": "/quizzes/x/script?at=%2Fscales%2F0",
		"/verdicts/0/bands": "/quizzes/x/verdicts?at=%2Fverdicts%2F0%2Fbands", "/otherwise": "/quizzes/x/verdicts?at=%2Fotherwise", "/outcomes/2/ending/url": "/quizzes/x/endings?at=%2Foutcomes%2F2%2Fending%2Furl",
	} {
		require.Equal(t, want, Link("x", pointer))
	}
}

func TestLargeNumbersStayReadable(t *testing.T) {
	for digits, want := range map[string]string{"1": "1", "456920": "456,920", "999999999999999": "999,999,999,999,999", "1000000000000000": "about 10^15", "not a number": "not a number"} {
		require.Equal(t, want, grouped(digits))
	}
}

func TestColumnsShowTheSpread(t *testing.T) {
	point := func(v int64, share float64) reach.Point { return reach.Point{Value: rule.Int(v), Share: share} }
	columns := columnsOf(&reach.Report{Scales: []reach.Scale{
		{ID: "a", Least: rule.Int(0), Most: rule.Int(2), Shares: []reach.Point{point(0, 0.25), point(1, 0.5), point(2, 0.25)}},
		{ID: "b", Least: rule.Int(7), Most: rule.Int(7), Shares: []reach.Point{point(7, 1)}},
	}})
	require.Equal(t, []column{{"a", "0 to 2", []float64{0.5, 1, 0.5}}, {"b", "Always 7", []float64{1}}}, columns)
	var many []reach.Point
	for v := range int64(100) {
		many = append(many, point(v, 0.01))
	}
	columns = columnsOf(&reach.Report{Scales: []reach.Scale{{ID: "c", Least: rule.Int(0), Most: rule.Int(99), Shares: many}}})
	require.Len(t, columns[0].Bars, maxBars)
}

func TestWitnessesInWords(t *testing.T) {
	d := quiz.New("Words")
	d.Questions = []quiz.Question{
		{ID: "a", Kind: quiz.Single, Choices: []quiz.Choice{{ID: "p", Label: "Small"}}},
		{ID: "m", Kind: quiz.Multiple, Choices: []quiz.Choice{{ID: "x", Label: "Ex"}, {ID: "y"}}},
		{ID: "n", Kind: quiz.NumberQ, Unit: "people"},
		{ID: "g", Kind: quiz.Grid, Rows: []quiz.Row{{ID: "r"}}, Choices: []quiz.Choice{{ID: "o", Label: "Often"}}},
		{ID: "blank", Kind: quiz.ShortText},
	}
	require.Equal(t, []string{"1: Small", "2: Ex, y", "3: 12 people", "4: Often", "respondent’s country Ireland"},
		Steps(d, map[string]any{"a": "p", "m": []string{"x", "y"}, "n": 12, "g.r": "o", "visitor.country": "IE"}))
}
