package app

import (
	"fmt"
	"net/http"
	"testing"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// long is a quiz of 60 questions with 8 answers each, weighed in 6 columns.
func long() *quiz.Document {
	d := quiz.New("Long")
	d.Scales, d.Keywords = nil, nil
	for i := range 3 {
		d.Scales = append(d.Scales, quiz.Scale{ID: fmt.Sprint("s", i), Name: fmt.Sprint("Scale ", i)})
		d.Keywords = append(d.Keywords, quiz.Keyword{ID: fmt.Sprint("k", i), Name: fmt.Sprint("Keyword ", i)})
	}
	for i := range 60 {
		q := quiz.Question{ID: fmt.Sprint("q", i), Kind: quiz.Single, Text: fmt.Sprintf("Question %d, which is as long as questions are?", i), Required: true}
		for j := range 8 {
			c := quiz.Choice{ID: fmt.Sprint("a", j), Label: fmt.Sprintf("Answer %d of them all", j), Points: map[string]rule.Number{}, Votes: map[string]rule.Number{}}
			for k := range 3 {
				c.Points[fmt.Sprint("s", k)] = rule.Int(int64((i+j*k)%7 + 1))
				c.Votes[fmt.Sprint("k", k)] = rule.Int(int64((i*k+j)%5 + 1))
			}
			q.Choices = append(q.Choices, c)
		}
		d.Questions = append(d.Questions, q)
	}
	d.Verdicts = []quiz.Verdict{{Bands: &quiz.Bands{On: "scale.s0", Cuts: []quiz.Cut{{From: rule.Int(200), Outcome: "thanks"}}}}}
	return d
}

// An edit of a weight, one that draws the sheet again, a pasted block of all weights, and the reach bar after an edit,
// over the wire.
func BenchmarkLongSheet(b *testing.B) {
	d := newDesk(b, false)
	q := d.newQuiz(long())
	n := q.Revision
	have := map[string]string{"nothing": ""} // stamps of what the window shows
	send := func(b *testing.B, body map[string]any) {
		body["base"], body["room"], body["have"] = n, "script", have
		code, answer := d.post("/quizzes/"+q.ID+"/edits", body)
		if code != http.StatusOK {
			b.Fatal(code)
		}
		for _, block := range answer.Blocks {
			have[block.Key] = block.Stamp
		}
		n++
	}
	b.Run("weight", func(b *testing.B) {
		for i := range b.N {
			send(b, map[string]any{"patch": quiz.Patch{quiz.Add("/questions/30/choices/3/points", map[string]int{"s0": i % 9})}})
		}
	})
	b.Run("drawn", func(b *testing.B) {
		for i := range b.N {
			send(b, map[string]any{"whole": true, "patch": quiz.Patch{quiz.Add("/questions/30/text", fmt.Sprint("Text ", i))}})
		}
	})
	b.Run("block", func(b *testing.B) {
		for i := range b.N {
			var p quiz.Patch
			for x := range 60 {
				for y := range 8 {
					p = append(p, quiz.Add(quiz.Pointer("questions", x, "choices", y, "points"), map[string]int{"s0": (i + x + y) % 9, "s1": 2, "s2": 3}))
				}
			}
			send(b, map[string]any{"patch": p})
		}
	})
	b.Run("reach", func(b *testing.B) {
		for i := range b.N {
			send(b, map[string]any{"patch": quiz.Patch{quiz.Add("/questions/30/choices/3/points", map[string]int{"s0": i % 9})}})
			d.get("/quizzes/" + q.ID + "/reach")
		}
	})
}
