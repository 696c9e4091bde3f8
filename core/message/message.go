// Package message decides which messages a respondent triggers and who receives them, and calculates the share of
// respondents for each message.
package message

import (
	"slices"

	"omphalos/core/fill"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Respondent is someone whose walk has ended, with what they said of themselves.
type Respondent struct {
	Input   walk.Input
	Result  *walk.Result
	Lead    string            // id of the response
	Email   string            // "" where none was given
	Contact map[string]string // by field
	Agreed  bool              // to the consent text of the contact step
}

// Sent is one message to someone.
type Sent struct {
	Message *quiz.Message
	To      []string // email addresses, at least one
}

// Due returns the messages that are sent for a respondent, in the document's order. A message that has no one to go
// to is not among them. Nothing is sent for a response that is not kept.
func Due(c *walk.Compiled, r Respondent, tables fill.Tables) []Sent {
	d := c.Doc
	if o := d.Outcome(r.Result.Outcome); o == nil || !o.Keeps() || len(d.Messages) == 0 {
		return nil
	}
	source := fill.Source{Doc: d, Input: r.Input, Result: r.Result, Lead: r.Lead, Contact: r.Contact}
	facts := c.Facts(r.Input)
	var out []Sent
	for i := range d.Messages {
		m := &d.Messages[i]
		if m.Off || m.Agreed && !r.Agreed || !matches(m.When, facts) {
			continue
		}
		if to := recipients(m, r.Email, source, tables); len(to) > 0 {
			out = append(out, Sent{m, to})
		}
	}
	return out
}

func matches(when *rule.Condition, facts rule.Facts) bool { return when == nil || when.Holds(facts) }

// recipients are the addresses that a message goes to, each once.
func recipients(m *quiz.Message, email string, source fill.Source, tables fill.Tables) []string {
	var all []string
	switch m.To {
	case quiz.ToRespondent:
		all = []string{email}
	case quiz.ToTeam:
		all = m.Addresses
	case quiz.ToLookup:
		if m.Lookup != nil {
			address, _ := source.Cell(m.Lookup, tables)
			if !kind.ValidEmail(address) {
				address = m.Lookup.Fallback
			}
			all = []string{address}
		}
	}
	var out []string
	for _, a := range all {
		if kind.ValidEmail(a) && !slices.Contains(out, a) {
			out = append(out, a)
		}
	}
	return out
}
