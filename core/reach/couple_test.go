package reach

import (
	"context"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// another is a document with one number changed: a point, a vote, a weight or a cut point.
func another(t *testing.T, r *rand.Rand, d *quiz.Document) *quiz.Document {
	t.Helper()
	other := d.Clone()
	numbers := quiz.Numbers(other)
	if len(numbers) == 0 {
		return other
	}
	n := numbers[r.IntN(len(numbers))]
	n.Set(n.Value().Add(rule.Int(int64(r.IntN(5) - 2))))
	if len(other.Validate()) > 0 {
		return d
	}
	return other
}

// How many end elsewhere in a changed document is as walking both says.
func TestEndApartEqualsWalkingBoth(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 26))
	compared, moved := 0, 0
	for range 2000 {
		before := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3, Visitor: true})
		after := another(t, r, before)
		a, err := walk.New(before)
		require.NoError(t, err)
		b, err := walk.New(after)
		require.NoError(t, err)
		want, whole := quiztest.Apart(a, b)
		if !whole {
			continue
		}
		got, err := EndApart(context.Background(), before, after, Options{})
		require.NoError(t, err)
		require.Zero(t, got.Samples)
		require.InDelta(t, want, got.Share, 1e-12)
		compared++
		if want > 0 {
			moved++
		}
	}
	require.Greater(t, compared, 700)
	require.Greater(t, moved, 50)
}
