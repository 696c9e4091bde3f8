// Package walk takes one respondent through a quiz. Answers go in; the path, points, votes, the outcome and the reason
// for each come out.
package walk

import "omphalos/core/kind"

// Answer is what a respondent answered to one question.
type Answer = kind.Answer

// FieldError says what is wrong with one field of an answer.
type FieldError = kind.FieldError

// Effect is what one answer adds.
type Effect = kind.Effect

// Takes reports whether the document takes answers that were given to another one: no question of them no longer
// exists, and each can still be answered so.
func (c *Compiled) Takes(answers map[string]Answer) bool {
	for id, a := range answers {
		i := c.Doc.Question(id)
		switch {
		case i < 0:
			return false
		case a.Blank() || c.Doc.Questions[i].ChoicesFrom != nil:
			continue
		}
		q := &c.Doc.Questions[i]
		fields := a.Fields(q)
		if _, err := kind.Read(q, func(name string) []string { return fields[name] }); err != nil {
			return false
		}
	}
	return true
}
