package insight

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// eight is a quiz of 8 questions of 5 answers that weigh on two scales, cut into three.
func eight(b *testing.B, cut int64) *walk.Compiled {
	d := quiz.New("Eight")
	d.Scales = []quiz.Scale{{ID: "fit", Name: "Fit"}, {ID: "urgency", Name: "Urgency"}}
	d.Outcomes = []quiz.Outcome{{ID: "a", Name: "A"}, {ID: "b", Name: "B"}, {ID: "c", Name: "C"}}
	d.Otherwise = "c"
	for i := range 8 {
		q := quiz.Question{ID: fmt.Sprint("q", i), Kind: quiz.Single, Text: "How?", Required: true}
		for j := range 5 {
			q.Choices = append(q.Choices, quiz.Choice{ID: fmt.Sprint("a", j), Label: "So", Points: map[string]rule.Number{
				"fit": rule.Int(int64(j)), "urgency": rule.Int(int64((i + j) % 3)),
			}})
		}
		d.Questions = append(d.Questions, q)
	}
	d.Verdicts = []quiz.Verdict{{Bands: &quiz.Bands{On: "scale.fit", Cuts: []quiz.Cut{
		{From: rule.Int(0), Outcome: "c"}, {From: rule.Int(10), Outcome: "b"}, {From: rule.Int(cut), Outcome: "a"},
	}}}}
	c, err := walk.New(d)
	require.NoError(b, err)
	return c
}

func inputs() []walk.Input {
	var out []walk.Input
	for n := range 997 {
		in := walk.Input{Answers: map[string]walk.Answer{}}
		for i := range 8 {
			in.Answers[fmt.Sprint("q", i)] = walk.Answer{Picks: []string{fmt.Sprint("a", (n*(i+3)+n/7)%5)}}
		}
		out = append(out, in)
	}
	return out
}

// BenchmarkReplay is one response through the draft, for 8 questions; BenchmarkBareWalk is the walk alone. The project's
// goal is 100,000 responses a second on one core: 10,000 ns each.
func BenchmarkReplay(b *testing.B) {
	draft, list := eight(b, 24), inputs()
	var replay Replay
	b.ReportAllocs()
	n := 0
	for b.Loop() {
		n++
		if in := list[n%len(list)]; draft.Takes(in.Answers) {
			replay.Add(n, "b", draft.Walk(in).Outcome)
		}
	}
}

func BenchmarkBareWalk(b *testing.B) {
	draft, list := eight(b, 24), inputs()
	b.ReportAllocs()
	n := 0
	for b.Loop() {
		n++
		draft.Walk(list[n%len(list)])
	}
}
