package reach

import (
	"omphalos/core/fact"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"strings"
)

// Values lists what a field of the document (a question's id, ID.ROW of a grid, visitor.country and such) can be
// assumed to hold, with "" for blank; nil where it cannot be listed.
func Values(d *quiz.Document, q *quiz.Question) []string {
	return kind.Of(q).Listed(q)
}

// ValuesBefore lists the values of a fact that is known before the first question, of which shares can be assumed: all,
// or those that the document mentions and "*" for any other; nil where nothing looks at it, or where it has no shares.
func ValuesBefore(d *quiz.Document, k *fact.Known) []string {
	mentioned := Mentioned(d, k.Name)
	switch {
	case len(mentioned) == 0 || !strings.Contains(k.Name, "."):
		return nil
	case k.Values != nil:
		return k.Values
	}
	return append(mentioned, "*")
}

// Complete turns shares that someone has typed, as far as they have, into an assumption: the values of a question
// that were left open share evenly what is left of 1, and those of a multiple choice are picked by half. Questions
// and values that the document no longer has are left out.
func Complete(d *quiz.Document, typed *Assumption) *Assumption {
	if typed == nil {
		return nil
	}
	out := &Assumption{Answers: map[string]map[string]float64{}, Visitor: map[string]map[string]float64{}}
	for _, k := range fact.All() {
		values := ValuesBefore(d, k)
		if shares := complete(&quiz.Question{}, values, typed.Before(k)); len(values) > 0 && shares != nil {
			out.assume(k, shares)
		}
	}
	for i := range d.Questions {
		q := &d.Questions[i]
		for _, field := range kind.FieldNames(q) {
			if shares := complete(q, Values(d, q), typed.Answers[field]); shares != nil {
				out.Answers[field] = shares
			}
		}
	}
	return out
}

func complete(q *quiz.Question, values []string, typed map[string]float64) map[string]float64 {
	sum, open := 0.0, 0
	for _, v := range values {
		if p, ok := typed[v]; ok {
			sum += p
		} else {
			open++
		}
	}
	if open == len(values) || open == 0 && sum <= 0 {
		return nil
	}
	rest := 0.0
	if open > 0 {
		rest = max(0, 1-sum) / float64(open)
	}
	out := map[string]float64{}
	total := 0.0
	for _, v := range values {
		p, ok := typed[v]
		switch {
		case ok:
		case kind.Of(q).About().Many && v == "":
			continue
		case kind.Of(q).About().Many:
			p = 0.5
		default:
			p = rest
		}
		out[v] = p
		total += p
	}
	if total <= 0 {
		return nil
	}
	return out
}
