package quiz

import (
	"strconv"
	"strings"

	"omphalos/core/fact"
	"omphalos/core/rule"
)

// Sentence says a condition in plain words, naming questions, answers, scales and keywords as the quiz does.
func (d *Document) Sentence(c *rule.Condition) string { return d.sentence(c, false) }

func (d *Document) sentence(c *rule.Condition, nested bool) string {
	group := func(list []rule.Condition, word, empty, before string) string {
		if len(list) == 0 {
			return empty
		}
		parts := make([]string, len(list))
		for i := range list {
			parts[i] = d.sentence(&list[i], len(list) > 1)
		}
		s := before + strings.Join(parts, word)
		if nested && len(list) > 1 {
			s = "(" + s + ")"
		}
		return s
	}
	switch {
	case c.All != nil:
		return group(c.All, " and ", "always", "")
	case c.Any != nil:
		return group(c.Any, " or ", "never", "")
	case c.None != nil:
		before := "not: "
		if len(c.None) > 1 {
			before = "none of: "
		}
		return group(c.None, "; ", "always", before)
	case c.Counts():
		return group(c.Of, "; ", "never", "at least "+strconv.Itoa(c.AtLeast)+" of: ")
	}
	return d.FactName(c.Fact) + " " + d.comparison(c)
}

var opWords = map[rule.Op]string{
	rule.OpIs: "is", rule.OpIsNot: "is not", rule.OpIn: "is one of", rule.OpNotIn: "is none of",
	rule.OpLt: "is less than", rule.OpLe: "is at most", rule.OpGt: "is more than", rule.OpGe: "is at least",
	rule.OpBetween: "is between", rule.OpContains: "contains", rule.OpHas: "includes",
	rule.OpBlank: "is blank", rule.OpAnswered: "is answered",
	rule.OpAgeGe: "is at least this many years ago", rule.OpAgeLt: "is fewer years ago than",
	rule.OpWithin:   "is within this many days of today",
	rule.OpInDaysGe: "is at least this many days ahead", rule.OpInDaysLt: "is fewer days ahead than",
}

// dayWords say a comparison with the day in a sentence; the value stands between the parts.
var dayWords = map[rule.Op][2]string{
	rule.OpAgeGe: {"is at least ", " years ago"}, rule.OpAgeLt: {"is less than ", " years ago"},
	rule.OpWithin:   {"is within ", " days of today"},
	rule.OpInDaysGe: {"is at least ", " days ahead"}, rule.OpInDaysLt: {"is less than ", " days ahead"},
}

// OpName says a comparison in words, as conditions do.
func OpName(op rule.Op) string { return opWords[op] }

// Shorten cuts a text that has more than n letters and ends it with an ellipsis.
func Shorten(s string, n int) string {
	letters := []rune(s)
	if len(letters) <= n {
		return s
	}
	return strings.TrimSpace(string(letters[:n-1])) + "…"
}

func (d *Document) comparison(c *rule.Condition) string {
	words := opWords[c.Op]
	shape, _ := c.Op.Takes()
	if shape == rule.ShapeNone || c.Value == nil {
		return words
	}
	values := make([]string, len(c.Value.List))
	for i, v := range c.Value.List {
		values[i] = d.ValueName(c.Fact, v)
	}
	if parts, ok := dayWords[c.Op]; ok {
		return parts[0] + strings.Join(values, ", ") + parts[1]
	}
	switch shape {
	case rule.ShapePair:
		return words + " " + strings.Join(values, " and ")
	case rule.ShapeList:
		if len(values) == 1 {
			words = map[rule.Op]string{rule.OpIn: "is", rule.OpNotIn: "is not"}[c.Op]
		}
	}
	return words + " " + strings.Join(values, ", ")
}

// FactName names a fact as people do: a question by its wording, a scale by its name.
func (d *Document) FactName(name string) string {
	if q, f := d.AnswerFact(name); q != nil {
		if f.Part != "" {
			return "“" + q.Title() + "”, " + f.Words + ","
		}
		return "“" + q.Title() + "”"
	}
	if k := fact.Find(name); k != nil {
		return k.Words
	}
	f, id := fact.FamilyOf(name)
	switch f.Class {
	case fact.Answer: // of a part that is gone
		qid, _, _ := strings.Cut(id, ".")
		if i := d.Question(qid); i >= 0 {
			return "“" + d.Questions[i].Title() + "”"
		}
	case fact.Score, fact.Percent, fact.Percentile:
		if s := d.Scale(id); s != nil {
			return map[fact.Class]string{fact.Percentile: "percentile on "}[f.Class] + s.Title() +
				map[fact.Class]string{fact.Percent: " (%)"}[f.Class]
		}
	case fact.Votes:
		if k := d.Keyword(id); k != nil {
			return "votes for " + k.Title()
		}
	case fact.Formula:
		if c := d.Value(id); c != nil {
			return FirstOf(c.Name, c.ID)
		}
	case fact.Leader:
		return "the leading keyword"
	case fact.Outcome:
		return "the outcome"
	}
	return name
}

// ValueName names a constant that a fact is compared with: a choice by its label, a keyword by its name.
func (d *Document) ValueName(name string, v rule.Scalar) string {
	if q, _ := d.AnswerFact(name); q != nil {
		if i := q.Choice(v.String()); i >= 0 {
			return q.Choices[i].Title()
		}
	}
	switch d.FactType(name) {
	case rule.OutcomeType:
		return d.OutcomeName(v.String())
	case rule.KeywordType:
		if k := d.Keyword(v.String()); k != nil {
			return k.Title()
		}
	case rule.CountryType:
		return CountryName(v.String())
	case rule.WeekdayType:
		return fact.WeekdayName(v.String())
	}
	return v.String()
}

// OutcomeName returns the internal name of the outcome, or its id when there is none.
func (d *Document) OutcomeName(id string) string {
	if o := d.Outcome(id); o != nil {
		return o.Title()
	}
	return id
}

// VerdictSentence says a verdict line in plain words.
func (d *Document) VerdictSentence(v *Verdict) string {
	guard := ""
	if v.When != nil {
		guard = "if " + d.Sentence(v.When)
	}
	line := v.Line()
	if line == nil {
		return capital(join(guard, "everyone → "))
	}
	return capital(join(guard, line.Sentence(d)))
}

// KeywordName is the public name of a keyword, or its id where there is none.
func (d *Document) KeywordName(id string) string {
	if k := d.Keyword(id); k != nil {
		return k.Title()
	}
	return id
}

// QuestionTitle is the wording of a question; "" where there is none.
func (d *Document) QuestionTitle(id string) string {
	if i := d.Question(id); i >= 0 {
		return d.Questions[i].Title()
	}
	return ""
}

// KeywordIDs are the ids of the keywords, in declared order.
func (d *Document) KeywordIDs() []string {
	out := make([]string, len(d.Keywords))
	for i := range d.Keywords {
		out[i] = d.Keywords[i].ID
	}
	return out
}

// OutcomeIDs are the ids of the outcomes, in declared order.
func (d *Document) OutcomeIDs() []string {
	out := make([]string, len(d.Outcomes))
	for i := range d.Outcomes {
		out[i] = d.Outcomes[i].ID
	}
	return out
}

func join(guard, rest string) string {
	switch {
	case guard == "":
		return strings.TrimPrefix(rest, "everyone → ")
	case strings.HasPrefix(rest, "everyone → "):
		return guard + " → " + strings.TrimPrefix(rest, "everyone → ")
	}
	return guard + ": " + rest
}

func capital(s string) string {
	for i, r := range s {
		return strings.ToUpper(string(r)) + s[i+len(string(r)):]
	}
	return s
}
