package fill

import (
	"slices"
	"strings"

	"omphalos/core/fact"
	"omphalos/core/kind"
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

	Contact map[string]string      // what the contact step was given, by field; nil until then, and for others' eyes
	File    func(id string) string // the address of a file that is shared; nil where none is
}

// Known reports whether texts and addresses of the document may use the name.
func Known(d *quiz.Document, name string) bool {
	_, known := Source{Doc: d}.Lookup(name)
	return known
}

// Lookup finds a value by name: a question's id is the label of its answer (ID.id its id, ID.ROW a grid row), next to
// the facts scale.ID, percent.ID, keyword.ID, computed.ID, leader, param.NAME, visitor.country, contact.FIELD, language
// (of the pages), and lead.id, outcome.name, outcome.heading. With no Result every known name is blank. It is a Lookup.
func (s Source) Lookup(name string) ([]string, bool) {
	root, id, dotted := strings.Cut(name, ".")
	if root == "answer" && dotted {
		root, id, dotted = strings.Cut(id, ".")
	}
	if i := s.Doc.Question(root); i >= 0 {
		return s.answer(&s.Doc.Questions[i], id, dotted)
	}
	var value string
	var known bool
	switch root {
	case "scale", "percent", "percentile", "keyword":
		value, known = s.number(root, id)
	case "computed":
		value, known = s.computed(id)
	case "leader", "outcome":
		value, known = s.decided(root, id, dotted)
	default:
		value, known = s.visitor(root, id)
	}
	if value == "" || s.Result == nil {
		return nil, known
	}
	return []string{value}, known
}

// number is a scale, a percent or a keyword's votes, rounded for readers.
func (s Source) number(root, id string) (value string, known bool) {
	n := rule.Number{}
	at := -1
	if root == "keyword" {
		at = slices.IndexFunc(s.Doc.Keywords, func(k quiz.Keyword) bool { return k.ID == id })
	} else {
		at = slices.IndexFunc(s.Doc.Scales, func(c quiz.Scale) bool { return c.ID == id })
	}
	if at < 0 || s.Result == nil {
		return "", at >= 0
	}
	switch root {
	case "keyword":
		n = s.Result.Keywords[at]
	case "percent":
		n = s.Result.Percents[at].Number()
	case "percentile":
		standing, there := s.Doc.Scales[at].Norm.Percentile(s.Result.Scales[at])
		if !there {
			return "", true
		}
		return standing.Round(1).String(), true
	default:
		n = s.Result.Scales[at]
	}
	return n.Round(2).String(), true
}

func (s Source) computed(id string) (value string, known bool) {
	at := slices.IndexFunc(s.Doc.Computed, func(c quiz.Computed) bool { return c.ID == id })
	if at < 0 || s.Result == nil || at >= len(s.Result.Computed) {
		return "", at >= 0
	}
	return s.Result.Computed[at].String(), true
}

// decided is what the walk has come to: the name of the leading keyword, or of the outcome.
func (s Source) decided(root, id string, dotted bool) (value string, known bool) {
	switch {
	case root == "leader" && s.Result != nil:
		if k := s.Doc.Keyword(s.Result.Leader); k != nil {
			return k.Title(), !dotted
		}
	case root == "outcome" && id == "name" && s.Result != nil:
		return s.Doc.OutcomeName(s.Result.Outcome), true
	case root == "outcome" && id == "heading" && s.Result != nil:
		return s.heading(), true
	}
	return "", root == "leader" && !dotted || root == "outcome" && (id == "name" || id == "heading")
}

// heading is the heading of the outcome as its respondent reads it, or its name where it has none.
func (s Source) heading() string {
	o := s.Doc.Outcome(s.Result.Outcome)
	if o == nil {
		return ""
	}
	look := func(name string) ([]string, bool) {
		if strings.HasPrefix(name, "outcome.") {
			return nil, true // it cannot stand in itself
		}
		return s.Reading(name)
	}
	return quiz.FirstOf(Text(o.Heading, look, Plain), o.Title())
}

// visitor is what is known of the respondent besides their answers.
func (s Source) visitor(root, id string) (value string, known bool) {
	if k := fact.Find(root + "." + id); k != nil && k.Fills {
		visit := s.Input.Visit()
		return k.Text(&visit), true
	}
	switch root + "." + id {
	case "language.":
		return quiz.FirstOf(s.Doc.Language, "en"), true
	case "lead.id":
		return s.Lead, true
	}
	switch root {
	case "contact":
		return s.Contact[id], s.Doc.Contact.Asks(id)
	case "file":
		if s.File == nil || !quiz.ValidID(id) {
			return "", quiz.ValidID(id)
		}
		return s.File(id), true
	}
	return "", false
}

// answer is the label of an answer, its id ("id"), or the answer in a row of a grid.
func (s Source) answer(q *quiz.Question, part string, dotted bool) ([]string, bool) {
	row := q.Row(part)
	if dotted && part != "id" && (!kind.Of(q).About().Rows || row < 0) {
		return nil, false
	}
	if s.Result == nil || !slices.Contains(s.Result.Path, q.ID) {
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
