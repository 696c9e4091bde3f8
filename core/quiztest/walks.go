package quiztest

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"omphalos/core/fact"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Answers returns every valid answer to a question whose values can be listed, the blank one last where it is allowed.
// A text question has one answer that stands for all texts.
func Answers(q *quiz.Question) []walk.Answer {
	var out []walk.Answer
	blank := !q.Required
	switch q.Kind {
	case quiz.Single:
		for _, c := range q.Choices {
			out = append(out, walk.Answer{Picks: []string{c.ID}})
		}
	case quiz.Multiple:
		least, most := max(1, q.Least), q.Most
		if most == 0 {
			most = len(q.Choices)
		}
		for set := 1; set < 1<<len(q.Choices); set++ {
			var a walk.Answer
			exclusive := false
			for j, c := range q.Choices {
				if set&(1<<j) != 0 {
					a.Picks = append(a.Picks, c.ID)
					exclusive = exclusive || c.Exclusive
				}
			}
			if n := len(a.Picks); n >= least && n <= most && (n == 1 || !exclusive) {
				out = append(out, a)
			}
		}
	case kind.Ranking:
		out = orderings(q, nil)
	case quiz.Rating, quiz.NumberQ:
		for n := *q.From; n.Cmp(*q.To) <= 0; n = n.Add(q.Increment()) {
			out = append(out, walk.Answer{Number: &n})
		}
	case quiz.Grid:
		out, blank = gridAnswers(q), false
	case quiz.Statement:
		blank = true
	case quiz.Consent:
		out = append(out, walk.Answer{Text: "yes"})
	default:
		out = append(out, walk.Answer{Text: "text"})
	}
	if blank {
		out = append(out, walk.Answer{})
	}
	return out
}

// orderings are the allowed orders of choices that begin with some.
func orderings(q *quiz.Question, first []string) []walk.Answer {
	least, most := q.Least, q.Most
	if most == 0 {
		most = len(q.Choices)
	}
	if least == 0 {
		least = most
	}
	var out []walk.Answer
	if n := len(first); n >= least && n > 0 {
		out = append(out, walk.Answer{Picks: slices.Clone(first)})
	}
	for _, c := range q.Choices {
		if len(first) < most && !slices.Contains(first, c.ID) {
			out = append(out, orderings(q, append(slices.Clone(first), c.ID))...)
		}
	}
	return out
}

func gridAnswers(q *quiz.Question) []walk.Answer {
	out := []walk.Answer{{}}
	for _, r := range q.Rows {
		var next []walk.Answer
		for _, a := range out {
			for _, c := range q.Choices {
				rows := maps.Clone(a.Rows)
				if rows == nil {
					rows = map[string]string{}
				}
				rows[r.ID] = c.ID
				next = append(next, walk.Answer{Rows: rows})
			}
			if !q.Required {
				next = append(next, a)
			}
		}
		out = next
	}
	return out
}

// Each calls f for every walk of the quiz under even answers, with its probability. It stops when f returns false.
func Each(c *walk.Compiled, f func(in walk.Input, r *walk.Result, p float64) bool) {
	var step func(in walk.Input, p float64) bool
	step = func(in walk.Input, p float64) bool {
		r := c.Advance(in)
		if r.Pending < 0 {
			return f(in, r, p)
		}
		q := &c.Doc.Questions[r.Pending]
		answers := Answers(q)
		for _, a := range answers {
			next := in
			next.Answers = maps.Clone(in.Answers)
			next.Answers[q.ID] = a
			if !step(next, p/float64(len(answers))) {
				return false
			}
		}
		return true
	}
	for _, in := range Visitors(c.Doc) {
		if !step(in.Input, in.P) {
			return
		}
	}
}

// A Visit is what is known of a visitor before the first question, with its probability.
type Visit struct {
	walk.Input
	P float64
}

// Visitors returns every combination of the values that conditions mention of visitor facts and parameters, with
// one more value that is none of them, evenly.
func Visitors(d *quiz.Document) []Visit {
	values := map[string][]string{}
	mention := func(fact, v string) {
		if !slices.Contains(values[fact], v) {
			values[fact] = append(values[fact], v)
		}
	}
	d.EachCondition(func(_ string, c *rule.Condition) {
		switch {
		case c.Fact == "time.weekday":
			values[c.Fact] = []string{"1", "2", "3", "4", "5", "6", "7"}
			return
		case c.Fact == "time.hour":
			values[c.Fact] = nil
			for hour := range 24 {
				values[c.Fact] = append(values[c.Fact], fmt.Sprint(hour))
			}
			return
		case !strings.HasPrefix(c.Fact, "visitor.") && !strings.HasPrefix(c.Fact, "param."):
			return
		}
		mention(c.Fact, "elsewhere")
		if c.Value != nil {
			for _, s := range c.Value.List {
				mention(c.Fact, s.String())
			}
		}
	})
	out := []Visit{{walk.Input{Answers: map[string]walk.Answer{}, Params: map[string]string{}}, 1}}
	for _, name := range slices.Sorted(maps.Keys(values)) {
		var next []Visit
		for _, v := range out {
			for _, value := range values[name] {
				w := v
				w.P /= float64(len(values[name]))
				w.Params = maps.Clone(v.Params)
				switch name {
				case "visitor.country":
					w.Visitor.Country = value
				case "visitor.language":
					w.Visitor.Language = value
				case "visitor.device":
					w.Visitor.Device = value
				case "time.weekday":
					w.Time.Weekday, _ = strconv.Atoi(value)
				case "time.hour":
					hour, _ := strconv.Atoi(value)
					w.Time.Hour = fact.HourOf(hour)
				default:
					w.Params[strings.TrimPrefix(name, "param.")] = value
				}
				next = append(next, w)
			}
		}
		out = next
	}
	return out
}

// EachWhole calls f for every combination of visitor and of answers to all questions, asked or not, with its
// probability under even answers. It stops when f returns false.
func EachWhole(c *walk.Compiled, f func(in walk.Input, p float64) bool) {
	var step func(in walk.Input, q int, p float64) bool
	step = func(in walk.Input, q int, p float64) bool {
		if q == len(c.Doc.Questions) {
			return f(in, p)
		}
		answers := Answers(&c.Doc.Questions[q])
		for _, a := range answers {
			next := in
			next.Answers = maps.Clone(in.Answers)
			next.Answers[c.Doc.Questions[q].ID] = a
			if !step(next, q+1, p/float64(len(answers))) {
				return false
			}
		}
		return true
	}
	for _, in := range Visitors(c.Doc) {
		if !step(in.Input, 0, in.P) {
			return
		}
	}
}

// Apart is the share of respondents, even, who end elsewhere in another quiz with the same questions, found by walking
// everyone through both; false where there are too many.
func Apart(a, b *walk.Compiled) (share float64, ok bool) {
	const most = 3000
	walks := 0
	EachWhole(a, func(in walk.Input, p float64) bool {
		if walks++; a.Walk(in).Outcome != b.Walk(in).Outcome {
			share += p
		}
		return walks < most
	})
	return share, walks < most
}
