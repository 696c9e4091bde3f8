package quiztest

import (
	"fmt"
	"math/rand/v2"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Branching is a document of common size for benchmarks: it has 30 questions of 4 answers, two scales, ten jumps and six conditions.
func Branching() *quiz.Document {
	d := quiz.New("Branching")
	d.Scales = []quiz.Scale{{ID: "a"}, {ID: "b"}}
	r := rand.New(rand.NewPCG(30, 10))
	for q := range 30 {
		question := quiz.Question{ID: fmt.Sprint("q", q), Kind: quiz.Single, Required: true}
		for c := range 4 {
			points := map[string]rule.Number{"a": rule.Int(int64(r.IntN(4))), "b": rule.Int(int64(r.IntN(3)))}
			question.Choices = append(question.Choices, quiz.Choice{ID: fmt.Sprint("c", c), Points: points})
		}
		if q%3 == 1 && q < 27 {
			last := rule.Condition{Fact: "answer." + question.ID, Op: rule.OpIs, Value: rule.One(rule.Scalar{Text: "c3"})}
			question.Branches = []quiz.Branch{{When: last, Go: fmt.Sprint("question:q", q+2)}}
		}
		if q%5 == 4 {
			first := rule.One(rule.Scalar{Text: "c0"})
			question.VisibleIf = &rule.Condition{Fact: fmt.Sprint("answer.q", q-4), Op: rule.OpIsNot, Value: first}
		}
		d.Questions = append(d.Questions, question)
	}
	d.Outcomes = []quiz.Outcome{{ID: "x"}, {ID: "y"}, {ID: "z"}}
	d.Otherwise = "z"
	at := func(scale string, n int64) rule.Condition {
		return rule.Condition{Fact: "scale." + scale, Op: rule.OpGe, Value: rule.One(rule.Scalar{Num: rule.Int(n), IsNum: true})}
	}
	d.Verdicts = []quiz.Verdict{
		{When: &rule.Condition{All: []rule.Condition{at("a", 40), at("b", 25)}}, Outcome: "x"},
		{Bands: &quiz.Bands{On: "scale.a", Cuts: []quiz.Cut{
			{From: rule.Int(30), Outcome: "y"}, {From: rule.Int(50), Outcome: "x"},
		}}},
	}
	return d
}
