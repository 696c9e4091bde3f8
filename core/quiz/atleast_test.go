package quiz_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// At least so many of some conditions: those that hold are counted, one that stands twice counts twice.
func TestAtLeastSoManyOf(t *testing.T) {
	is := func(fact string) rule.Condition {
		return rule.Condition{Fact: fact, Op: rule.OpIs, Value: rule.One(rule.Scalar{Text: "yes"})}
	}
	holding := func(n int) rule.Facts {
		return func(fact string) rule.Value {
			var i int
			if _, err := fmt.Sscanf(fact, "answer.q%d", &i); err == nil && i < n {
				return rule.TextValue("yes")
			}
			return rule.TextValue("no")
		}
	}
	var five []rule.Condition
	for i := range 5 {
		five = append(five, is(fmt.Sprint("answer.q", i)))
	}
	for need := 1; need <= 5; need++ {
		c := rule.Condition{AtLeast: need, Of: five}
		for n := range 6 {
			require.Equal(t, n >= need, c.Holds(holding(n)), "%d of 5, %d hold", need, n)
		}
	}
	twice := rule.Condition{AtLeast: 2, Of: []rule.Condition{five[0], five[0], five[1]}}
	require.True(t, twice.Holds(holding(1)))
}

func TestAtLeastIsChecked(t *testing.T) {
	const text = `{"format":"omphalos-quiz/1","name":"x","outcomes":[{"id":"o"}],"otherwise":"o","questions":[{"id":"q","kind":"single","text":"Q","choices":[{"id":"a","label":"A"}]}],
		"verdicts":[{"when":%s,"outcome":"o"}]}`
	const one = `{"fact":"answer.q","op":"is","value":"a"}`
	for when, want := range map[string]string{
		`{"at_least":1,"of":[` + one + `]}`:                                  "",
		`{"at_least":2,"of":[` + one + `,` + one + `]}`:                      "",
		`{"at_least":2,"of":[` + one + `]}`:                                  "/verdicts/0/when/at_least: “at least 2 of 1 conditions” can’t be met. Use a whole number from 1 to 1, or add conditions.",
		`{"at_least":0,"of":[` + one + `]}`:                                  "/verdicts/0/when/at_least",
		`{"at_least":-1,"of":[` + one + `]}`:                                 "/verdicts/0/when/at_least",
		`{"at_least":1,"of":[]}`:                                             "/verdicts/0/when/at_least",
		`{"at_least":1}`:                                                     "/verdicts/0/when/at_least",
		`{"of":[` + one + `]}`:                                               "/verdicts/0/when/at_least",
		`{"at_least":1.5,"of":[` + one + `]}`:                                "/verdicts/0/when/at_least",
		`{"at_least":1,"of":[` + one + `],"all":[` + one + `]}`:              "exactly one of",
		`{"at_least":1,"of":[{"fact":"answer.none","op":"is","value":"a"}]}`: "/verdicts/0/when/of/0/fact",
	} {
		d, err := quiz.Read(fmt.Appendf(nil, text, when))
		if want == "" {
			require.NoError(t, err, when)
			require.Equal(t, d.Verdicts[0].When.AtLeast, len(d.Verdicts[0].When.Of), when)
			require.Contains(t, d.Sentence(d.Verdicts[0].When), "at least")
			continue
		}
		require.ErrorContains(t, err, want, when)
	}
}
