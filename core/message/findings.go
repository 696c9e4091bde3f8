package message

import (
	"slices"

	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/say"
)

// Code of the finding that no one gets a message.
const Code = "unsent_message"

// Names that messages to the team can be filled in with, next to those of every text.
const (
	Answers = "answers"      // each question that was asked, with its answer
	LeadAt  = "lead.address" // where the response stands in Leads
	Reason  = "reason"       // why the walk ended where it did, in words
)

// ForTeam lists these names.
var ForTeam = []string{Answers, LeadAt, Reason}

// Knows reports whether a message can be filled in with a name.
func Knows(d *quiz.Document, m *quiz.Message, name string) bool {
	return fill.Known(d, name) || m.To != quiz.ToRespondent && slices.Contains(ForTeam, name)
}

// Findings are the messages that no one gets, and the names in those to the team that the quiz does not have. Texts
// that respondents read are looked at with all others.
func Findings(d *quiz.Document, shares []Share) []reach.Finding {
	var out []reach.Finding
	for i := range shares {
		s := &shares[i]
		at := d.Message(s.ID)
		if !s.Known || s.Reachable || at < 0 {
			continue
		}
		out = append(out, reach.Found(reach.Finding{
			Code: Code, Severity: reach.Error, Where: quiz.Pointer("messages", at),
			Said: noOneGetsMessageLoosen.With(d.Messages[at].Title(), unsent(d, &d.Messages[at])),
		}))
	}
	for i := range d.Messages {
		m := &d.Messages[i]
		if m.To == quiz.ToRespondent {
			continue
		}
		for _, text := range []struct{ field, src string }{{"subject", m.Subject}, {"text", m.Text}} {
			for _, name := range fill.Names(text.src) {
				if !Knows(d, m, name) {
					out = append(out, unknown(quiz.Pointer("messages", i, text.field), name))
				}
			}
		}
	}
	return out
}

func unsent(d *quiz.Document, m *quiz.Message) say.Text {
	if m.When == nil {
		return noOutcomeStores.With()
	}
	return noResponseMatches.With(d.Sentence(m.When))
}

func unknown(at, name string) reach.Finding {
	return reach.Found(reach.Finding{
		Code: "unknown_name", Severity: reach.Error, Where: at,
		Said: doesntExistWillAppearEmpty.With(name),
	})
}
