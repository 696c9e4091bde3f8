package workbench

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

func TestEndingsThatAreMadeAtOnce(t *testing.T) {
	const text = `{"format":"omphalos-quiz/1","name":"x","scales":[{"id":"s","name":"Fit"}],"keywords":[{"id":"a","name":"Fern"},{"id":"b","name":"Palm"}],
		"questions":[{"id":"q","kind":"single","text":"Q","choices":[{"id":"x","points":{"s":-2},"votes":{"a":1}},{"id":"y","points":{"s":6},"votes":{"b":1}}]}],
		"outcomes":[{"id":"o1","name":"palm"}],"otherwise":"o1"}`
	apply := func(d *quiz.Document, text, patch string) (*quiz.Document, string) {
		var p quiz.Patch
		require.NoError(t, json.Unmarshal([]byte(patch), &p))
		done, err := quiz.Edit([]byte(text), p)
		require.NoError(t, err)
		require.Empty(t, done.Document.Validate())
		return done.Document, string(done.Text)
	}
	d, err := quiz.Read([]byte(text))
	require.NoError(t, err)
	d, now := apply(d, text, EndingsForKeywords(d))
	require.Len(t, d.Outcomes, 2, "the one that is called as a keyword is taken")
	require.Equal(t, map[string]string{"a": "o2", "b": "o1"}, d.Verdicts[0].Leader.Outcomes)
	require.Equal(t, "Fern", d.Outcomes[1].Heading)
	require.Empty(t, EndingsForKeywords(d), "nothing is missing")

	d, now = apply(d, now, `[{"op":"add","path":"/keywords/-","value":{"id":"c","name":"Moss"}}]`)
	d, now = apply(d, now, EndingsForKeywords(d))
	require.Equal(t, map[string]string{"a": "o2", "b": "o1", "c": "o3"}, d.Verdicts[0].Leader.Outcomes)
	require.Len(t, d.Verdicts, 1)

	d, _ = apply(d, now, EndingsForCut(d, 0))
	cuts := d.Verdicts[1].Bands.Cuts
	require.Equal(t, "-2", cuts[0].From.String())
	require.Equal(t, "2", cuts[1].From.String())
	require.Equal(t, "A good fit", d.OutcomeName(cuts[1].Outcome))
}
