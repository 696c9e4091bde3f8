package say

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/require"
)

var fewPoints = New("say.few_points", "“%s” has %d points")

func TestATextIsSaid(t *testing.T) {
	text := fewPoints.With("Fit", 3)
	require.Equal(t, "“Fit” has 3 points", text.String())
	require.Equal(t, "say.few_points", text.Code())
	require.Equal(t, "3 Punkte für „Fit“", text.In(map[string]string{"say.few_points": "%[2]d Punkte für „%[1]s“"}))
	require.Equal(t, "“Fit” has 3 points", text.In(map[string]string{"say.other": "x"}))
	require.Equal(t, "100% sure", Plain("100% sure").String())
	require.Empty(t, Text{}.String())
	nested := New("say.note", "note: %s").With(text)
	require.Equal(t, "note: “Fit” has 3 points", nested.String())
	require.Equal(t, "note: 3 Punkte für „Fit“", nested.In(map[string]string{"say.few_points": "%[2]d Punkte für „%[1]s“"}))
}

func TestAnErrorKeepsItsText(t *testing.T) {
	err := fewPoints.Error("Fit", 0)
	require.EqualError(t, err, "“Fit” has 0 points")
	require.Equal(t, "say.few_points", Of(err).Code())
	require.Equal(t, Plain("broken"), Of(errors.New("broken")))
}

func TestACodeStandsForOneSentence(t *testing.T) {
	require.Equal(t, "“%s” has %d points", English()["say.few_points"])
	require.Panics(t, func() { New("say.few_points", "another") })
}
