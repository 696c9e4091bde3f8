package quiz

import (
	"slices"
	"strings"

	"omphalos/core/rule"
)

// Adopt returns the edit that adds question i of another quiz, with its weights, at the end of d. Scales and keywords
// are matched by name, and added where d has none of that name; the question gets another id where its own is taken.
// Branches, the condition to show it and its section speak of the other quiz and are left behind.
func Adopt(d, from *Document, i int) []Operation {
	q := from.Questions[i]
	q.Branches, q.VisibleIf, q.Section = nil, nil, ""
	taken := func(id string) bool { return d.Question(id) >= 0 }
	if taken(q.ID) {
		q.ID = Unused(strings.TrimRight(q.ID, "0123456789"), taken)
	}
	var ops []Operation
	scales, keywords := map[string]string{}, map[string]string{}
	var newScales []Scale
	var newKeywords []Keyword
	scale := func(id string) string {
		if to, ok := scales[id]; ok {
			return to
		}
		source := from.Scale(id)
		if source == nil {
			return id
		}
		same := func(s Scale) bool { return strings.EqualFold(s.Title(), source.Title()) }
		if at := slices.IndexFunc(d.Scales, same); at >= 0 {
			scales[id] = d.Scales[at].ID
			return scales[id]
		}
		next := *source
		used := func(id string) bool {
			return d.Scale(id) != nil || slices.ContainsFunc(newScales, func(s Scale) bool { return s.ID == id })
		}
		if used(next.ID) {
			next.ID = Unused(strings.TrimRight(next.ID, "0123456789"), used)
		}
		newScales, scales[id] = append(newScales, next), next.ID
		return next.ID
	}
	keyword := func(id string) string {
		if to, ok := keywords[id]; ok {
			return to
		}
		source := from.Keyword(id)
		if source == nil {
			return id
		}
		same := func(k Keyword) bool { return strings.EqualFold(k.Title(), source.Title()) }
		if at := slices.IndexFunc(d.Keywords, same); at >= 0 {
			keywords[id] = d.Keywords[at].ID
			return keywords[id]
		}
		next := *source
		used := func(id string) bool {
			return d.Keyword(id) != nil ||
				slices.ContainsFunc(newKeywords, func(k Keyword) bool { return k.ID == id })
		}
		if used(next.ID) {
			next.ID = Unused(strings.TrimRight(next.ID, "0123456789"), used)
		}
		newKeywords, keywords[id] = append(newKeywords, next), next.ID
		return next.ID
	}
	q.Choices = slices.Clone(q.Choices)
	for j := range q.Choices {
		q.Choices[j].Points, q.Choices[j].Votes = renamed(
			q.Choices[j].Points,
			scale,
		), renamed(
			q.Choices[j].Votes,
			keyword,
		)
	}
	q.Steps = slices.Clone(q.Steps)
	for j := range q.Steps {
		q.Steps[j].Points, q.Steps[j].Votes = renamed(q.Steps[j].Points, scale), renamed(q.Steps[j].Votes, keyword)
	}
	if q.Linear != nil {
		linear := map[string]LinearPoint{}
		for _, id := range sortedKeys(q.Linear) {
			linear[scale(id)] = q.Linear[id]
		}
		q.Linear = linear
	}
	ops = append(ops, appendAll("/scales", len(d.Scales), newScales)...)
	ops = append(ops, appendAll("/keywords", len(d.Keywords), newKeywords)...)
	return append(ops, Add("/questions/-", q))
}

func renamed(m map[string]rule.Number, to func(string) string) map[string]rule.Number {
	if m == nil {
		return nil
	}
	out := make(map[string]rule.Number, len(m))
	for _, id := range sortedKeys(m) {
		out[to(id)] = m[id]
	}
	return out
}

// appendAll adds values to a list of n, which may not be there when it has none.
func appendAll[T any](list string, n int, values []T) []Operation {
	if len(values) == 0 {
		return nil
	}
	if n == 0 {
		return []Operation{Add(list, values)}
	}
	var ops []Operation
	for _, v := range values {
		ops = append(ops, Add(list+"/-", v))
	}
	return ops
}
