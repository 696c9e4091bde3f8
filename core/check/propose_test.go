package check

import (
	"encoding/json"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/reach"
	"omphalos/core/walk"
)

// Whatever is proposed can be stored, and holds.
func TestProposedChecksHold(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 12))
	cuts := 0
	for range 300 {
		d := quiztest.Random(r, quiztest.Size{Questions: 5, Choices: 4, Visitor: true})
		reached := 0
		report, err := reach.Check(t.Context(), d, reach.Options{})
		require.NoError(t, err)
		for _, o := range report.Outcomes {
			if o.Reachable {
				reached++
			}
		}
		list, err := ForOutcomes(t.Context(), d, reach.Options{})
		require.NoError(t, err)
		require.Len(t, list, reached)
		d.Checks = list
		again, err := ForOutcomes(t.Context(), d, reach.Options{})
		require.NoError(t, err)
		require.Empty(t, again, "none is proposed twice")
		more, err := ForCuts(t.Context(), d, reach.Options{})
		require.NoError(t, err)
		cuts += len(more)
		d.Checks = append(d.Checks, more...)
		text, err := json.Marshal(d)
		require.NoError(t, err)
		d, err = Read(text)
		require.NoError(t, err, "%s", text)
		run, err := New(d, nil)
		require.NoError(t, err)
		for _, got := range run.Run() {
			require.True(t, got.Holds, "%+v of %s", got, text)
		}
	}
	require.Greater(t, cuts, 30)
}

// Both sides of a cut point differ by one answer where that is possible.
func TestBothSidesOfACutPoint(t *testing.T) {
	d, err := quiz.Read([]byte(`{"format": "omphalos-quiz/1", "name": "Cut", "scales": [{"id": "fit", "name": "Fit"}],
		"questions": [
			{"id": "a", "kind": "single", "required": true, "choices": [{"id": "x", "label": "None", "points": {"fit": 0}}, {"id": "y", "label": "Some", "points": {"fit": 4}}, {"id": "z", "label": "All", "points": {"fit": 5}}]},
			{"id": "b", "kind": "single", "required": true, "choices": [{"id": "x", "label": "Never", "points": {"fit": 0}}, {"id": "y", "label": "Often", "points": {"fit": 3}}]}],
		"outcomes": [{"id": "low"}, {"id": "high"}],
		"verdicts": [{"bands": {"on": "scale.fit", "cuts": [{"from": 0, "outcome": "low"}, {"from": 5, "outcome": "high"}]}}], "otherwise": "low"}`))
	require.NoError(t, err)
	list, err := ForCuts(t.Context(), d, reach.Options{})
	require.NoError(t, err)
	var names []string
	for _, c := range list {
		names = append(names, c.Name)
	}
	require.Equal(t, "Fit exactly 0 · Fit exactly 5 · Fit just under 5", strings.Join(names, " · "))
	at, below := list[1], list[2]
	require.Equal(t, "high", at.Expect.Outcome)
	require.Equal(t, "low", below.Expect.Outcome)
	require.Equal(t, "z x", at.Answers["a"].Text+" "+at.Answers["b"].Text)
	require.Equal(t, "y x", below.Answers["a"].Text+" "+below.Answers["b"].Text, "one answer other, and nobody is nearer below")

	c, err := walk.New(d)
	require.NoError(t, err)
	in := Input(d, &at)
	require.Equal(t, "All, Never", Name(d, in, c.Walk(in)))
	require.Equal(t, "No answers", Name(d, walk.Input{}, c.Walk(walk.Input{})))
}

// Both edges of a matrix have cut points, and each check holds and stands at its side.
func TestBothSidesOfTheCutPointsOfAMatrix(t *testing.T) {
	d, err := quiz.Read([]byte(`{"format": "omphalos-quiz/1", "name": "Cut", "scales": [{"id": "fit", "name": "Fit"}, {"id": "need", "name": "Need"}],
		"questions": [
			{"id": "a", "kind": "single", "required": true, "choices": [{"id": "x", "label": "None", "points": {"fit": 0}}, {"id": "y", "label": "Some", "points": {"fit": 4}}, {"id": "z", "label": "All", "points": {"fit": 5}}]},
			{"id": "b", "kind": "single", "required": true, "choices": [{"id": "x", "label": "Never", "points": {"need": 0}}, {"id": "y", "label": "Often", "points": {"need": 3}}]}],
		"outcomes": [{"id": "low"}, {"id": "mid"}, {"id": "high"}],
		"verdicts": [{"matrix": {"across": {"on": "scale.fit", "cuts": [0, 5]}, "down": {"on": "scale.need", "cuts": [0, 2]}, "outcomes": [["low", "mid"], ["mid", "high"]]}}],
		"otherwise": "low"}`))
	require.NoError(t, err)
	list, err := ForCuts(t.Context(), d, reach.Options{})
	require.NoError(t, err)
	got := map[string]string{}
	for _, c := range list {
		require.True(t, Holds(d, c, nil), c.Name)
		got[c.Name] = c.Answers["a"].Text + " " + c.Answers["b"].Text + " " + c.Expect.Outcome
	}
	require.Equal(t, map[string]string{
		"Fit exactly 0": "x x low", "Fit exactly 5": "z x mid", "Fit just under 5": "y x low", "Need 3": "x y mid",
	}, got, "what is just under a need of 2 is somebody who is there already")
}
