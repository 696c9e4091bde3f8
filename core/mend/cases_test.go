package mend

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/check"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
)

// read reads a quiz of one question with its checks.
func read(t *testing.T, rest string) *quiz.Document {
	t.Helper()
	d, err := check.Read([]byte(`{"format":"omphalos-quiz/1","name":"M","scales":[{"id":"s"}],"keywords":[{"id":"k"},{"id":"l"}],
		"questions":[{"id":"q","kind":"single","required":true,"choices":[
			{"id":"a","points":{"s":5},"votes":{"k":1}},{"id":"b","points":{"s":1},"votes":{"l":2}}]}],` + rest + `}`))
	require.NoError(t, err)
	return d
}

const outcomes = `"outcomes":[{"id":"x","ending":{"kind":"redirect","url":"https://x.example{?scale.s}"}},{"id":"y"}],"otherwise":"y",`

// Repairs of small quizzes, worked out by hand.
func TestRepairsByHand(t *testing.T) {
	for name, c := range map[string]struct {
		rest string
		want []Change
	}{
		"a point and a cut point": {
			outcomes + `"verdicts":[{"bands":{"on":"scale.s","cuts":[{"from":7,"outcome":"x"}]}}],
			"checks":[{"id":"c","answers":{"q":"a"},"expect":{"outcome":"x"}}]`,
			[]Change{change("/questions/0/choices/0/points/s", "5", "7"), change("/verdicts/0/bands/cuts/0/from", "7", "5")},
		},
		"in steps of the finest decimal": {
			outcomes + `"verdicts":[{"bands":{"on":"scale.s","cuts":[{"from":5.5,"outcome":"x"}]}}],
			"checks":[{"id":"c","answers":{"q":"a"},"expect":{"outcome":"x"}}]`,
			[]Change{change("/questions/0/choices/0/points/s", "5", "5.5"), change("/verdicts/0/bands/cuts/0/from", "5.5", "5")},
		},
		"a cut point stays below the next": {
			outcomes + `"verdicts":[{"bands":{"on":"scale.s","cuts":[{"from":2,"outcome":"y"},{"from":4,"outcome":"x"}]}}],
			"checks":[{"id":"c","answers":{"q":"a"},"expect":{"outcome":"y"}}]`,
			[]Change{change("/questions/0/choices/0/points/s", "5", "3"), change("/verdicts/0/bands/cuts/1/from", "4", "6")},
		},
		"a vote that leads": {
			outcomes + `"verdicts":[{"leader":{"outcomes":{"k":"x","l":"y"}}}],
			"checks":[{"id":"c","answers":{"q":"b"},"expect":{"outcome":"x"}}]`,
			nil, // the answer has no vote for the other, and none is made
		},
		"an address that tells the score": {
			outcomes + `"verdicts":[{"when":{"all":[]},"outcome":"x"}],
			"checks":[{"id":"c","answers":{"q":"a"},"expect":{"address":"https://x.example?scale.s=9"}}]`,
			[]Change{change("/questions/0/choices/0/points/s", "5", "9")},
		},
		"a score that is expected": {
			outcomes + `"checks":[{"id":"c","answers":{"q":"b"},"expect":{"scales":{"s":4}}}]`,
			[]Change{change("/questions/0/choices/1/points/s", "1", "4")},
		},
		"a percent": { // b gives 100 s ÷ 5; from 60 on it is enough
			outcomes + `"verdicts":[{"bands":{"on":"percent.s","cuts":[{"from":60,"outcome":"x"}]}}],
			"checks":[{"id":"c","answers":{"q":"b"},"expect":{"outcome":"x"}},{"id":"d","answers":{"q":"a"},"expect":{"outcome":"x"}}]`,
			[]Change{
				change("/questions/0/choices/0/points/s", "5", "1"), // 1 of 1
				change("/questions/0/choices/1/points/s", "1", "3"), change("/verdicts/0/bands/cuts/0/from", "60", "20"),
			},
		},
	} {
		t.Run(name, func(t *testing.T) {
			found, err := Find(context.Background(), read(t, c.rest), nil, reach.Options{})
			require.NoError(t, err)
			var got []Change
			for _, r := range found.Repairs {
				if len(r.Change) == 1 {
					got = append(got, r.Change[0])
				}
			}
			require.ElementsMatch(t, c.want, got)
		})
	}
}

func change(at, from, to string) Change { return Change{at, number(from), number(to)} }

var number = rule.MustNumber
