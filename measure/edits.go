package main

import (
	"context"
	"fmt"

	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
)

// edited counts a document of one scale after each edit of a weight.
func (m *measured) edited(n int) error {
	d := quiz.New("Measured")
	d.Scales = []quiz.Scale{{ID: "s"}}
	for q := range n {
		one := quiz.Question{ID: fmt.Sprint("q", q), Kind: quiz.Single, Required: true}
		for c := range 5 {
			points := map[string]rule.Number{"s": rule.Int(int64(c))}
			one.Choices = append(one.Choices, quiz.Choice{ID: fmt.Sprint("c", c), Points: points})
		}
		d.Questions = append(d.Questions, one)
	}
	d.Outcomes = []quiz.Outcome{{ID: "low"}, {ID: "high"}}
	d.Otherwise = "low"
	d.Verdicts = []quiz.Verdict{{Bands: &quiz.Bands{On: "scale.s", Cuts: []quiz.Cut{
		{From: rule.Int(0), Outcome: "low"}, {From: rule.Int(int64(2 * n)), Outcome: "high"},
	}}}}
	var counter reach.Counter
	k := 0
	cost, err := each(max(1, 200/n), func() error {
		k++
		d.Questions[n/2].Choices[2].Points["s"] = rule.Int(int64(k % 4))
		_, err := counter.Check(context.Background(), d, reach.Options{Budget: reach.EditBudget})
		return err
	})
	if err != nil {
		return err
	}
	least, err := each(max(1, 2000/n), func() error { convolve(n); return nil })
	m.edit.add(cost, least)
	return err
}

// convolve is the distribution of the sum of n questions with 0 to 4 points.
func convolve(n int) []float64 {
	list := []float64{1}
	for range n {
		next := make([]float64, len(list)+4)
		for v, p := range list {
			for c := range 5 {
				next[v+c] += p * 0.2
			}
		}
		list = next
	}
	return list
}
