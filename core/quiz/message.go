package quiz

import (
	"slices"
	"strconv"
	"strings"

	"omphalos/core/kind"
	"omphalos/core/rule"
)

// Whom a message goes to.
const (
	ToRespondent = "respondent"
	ToTeam       = "team"
	ToLookup     = "lookup" // an address that a table has for an answer
)

// Message is an email that is sent once a response is stored whose walk its condition holds for.
type Message struct {
	ID        string          `json:"id"`
	Name      string          `json:"name,omitempty"` // internal
	Off       bool            `json:"off,omitempty"`  // turned off: it is kept, and not sent
	When      *rule.Condition `json:"when,omitempty"` // none is everyone
	To        string          `json:"to"`
	Addresses []string        `json:"addresses,omitempty"` // of the team
	Lookup    *Lookup         `json:"lookup,omitempty"`    // its column holds an email address
	Agreed    bool            `json:"agreed,omitempty"`    // only to those who agreed to the consent text
	After     int             `json:"after,omitempty"`     // minutes after the response is stored
	Subject   string          `json:"subject"`
	Text      string          `json:"text"` // Markdown
}

// Bounds of messages.
const (
	MaxMessages  = 50
	MaxAfter     = 60 * 24 * 60 // minutes: 60 days
	MaxAddresses = 20
	maxSubject   = 250 // characters
)

// FactOutcome is where the walk ended; conditions of messages can look at it, and no others.
const FactOutcome = "outcome"

// Title returns the name of the message, what stands in for it, or its id.
func (m *Message) Title() string { return FirstOf(m.Name, m.Subject, m.ID) }

// Message returns the position of the message with this id, or -1.
func (d *Document) Message(id string) int {
	return indexFunc(d.Messages, func(m *Message) bool { return m.ID == id })
}

// KnowsAtEnd reports whether a message's condition can look at a fact.
func (d *Document) KnowsAtEnd(fact string) bool { return fact == FactOutcome || d.Knows(fact) }

// EachMessageCondition calls f for every condition of a message, with those nested in others, and its JSON Pointer.
// They are not among those of EachCondition: where someone ends does not depend on them.
func (d *Document) EachMessageCondition(f func(at string, c *rule.Condition)) {
	for i := range d.Messages {
		if d.Messages[i].When != nil {
			d.Messages[i].When.Each(Pointer("messages", i, "when"), f)
		}
	}
}

// CheckCondition finds what is wrong with a condition that stands outside the document and is looked at when a walk has
// ended; its problems are at places within it.
func (d *Document) CheckCondition(cond *rule.Condition) Problems {
	c := check{d: d, atEnd: true}
	cond.Each("", c.condition)
	return c.ps
}

// messages checks what every message needs to be sent.
func (c *check) messages() {
	c.atEnd = true
	c.d.EachMessageCondition(c.condition)
	c.atEnd = false
	for i := range c.d.Messages {
		c.message(&c.d.Messages[i], Pointer("messages", i))
	}
}

func (c *check) message(m *Message, at string) {
	switch m.To {
	case "":
		c.ps.add(at+"/to", chooseRespondentTeamOrTable.With(), messageHasNoRecipient.With())
	case ToTeam:
		if len(m.Addresses) == 0 && !m.Off {
			c.ps.add(at+"/addresses", typeEmailAddress.With(), messageHasNoEmailAddress.With(m.Title()))
		}
	case ToLookup:
		if m.Lookup == nil {
			c.ps.add(at+"/lookup", chooseTableKeyColumn.With(), messageHasNoLookupTable.With(m.Title()))
		}
	default:
		c.oneOf(at+"/to", m.To, ToRespondent, ToTeam, ToLookup)
	}
	if len(m.Addresses) > MaxAddresses {
		c.ps.add(at+"/addresses", useOneAddressForwardsEveryone.With(), thereMoreThanAddresses.With(MaxAddresses))
	}
	for j, a := range m.Addresses {
		if !kind.ValidEmail(a) {
			c.ps.add(at+Pointer("addresses", j), useFormSalesExampleOrg.With(), isntEmailAddress.With(a))
		}
	}
	if l := m.Lookup; l != nil && l.Fallback != "" && !kind.ValidEmail(l.Fallback) {
		c.ps.add(at+"/lookup/fallback", useFormSalesExampleOrg.With(), isntEmailAddress.With(l.Fallback))
	}
	if m.After < 0 || m.After > MaxAfter {
		c.ps.add(at+"/after", useMinutesDays.With(), messageCantWaitMinutes.With(m.After))
	}
	switch {
	case strings.TrimSpace(m.Subject) == "" && !m.Off:
		c.ps.add(at+"/subject", typeASubject.With(), messageHasNoSubject.With(m.Title()))
	case len([]rune(m.Subject)) > maxSubject:
		c.ps.add(at+"/subject", shortenIt.With(), subjectLongerThanCharacters.With(maxSubject))
	case strings.ContainsFunc(m.Subject, isControl):
		c.ps.add(at+"/subject", removeLineBreak.With(), subjectContainsLineBreak.With())
	}
}

func isControl(r rune) bool { return r < ' ' || r == 0x7f }

// messageSentence says whom a message is for, when, and how soon: "to the respondent, if the outcome is Planning pack
// and they agreed, at once".
func (d *Document) MessageSentence(m *Message) string {
	parts := []string{d.messageTo(m)}
	var only []string
	if m.When != nil && !(m.When.All != nil && len(m.When.All) == 0) {
		only = append(only, d.Sentence(m.When))
	}
	if m.Agreed {
		only = append(only, "they agreed")
	}
	if len(only) > 0 {
		parts = append(parts, "if "+strings.Join(only, " and "))
	}
	return strings.Join(append(parts, After(m.After)), ", ")
}

func (d *Document) messageTo(m *Message) string {
	switch m.To {
	case ToRespondent:
		return "to the respondent"
	case ToTeam:
		if len(m.Addresses) == 0 {
			return "to the team"
		}
		return "to " + strings.Join(m.Addresses, ", ")
	case ToLookup:
		if m.Lookup != nil {
			return "to the address in the table " + FirstOf(m.Lookup.Table, "that is chosen")
		}
	}
	return "no recipient yet"
}

// After says how long a message waits.
func After(minutes int) string {
	const hour, day = 60, 24 * 60
	many := func(n int, one string) string {
		if n == 1 {
			return "after 1 " + one
		}
		return "after " + strconv.Itoa(n) + " " + one + "s"
	}
	switch {
	case minutes <= 0:
		return "immediately"
	case minutes%day == 0:
		return many(minutes/day, "day")
	case minutes%hour == 0:
		return many(minutes/hour, "hour")
	}
	return many(minutes, "minute")
}

// MessageAddresses lists the email addresses that messages go to, each once, in order.
func (d *Document) MessageAddresses() []string {
	var out []string
	for i := range d.Messages {
		for _, a := range d.Messages[i].Addresses {
			if !slices.Contains(out, a) {
				out = append(out, a)
			}
		}
	}
	return out
}
