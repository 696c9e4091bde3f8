package reach

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// What may be asked before what, by hand: b before a, and c before both.
func TestWhatMayBeAskedBefore(t *testing.T) {
	const (
		a = `{"id":"a","kind":"single","text":"A","choices":[{"id":"x"},{"id":"y"}]`
		b = `{"id":"b","kind":"single","text":"B","choices":[{"id":"x"},{"id":"y"}]`
		c = `{"id":"c","kind":"single","text":"C","choices":[{"id":"x"},{"id":"y"}]`
	)
	const x, high = `{"fact":"answer.a","op":"is","value":"x"}`, `{"fact":"scale.s","op":"ge","value":1}`
	for name, of := range map[string]struct {
		questions string
		to, from  int
		may       bool
	}{
		"free":                     {a + `},` + b + `},` + c + `}`, 0, 1, true},
		"the other branches":       {a + `,"branches":[{"when":` + x + `,"go":"finish"}]},` + b + `},` + c + `}`, 0, 1, false},
		"it branches":              {a + `},` + b + `,"branches":[{"when":` + high + `,"go":"finish"}]},` + c + `}`, 0, 1, false},
		"a branch leads to it":     {a + `,"branches":[{"when":` + x + `,"go":"question:c"}]},` + b + `},` + c + `}`, 1, 2, false},
		"a branch leads to other":  {a + `,"branches":[{"when":` + x + `,"go":"question:b"}]},` + b + `},` + c + `}`, 1, 2, false},
		"it looks at the other":    {a + `},` + b + `,"visible_if":` + x + `},` + c + `}`, 0, 1, false},
		"it looks further back":    {a + `},` + b + `},` + c + `,"visible_if":` + x + `}`, 1, 2, true},
		"it looks at a score":      {a + `},` + b + `,"visible_if":` + high + `},` + c + `}`, 0, 1, false},
		"the other looks at score": {a + `},` + b + `,"visible_if":` + high + `},` + c + `}`, 1, 2, false},
		"it is filled":             {a + `},` + b + `,"help":"You said {a}."},` + c + `}`, 0, 1, false},
	} {
		d, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"O","scales":[{"id":"s"}],
			"questions":[` + of.questions + `],"outcomes":[{"id":"o"}],"otherwise":"o"}`))
		require.NoError(t, err, name)
		require.Empty(t, d.Validate(), name)
		require.Equal(t, of.may, mayPass(d, of.to, of.from), name)
	}
}
