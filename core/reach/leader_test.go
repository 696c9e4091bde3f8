package reach

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os/exec"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Keywords alone, where votes only add up: every tie rule, against walking every walk.
func TestLeadersEqualWalkingEveryWalk(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 66))
	for n := range 600 {
		d := quiz.New("Leaders")
		d.Scales, d.Outcomes, d.Otherwise = nil, []quiz.Outcome{{ID: "none"}}, "none"
		lead := &quiz.Leader{Outcomes: map[string]string{}, Ties: []string{"order", "latest", "latest", "question:q1"}[n%4]}
		for k := range 2 + r.IntN(3) {
			id := fmt.Sprint("k", k)
			d.Keywords = append(d.Keywords, quiz.Keyword{ID: id})
			d.Outcomes = append(d.Outcomes, quiz.Outcome{ID: "o" + id})
			lead.Outcomes[id] = "o" + id
		}
		for q := range 2 + r.IntN(4) {
			question := quiz.Question{ID: fmt.Sprint("q", q), Kind: quiz.Single, Required: r.IntN(3) > 0}
			for c := range 2 + r.IntN(2) {
				votes := map[string]rule.Number{}
				for _, k := range d.Keywords {
					if v := r.IntN(4); v > 1 {
						votes[k.ID] = rule.Int(int64(v - 1))
					}
				}
				question.Choices = append(question.Choices, quiz.Choice{ID: fmt.Sprint("c", c), Votes: votes})
			}
			d.Questions = append(d.Questions, question)
		}
		d.Verdicts = []quiz.Verdict{{Leader: lead}}
		e, whole := enumerate(t, d, 5000)
		require.True(t, whole)
		report, err := Check(context.Background(), d, Options{})
		require.NoError(t, err)
		compare(t, d, e, report, false)
	}
	require.LessOrEqual(t, states(t, keywords(15, 6, "latest"), purpose{lines: true}), 40_000)
}

// Source: numpy.convolve of Debian's python3-numpy, where it is installed: the spread of a sum is the convolution of
// its parts.
func TestConvolutionByNumpy(t *testing.T) {
	script := "import json, numpy\na = numpy.array([1.0])\nfor _ in range(40): a = numpy.convolve(a, [0.2] * 5)\nprint(json.dumps(a.tolist()))"
	out, err := exec.Command("/usr/bin/python3", "-c", script).Output()
	if err != nil {
		t.Skip("python3-numpy is not installed")
	}
	var want []float64
	require.NoError(t, json.Unmarshal(out, &want))
	got := counted4(t, scored(40, 5, plain), nil).Scales[0].Shares
	require.Len(t, got, len(want))
	for i, p := range got {
		require.Equal(t, fmt.Sprint(i), p.Value.String())
		require.InDelta(t, want[i], p.Share, 1e-12)
	}
}
