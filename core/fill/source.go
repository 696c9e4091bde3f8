package fill

import (
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Source is one respondent's walk, to fill from.
type Source struct {
	Doc    *quiz.Document
	Input  walk.Input
	Result *walk.Result
	Lead   string // id of the response
}

// Known reports whether texts and addresses of the document may use the name.
func Known(d *quiz.Document, name string) bool {
	_, known := Source{Doc: d}.Lookup(name)
	return known
}

// Lookup finds a value by name: a question's id is the label of its answer (ID.id its id, ID.ROW a grid row), beside
// the facts scale.ID, percent.ID, keyword.ID, computed.ID, leader, param.NAME, visitor.country, language (of the
// pages), and lead.id, outcome.name. With no Result every known name is blank. It is a Lookup.
func (s Source) Lookup(name string) ([]string, bool) {
	one := func(v string) ([]string, bool) {
		if v == "" || s.Result == nil {
			return nil, true
		}
		return []string{v}, true
	}
	root, id, dotted := strings.Cut(name, ".")
	if root == "answer" && dotted {
		root, id, dotted = strings.Cut(id, ".")
	}
	if i := s.Doc.Question(root); i >= 0 {
		return s.answer(&s.Doc.Questions[i], id, dotted)
	}
	number := func(known bool, value func() rule.Number) ([]string, bool) {
		if !known || s.Result == nil {
			return nil, known
		}
		return []string{value().Round(2).String()}, true
	}
	position := func(n int, is func(int) bool) int {
		for i := range n {
			if is(i) {
				return i
			}
		}
		return -1
	}
	switch root {
	case "scale", "percent":
		i := position(len(s.Doc.Scales), func(i int) bool { return s.Doc.Scales[i].ID == id })
		return number(i >= 0, func() rule.Number {
			if root == "percent" {
				return s.Result.Percents[i].Number()
			}
			return s.Result.Scales[i]
		})
	case "keyword":
		i := position(len(s.Doc.Keywords), func(i int) bool { return s.Doc.Keywords[i].ID == id })
		return number(i >= 0, func() rule.Number { return s.Result.Keywords[i] })
	case "computed":
		i := position(len(s.Doc.Computed), func(i int) bool { return s.Doc.Computed[i].ID == id })
		if i < 0 || s.Result == nil || i >= len(s.Result.Computed) {
			return nil, i >= 0
		}
		return one(s.Result.Computed[i].String())
	case "leader":
		if s.Result != nil {
			if k := s.Doc.Keyword(s.Result.Leader); k != nil {
				return one(k.Title())
			}
		}
		return nil, !dotted
	case "param":
		return one(s.Input.Params[id])
	case "visitor":
		switch id {
		case "country":
			return one(s.Input.Visitor.Country)
		case "language":
			return one(s.Input.Visitor.Language)
		case "device":
			return one(s.Input.Visitor.Device)
		}
	case "language":
		return one(quiz.FirstOf(s.Doc.Language, "en"))
	case "lead":
		if id == "id" {
			return one(s.Lead)
		}
	case "outcome":
		if id == "name" && s.Result != nil {
			return one(s.Doc.OutcomeName(s.Result.Outcome))
		}
		return nil, id == "name"
	}
	return nil, false
}

// answer is the label of an answer, its id ("id"), or the answer in a row of a grid.
func (s Source) answer(q *quiz.Question, part string, dotted bool) ([]string, bool) {
	row := q.Row(part)
	if dotted && part != "id" && (q.Kind != quiz.Grid || row < 0) {
		return nil, false
	}
	if s.Result == nil || !contains(s.Result.Path, q.ID) {
		return nil, true
	}
	a := s.Input.Answers[q.ID]
	label := func(id string) string {
		if i := q.Choice(id); i >= 0 && part != "id" {
			if q.Choices[i].Other && a.Other != "" {
				return a.Other
			}
			return q.Choices[i].Title()
		}
		return id
	}
	var out []string
	for _, id := range a.Picks {
		out = append(out, label(id))
	}
	switch {
	case row >= 0 && a.Rows[part] != "":
		out = append(out, label(a.Rows[part]))
	case a.Number != nil:
		out = append(out, a.Number.String())
	case a.Text != "":
		out = append(out, a.Text)
	}
	return out, true
}

func contains(list []string, s string) bool {
	for _, v := range list {
		if v == s {
			return true
		}
	}
	return false
}
