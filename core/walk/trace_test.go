package walk_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiztest"
	"omphalos/core/walk"
)

// The lines that are traced end with the one that decides, and what is named as missing does not hold.
func TestTraceEndsWithTheLineThatDecides(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 12))
	parts, facts := 0, 0
	for range 400 {
		d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3})
		c, err := walk.New(d)
		require.NoError(t, err)
		in := walk.Input{Answers: map[string]walk.Answer{}}
		for i := range d.Questions {
			all := quiztest.Answers(&d.Questions[i])
			in.Answers[d.Questions[i].ID] = all[r.IntN(len(all))]
		}
		lines, res := c.Trace(in)
		want := c.Walk(in)
		require.Equal(t, want.Outcome, res.Outcome)
		if want.Reason.Line == walk.LineBranch {
			require.Empty(t, lines)
			continue
		}
		at := 0
		for i, l := range lines {
			require.Equal(t, l.Line == want.Reason.Line, l.Holds)
			require.True(t, !l.Holds || i == len(lines)-1)
			if l.Holds {
				at = l.Line
			}
			if l.Part != nil {
				require.False(t, l.Part.Holds(c.Facts(in)))
				parts++
			}
			if l.Fact != "" {
				require.Equal(t, c.Facts(in)(l.Fact), l.Value)
				facts++
			}
		}
		require.Equal(t, want.Reason.Line, at)
	}
	require.Greater(t, parts, 50)
	require.Greater(t, facts, 50)
}

// On the way, what is not answered yet is blank, and lines are tried as if the walk ended here.
func TestTraceOnTheWay(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 12))
	for range 100 {
		d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3})
		c, err := walk.New(d)
		require.NoError(t, err)
		first := &d.Questions[0]
		all := quiztest.Answers(first)
		in := walk.Input{Answers: map[string]walk.Answer{first.ID: all[r.IntN(len(all))]}}
		_, res := c.Trace(in)
		require.Equal(t, c.Advance(in).Path, res.Path)
		require.Equal(t, c.Advance(in).Scales, res.Scales)
		require.NotEmpty(t, res.Outcome)
	}
}
