package mend

import (
	"context"
	"fmt"
	"testing"

	"omphalos/core/check"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// many is a quiz of 150 numbers with 50 checks, one of which does not hold: 18 questions of 4 answers on two scales.
func many(b *testing.B) *quiz.Document {
	b.Helper()
	d := quiz.New("Many")
	d.Scales = []quiz.Scale{{ID: "a"}, {ID: "b"}}
	for q := range 18 {
		question := quiz.Question{ID: fmt.Sprint("q", q), Kind: quiz.Single, Required: true}
		for c := range 4 {
			points := map[string]rule.Number{"a": rule.Int(int64((q + c) % 4)), "b": rule.Int(int64((2*q + c) % 3))}
			question.Choices = append(question.Choices, quiz.Choice{ID: fmt.Sprint("c", c), Points: points})
		}
		d.Questions = append(d.Questions, question)
	}
	d.Outcomes = []quiz.Outcome{{ID: "x"}, {ID: "y"}, {ID: "z"}}
	d.Otherwise = "z"
	cut := func(n int64, outcome string) quiz.Cut { return quiz.Cut{From: rule.Int(n), Outcome: outcome} }
	d.Verdicts = []quiz.Verdict{
		{Bands: &quiz.Bands{On: "scale.b", Cuts: []quiz.Cut{cut(26, "x"), cut(34, "x")}}},
		{Bands: &quiz.Bands{On: "scale.a", Cuts: []quiz.Cut{cut(20, "y"), cut(28, "x"), cut(36, "y"), cut(44, "x")}}},
	}
	c, err := walk.New(d)
	if err != nil {
		b.Fatal(err)
	}
	for k := range 50 {
		in := walk.Input{Answers: map[string]walk.Answer{}}
		for q := range d.Questions {
			in.Answers[d.Questions[q].ID] = walk.Answer{Picks: []string{fmt.Sprint("c", (k*(q+3)+q*q)%4)}}
		}
		one := quiz.Check{ID: fmt.Sprint("k", k), Answers: check.GivenAnswers(d, in.Answers)}
		one.Expect.Outcome = c.Walk(in).Outcome
		d.Checks = append(d.Checks, one)
	}
	// A cut point that was moved by one too far for someone.
	for n := range int64(12) {
		d.Verdicts[1].Bands.Cuts[0].From = rule.Int(21 + n)
		if run, _ := check.New(d, nil); failing(run) > 0 {
			break
		}
	}
	return d
}

func failing(r *check.Runner) int {
	n := 0
	for _, got := range r.Run() {
		if !got.Holds {
			n++
		}
	}
	return n
}

// BenchmarkMend150x50 looks for the repairs of a quiz of 150 numbers with 50 checks.
func BenchmarkMend150x50(b *testing.B) {
	d := many(b)
	b.ReportMetric(float64(len(quiz.Numbers(d))), "numbers")
	for b.Loop() {
		found, err := Find(context.Background(), d, nil, reach.Options{})
		if err != nil || len(found.Failing) == 0 {
			b.Fatal(err, found)
		}
		b.ReportMetric(float64(len(found.Repairs)), "repairs")
	}
}
