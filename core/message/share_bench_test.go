package message

import (
	"context"
	"testing"

	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/reach"
	"omphalos/core/rule"
)

// BenchmarkShares is what the shares of messages cost, 30 questions with branches: next to the count that the bar needs
// anyway, those of a message by outcome alone, which is read off it, by an answer, and by a score.
func BenchmarkShares(b *testing.B) {
	ctx := context.Background()
	one := func(fact string, op rule.Op, s rule.Scalar) *rule.Condition {
		return &rule.Condition{Fact: fact, Op: op, Value: rule.One(s)}
	}
	whole, err := reach.Check(ctx, quiztest.Branching(), reach.Options{})
	if err != nil {
		b.Fatal(err)
	}
	b.Run("count", func(b *testing.B) {
		for range b.N {
			if _, err := reach.Check(ctx, quiztest.Branching(), reach.Options{}); err != nil {
				b.Fatal(err)
			}
		}
	})
	for name, when := range map[string]*rule.Condition{
		"outcome": one(quiz.FactOutcome, rule.OpIs, rule.Scalar{Text: "x"}),
		"answer":  one("answer.q7", rule.OpIs, rule.Scalar{Text: "c2"}),
		"score":   one("scale.a", rule.OpGe, rule.Scalar{Num: rule.Int(36), IsNum: true}),
	} {
		d := quiztest.Branching()
		d.Messages = []quiz.Message{{ID: "m", When: when}}
		b.Run(name, func(b *testing.B) {
			for range b.N {
				if _, err := new(Counters).Shares(ctx, d, whole, reach.Options{}); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
