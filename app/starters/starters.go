// Package starters are quizzes to begin with, and what can be taken over from a quiz that there is.
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
		"When you sell services of different depth, and a call with the wrong people costs you the afternoon.",
	},
	{
		"which-product",
		"When people stand before a shelf and cannot choose: each combination of answers leads to one product.",
	},
	{"ready-or-not", "When people should see where they stand in several areas before they talk to you."},
	{
		"price-estimate",
		"When the first question is always what it costs, and an honest figure is the best beginning of a talk.",
	},
	{"knowledge", "When people should learn something and remember who taught them: right answers, each with its reason."},
	{"which-type", "When people should enjoy it and pass it on: pictures, a type, and something that fits it."},
	{
		"after-event",
		"When an event is over and those who want to talk should have a time in the calendar the same evening.",
	},
	{
		"feedback",
		"When you want to know what people think, and each of them should get the next step that fits. " +
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
		parts = append(parts, "a redirect")
	}
	if s.Doc.Contact != nil && s.Doc.Contact.Place != quiz.ContactNone {
		parts = append(parts, "asks for an e-mail address")
	}
	return strings.Join(parts, ", ")
}
