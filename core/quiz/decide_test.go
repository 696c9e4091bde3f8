package quiz_test

import (
	"encoding/json"

	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// What is wrong with a matrix, a norm, a start or a chart is named at its place.
func TestProblemsOfWhatDecidesBetter(t *testing.T) {
	const line = `{"bands":{"on":"scale.fit","cuts":[{"from":3,"outcome":"yes"}]}}`
	matrix := func(s string) [2]string { return [2]string{line, `{"matrix":` + s + `}`} }
	for name, c := range map[string]struct {
		change [2]string
		where  string
	}{
		"too few rows":         {matrix(`{"across":{"on":"scale.fit","cuts":[0]},"down":{"on":"percent.fit","cuts":[0,5]},"outcomes":[["yes"]]}`), "/verdicts/0/matrix/outcomes"},
		"too few cells":        {matrix(`{"across":{"on":"scale.fit","cuts":[0,2]},"down":{"on":"percent.fit","cuts":[0]},"outcomes":[["yes"]]}`), "/verdicts/0/matrix/outcomes/0"},
		"no such outcome":      {matrix(`{"across":{"on":"scale.fit","cuts":[0]},"down":{"on":"percent.fit","cuts":[0]},"outcomes":[["maybe"]]}`), "/verdicts/0/matrix/outcomes/0/0"},
		"cuts out of order":    {matrix(`{"across":{"on":"scale.fit","cuts":[3,3]},"down":{"on":"percent.fit","cuts":[0]},"outcomes":[["yes",null]]}`), "/verdicts/0/matrix/across/cuts/1"},
		"an answer is not cut": {matrix(`{"across":{"on":"answer.area","cuts":[3]},"down":{"on":"percent.fit","cuts":[0]},"outcomes":[["yes"]]}`), "/verdicts/0/matrix/across/on"},
		"too fine":             {matrix(`{"across":{"on":"scale.fit","cuts":[0.00001]},"down":{"on":"percent.fit","cuts":[0]},"outcomes":[["yes"]]}`), "/verdicts/0/matrix/across/cuts/0"},
		"shares of a norm":     {[2]string{`{"id":"fit"}`, `{"id":"fit","norm":[[1,0.5],[2,0.4]]}`}, "/scales/0/norm"},
		"a share over 1":       {[2]string{`{"id":"fit"}`, `{"id":"fit","norm":[[1,1.5]]}`}, "/scales/0/norm/0/1"},
		"a start too fine":     {[2]string{`{"id":"fern"}`, `{"id":"fern","start":0.00001}`}, "/keywords/0/start"},
		"a chart of nothing":   {[2]string{`{"id":"yes"}`, `{"id":"yes","ending":{"kind":"page","charts":[{"kind":"bars","of":[]}]}}`}, "/outcomes/0/ending/charts/0/of"},
		"a chart of an answer": {[2]string{`{"id":"yes"}`, `{"id":"yes","ending":{"kind":"page","charts":[{"kind":"bars","of":["answer.area"]}]}}`}, "/outcomes/0/ending/charts/0/of/0"},
		"a radar of two":       {[2]string{`{"id":"yes"}`, `{"id":"yes","ending":{"kind":"page","charts":[{"kind":"radar","of":["scale.fit","percent.fit"]}]}}`}, "/outcomes/0/ending/charts/0/of"},
		"an unknown kind":      {[2]string{`{"id":"yes"}`, `{"id":"yes","ending":{"kind":"page","charts":[{"kind":"pie","of":"keywords"}]}}`}, "/outcomes/0/ending/charts/0/kind"},
	} {
		text := strings.Replace(small, c.change[0], c.change[1], 1)
		require.NotEqual(t, small, text, name)
		_, err := quiz.Read([]byte(text))
		var ps quiz.Problems
		require.ErrorAs(t, err, &ps, name)
		require.Equal(t, c.where, ps[0].Where, "%s: %v", name, ps)
	}
}

// Null cells, norms and charts come back from JSON as they went.
func TestWhatDecidesBetterIsReadAndWritten(t *testing.T) {
	text := strings.NewReplacer(`{"bands":{"on":"scale.fit","cuts":[{"from":3,"outcome":"yes"}]}}`,
		`{"matrix":{"across":{"on":"percentile.fit","cuts":[0,50.5]},"down":{"on":"scale.fit","cuts":[0]},"outcomes":[["yes",null]]}}`,
		`{"id":"fit"}`, `{"id":"fit","norm":[[1,0.25],[2.5,0.75]]}`, `{"id":"fern"}`, `{"id":"fern","start":-0.5}`,
		`{"id":"yes"}`, `{"id":"yes","ending":{"kind":"page","charts":[{"kind":"bars","of":["percent.fit"],"beside":"norm"},{"kind":"bars","of":"keywords"}]}}`).Replace(small)
	d, err := quiz.Read([]byte(text))
	require.NoError(t, err)
	require.Equal(t, []string{"yes"}, d.Verdicts[0].Leads())
	require.Empty(t, d.Verdicts[0].Matrix.Cell(0, 1))
	edited, err := quiz.Edit([]byte(text), nil)
	require.NoError(t, err)
	require.JSONEq(t, text, string(edited.Text))
	again := d.Clone()
	one, err := json.Marshal(d)
	require.NoError(t, err)
	other, err := json.Marshal(again)
	require.NoError(t, err)
	require.JSONEq(t, string(one), string(other))
	require.True(t, d.Outcomes[0].Ending.Charts[1].Of.Keywords())
	require.Equal(t, 1, d.Finest(), "0.25 of the norm is no number that decides: 50.5 is, and −0.5")
}
