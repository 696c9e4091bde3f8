// Package fact holds the facts that conditions, tables, cut points, formulas and texts can look at: how each is named,
// what values it has, what it is for a respondent, how a count takes it, what it is called, and where it is offered.
package fact

import (
	"strings"

	"omphalos/core/rule"
)

// Class is how a fact comes about, and so how it is counted.
type Class uint8

// The classes of facts.
const (
	None       Class = iota
	Answer           // settled by the answer to its question
	Before           // known before the first question
	Score            // the sum of a scale
	Percent          // of the most that could be earned on a scale
	Percentile       // the standing of a scale in its norm
	Votes            // those for a keyword
	Leader           // the keyword with the most votes
	Formula          // a computed value
	Outcome          // known only once the walk has ended
)

// Family is all facts of one class whose names begin alike: "scale" of scale.ID.
type Family struct {
	Root  string
	Class Class
	Type  rule.Type
	Alone bool // the root is the whole name
	// Number reports that it is a number that comes of the answers: it can be cut into bands. Always: it is never blank.
	Number, Always bool
	Axis           bool // a chart can show it
}

// families by root. Facts known before the first question have a registry of their own.
var families = map[string]*Family{
	"answer":     {Class: Answer, Type: rule.TextType},
	"scale":      {Class: Score, Number: true, Always: true, Axis: true},
	"percent":    {Class: Percent, Number: true, Always: true, Axis: true},
	"percentile": {Class: Percentile, Number: true, Always: true, Axis: true},
	"keyword":    {Class: Votes, Number: true, Always: true},
	"computed":   {Class: Formula, Number: true},
	"leader":     {Class: Leader, Type: rule.KeywordType, Alone: true},
	"outcome":    {Class: Outcome, Type: rule.OutcomeType, Alone: true, Always: true},
}

var beforeFamily = &Family{Class: Before}

var noFamily = &Family{}

// FamilyOf returns the family of a name, and what stands behind its root; of class None where there is none.
func FamilyOf(name string) (f *Family, id string) {
	root, id, dotted := strings.Cut(name, ".")
	if f = families[root]; f != nil {
		if f.Alone == dotted {
			return noFamily, ""
		}
		return f, id
	}
	if byName[name] != nil || isParam(name) {
		return beforeFamily, id
	}
	return noFamily, ""
}

// ClassOf is the class of the fact of this name.
func ClassOf(name string) Class {
	f, _ := FamilyOf(name)
	return f.Class
}

// VotesFor names the fact of the votes for a keyword.
func VotesFor(keyword string) string { return "keyword." + keyword }
