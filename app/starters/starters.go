// Package starters provides example quizzes to start from, and copies parts of existing quizzes.
package starters

import (
	"embed"
	"fmt"
	"strings"
	"sync"

	"omphalos/core/check"
	"omphalos/core/quiz"
)

//go:embed *.json
var documents embed.FS

// Starter is a quiz to begin with.
type Starter struct {
	Key  string
	When string // one sentence: when to use it
	Text []byte
	Doc  *quiz.Document
}

// listed are the starters in the order in which they are offered.
var listed = [][2]string{
	{
		"which-service",
		"You sell several levels of service and want calls only with the right people.",
	},
	{
		"which-product",
		"Your customers find it hard to choose. Each combination of answers leads to one product.",
	},
	{"ready-or-not", "People should find out how ready they are in several areas before they talk to you."},
	{
		"price-estimate",
		"Everyone asks about the price first. Give an honest estimate to start the conversation.",
	},
	{"knowledge", "Teach people something and be remembered for it: correct answers, each with an explanation."},
	{"which-type", "People should have fun and share their result: pictures, a personality type, and something " +
		"that suits it."},
	{
		"after-event",
		"Follow up after an event: people who want to talk can book a time the same evening.",
	},
	{
		"feedback",
		"Collect feedback, and give each person the right next step. " +
			"In English and German.",
	},
}

// All are the starters.
var All = sync.OnceValue(func() []Starter {
	var out []Starter
	for _, l := range listed {
		text, err := documents.ReadFile(l[0] + ".json")
		if err != nil {
			panic(err) // they are part of the program
		}
		d, err := check.Read(text)
		if err != nil {
			panic(fmt.Sprintf("%s: %v", l[0], err))
		}
		out = append(out, Starter{Key: l[0], When: l[1], Text: text, Doc: d})
	}
	return out
})

// Find returns the starter of a key; nil where there is none.
func Find(key string) *Starter {
	all := All()
	for i := range all {
		if all[i].Key == key {
			return &all[i]
		}
	}
	return nil
}

// Says are what is worth knowing of a starter before it is taken.
func (s *Starter) Says() string {
	kinds := map[string]bool{}
	for i := range s.Doc.Outcomes {
		if e := s.Doc.Outcomes[i].Ending; e != nil {
			kinds[e.Kind] = true
		}
	}
	parts := []string{fmt.Sprintf("%d questions", len(s.Doc.Questions)), fmt.Sprintf("%d outcomes", len(s.Doc.Outcomes))}
	if kinds[quiz.EndRedirect] {
		parts = append(parts, "redirects")
	}
	if s.Doc.Contact != nil && s.Doc.Contact.Place != quiz.ContactNone {
		parts = append(parts, "asks for an email address")
	}
	return strings.Join(parts, ", ")
}
