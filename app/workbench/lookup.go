package workbench

import (
	"omphalos/core/kind"
	"omphalos/core/quiz"
)

// LookupKeys are the facts that a row of a table may be found by.
func LookupKeys(d *quiz.Document) []Option {
	var out []Option
	for j := range d.Questions {
		q := &d.Questions[j]
		if about := kind.Of(q).About(); kind.OfOne(q) || about.Range || about.Typed && !about.Personal && !about.Lines && !about.Day {
			out = append(out, Option{Name: quiz.Shorten(q.Title(), 44), Value: "answer." + q.ID})
		}
	}
	for _, k := range Before(d) {
		if k.Keys {
			out = append(out, Option{Name: k.Words, Value: k.Name})
		}
	}
	return out
}

// Choosing makes a menu of options for a field; what is set and is no option any more comes first.
func Choosing(field, current string, list []Option) []Option {
	found := false
	for i := range list {
		list[i].Selected = list[i].Value == current
		found = found || list[i].Selected
		list[i].Patch = quiz.JSON(quiz.Add(field, list[i].Value))
	}
	if !found {
		list = append([]Option{{Name: current + " (deleted)", Value: current, Selected: true}}, list...)
	}
	return list
}
