package reach

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// The numbers of someone whom a question gave nothing can lie outside of all that the count comes to.
func TestMovedBelowWhatIsCounted(t *testing.T) {
	d, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"Below","scales":[{"id":"s"}],"questions":[
		{"id":"a","kind":"rating","required":true,"from":0,"to":2,
			"steps":[{"from":0,"points":{"s":3}},{"from":2,"points":{"s":0.5}}]},
		{"id":"b","kind":"multiple","choices":[{"id":"c","points":{"s":3}}],"most":1}],
		"outcomes":[{"id":"high"},{"id":"low"}],
		"verdicts":[{"when":{"fact":"percent.s","op":"gt","value":33.3333},"outcome":"high"}],"otherwise":"low"}`))
	require.NoError(t, err)
	report, err := Check(context.Background(), d, Options{Moved: true})
	require.NoError(t, err)
	require.InDelta(t, 1.0/3, report.Questions[0].Moved, 1e-12, "those with a low first answer, or with none to the second")
}
