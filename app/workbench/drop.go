package workbench

import (
	"slices"

	"omphalos/core/quiz"
)

// DropQuestion returns the edit that removes a question, the branches that lead to it, and what checks say of it.
func DropQuestion(d *quiz.Document, i int) []quiz.Operation {
	var ops []quiz.Operation
	id := d.Questions[i].ID
	for n := range d.Questions {
		for b := len(d.Questions[n].Branches) - 1; b >= 0; b-- {
			if d.Questions[n].Branches[b].Go == "question:"+id {
				ops = append(ops, quiz.Remove(quiz.Pointer("questions", n, "branches", b)))
			}
		}
	}
	for n := range d.Checks {
		c := &d.Checks[n]
		if _, answered := c.Answers[id]; answered {
			ops = append(ops, quiz.Remove(quiz.Pointer("checks", n, "answers", id)))
		}
		if at := slices.Index(c.Expect.Path, id); at >= 0 {
			ops = append(ops, quiz.Remove(quiz.Pointer("checks", n, "expect", "path", at)))
		}
	}
	return append(ops, quiz.Remove(quiz.Pointer("questions", i)))
}
