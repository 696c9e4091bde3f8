package quiz_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

func TestColumnsThatDecideNothing(t *testing.T) {
	for parts, want := range map[string]string{
		``: "answers give points on “Fit”, but nothing uses this scale; answers vote for “Fern”, but nothing uses this keyword",
		`,"verdicts":[{"bands":{"on":"percent.fit","cuts":[{"from":50,"outcome":"o"}]}}]`:                                "answers vote for “Fern”, but nothing uses this keyword",
		`,"verdicts":[{"leader":{"outcomes":{"fern":"o"}}}]`:                                                             "answers give points on “Fit”, but nothing uses this scale",
		`,"verdicts":[{"when":{"fact":"leader","op":"is","value":"fern"},"outcome":"o"}],"settings":{"show_score":true}`: "",
		`,"computed":[{"id":"v","name":"V","formula":"1 +\nscale.fit-keyword.fern"}]`:                                    "",
		`,"computed":[{"id":"v","name":"V","formula":"scale.fitness + keyword.fern"}]`:                                   "answers give points on “Fit”, but nothing uses this scale",
		`,"computed":[{"id":"v","name":"V","formula":"scale.fit + keyword.fern"}]`:                                       "",
	} {
		d, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"x","scales":[{"id":"fit","name":"Fit"},{"id":"none","name":"Unused"}],"keywords":[{"id":"fern","name":"Fern"}],
			"questions":[{"id":"q","kind":"single","text":"Q","choices":[{"id":"a","points":{"fit":1},"votes":{"fern":1}},{"id":"b"}]}],"outcomes":[{"id":"o"}],"otherwise":"o"` + parts + `}`))
		require.NoError(t, err, parts)
		var said []string
		for _, p := range d.IdleColumns() {
			said = append(said, p.Message)
		}
		require.Equal(t, want, strings.Join(said, "; "), parts)
	}
}
