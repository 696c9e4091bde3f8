package mend

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/check"
	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/reach"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// kept is a random quiz with random respondents kept, most of whom end where they end and some elsewhere.
func kept(t *testing.T, r *rand.Rand) *quiz.Document {
	t.Helper()
	d := quiztest.Random(r, quiztest.Size{Questions: 4, Choices: 3, Visitor: true})
	c, err := walk.New(d)
	require.NoError(t, err)
	for range 1 + r.IntN(4) {
		in := walk.Input{Answers: map[string]walk.Answer{}}
		one := quiz.Check{ID: fmt.Sprint("k", len(d.Checks))}
		for i := range d.Questions {
			q := &d.Questions[i]
			answers := quiztest.Answers(q)
			a := answers[r.IntN(len(answers))]
			in.Answers[q.ID] = a
		}
		one.Answers = check.GivenAnswers(d, in.Answers)
		one.Expect.Outcome = c.Walk(in).Outcome
		if r.IntN(3) == 0 {
			one.Expect.Outcome = d.Outcomes[r.IntN(len(d.Outcomes))].ID
		}
		d.Checks = append(d.Checks, one)
	}
	return d
}

func holding(t *testing.T, d *quiz.Document) bool {
	t.Helper()
	run, err := check.New(d, nil)
	require.NoError(t, err)
	for _, got := range run.Run() {
		if !got.Holds {
			return false
		}
	}
	return true
}

// How far numbers are tried by hand.
const farthest = 40

// Every repair makes all checks hold, no smaller one of its number does, and none is missing: as trying every value of
// every number tells.
func TestRepairsAreTheSmallestThereAre(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 26))
	failing, repaired, pairs := 0, 0, 0
	for n := range quiztest.Rounds(600) {
		d := kept(t, r)
		found, err := Find(context.Background(), d, nil, reach.Options{})
		require.NoError(t, err)
		if len(found.Failing) == 0 {
			require.True(t, holding(t, d))
			continue
		}
		failing++
		by := map[string]Repair{}
		for k, one := range found.Repairs {
			changed := one.In(d)
			require.Empty(t, changed.Validate(), "quiz %d", n)
			require.True(t, holding(t, changed), "quiz %d: %+v", n, one)
			if k > 0 {
				require.LessOrEqual(t, found.Repairs[k-1].Moved, one.Moved+sameShare)
			}
			if len(one.Change) == 1 {
				by[one.Change[0].At] = one
				repaired++
			} else {
				pairs++
			}
		}
		unit := rule.Unscaled(1, d.Finest())
		other := d.Clone()
		for _, f := range quiz.Numbers(other) {
			from, best := f.Value(), -1
			for k := 1; k <= farthest && best < 0; k++ {
				for _, way := range []int64{1, -1} {
					f.Set(from.Add(unit.Mul(rule.Int(way * int64(k)))))
					if len(other.Validate()) == 0 && holding(t, other) {
						best = k
					}
				}
			}
			f.Set(from)
			got, there := by[f.At]
			distance := 0
			if there {
				steps, _ := rule.Ratio(got.Change[0].To.Sub(from).Abs(), unit).Scaled(0)
				distance = int(steps)
			}
			switch {
			case best > 0:
				require.Equal(t, best, distance, "quiz %d: %s from %s", n, f.At, from)
			case there:
				require.Greater(t, distance, farthest, "quiz %d: %s from %s", n, f.At, from)
			}
		}
	}
	require.Greater(t, failing, quiztest.Rounds(100))
	require.Greater(t, repaired, quiztest.Rounds(20))
	require.Positive(t, pairs)
}

// What a repair moves is what walking both documents tells.
func TestWhatARepairMoves(t *testing.T) {
	r := rand.New(rand.NewPCG(16, 2))
	compared := 0
	for range quiztest.Rounds(240) {
		d := kept(t, r)
		found, err := Find(context.Background(), d, nil, reach.Options{})
		require.NoError(t, err)
		for _, one := range found.Repairs[:min(2, len(found.Repairs))] {
			a, err := walk.New(d)
			require.NoError(t, err)
			b, err := walk.New(one.In(d))
			require.NoError(t, err)
			if want, whole := quiztest.Apart(a, b); whole {
				require.InDelta(t, want, one.Moved, 1e-12)
				compared++
			}
		}
	}
	require.GreaterOrEqual(t, compared, quiztest.Rounds(4))
}

// The edit of a repair makes the very document that it was found for.
func TestTheEditOfARepair(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	made := 0
	for range quiztest.Rounds(200) {
		d := kept(t, r)
		found, err := Find(context.Background(), d, nil, reach.Options{})
		require.NoError(t, err)
		for _, one := range found.Repairs {
			edited, err := quiz.Edit([]byte(marshal(t, d)), one.Patch())
			require.NoError(t, err)
			require.JSONEq(t, marshal(t, one.In(d)), string(edited.Text))
			made++
		}
	}
	require.Greater(t, made, quiztest.Rounds(10))
}

func marshal(t *testing.T, d *quiz.Document) string {
	t.Helper()
	var out strings.Builder
	out.WriteString(quiz.JSON(quiz.Add("/x", d)))
	text := out.String()
	return text[strings.Index(text, `"value":`)+len(`"value":`) : len(text)-2]
}
