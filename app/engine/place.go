package engine

import (
	"time"

	"omphalos/core/fact"
	"omphalos/core/walk"
)

// Place is where a respondent is: the version they began, what they have answered, and the page they are on. It
// travels with the form and the address, as a token.
type Place struct {
	ID       string                 `json:"i"`           // of the walk, and of its response
	Browser  string                 `json:"z,omitempty"` // whose walk it is; "" before the first answer and without cookies
	Version  int                    `json:"v"`
	Began    int64                  `json:"b"`           // Unix milliseconds
	At       string                 `json:"p"`           // "" opening page, a question's id, or one of the steps below
	Reached  int                    `json:"h,omitempty"` // questions up to this one have been shown: each is tallied once
	Answers  map[string]walk.Answer `json:"a,omitempty"`
	Visitor  walk.Visitor           `json:"w,omitzero"`
	Params   map[string]string      `json:"q,omitempty"`
	Source   string                 `json:"s,omitempty"`
	Trapped  bool                   `json:"x,omitempty"` // the field that no one sees was filled in
	Failed   *walk.FieldError       `json:"e,omitempty"` // what is wrong with what this page was sent last
	Typed    map[string]string      `json:"t,omitempty"` // what a page was sent that could not be taken
	Before   map[string]walk.Answer `json:"f,omitempty"` // answers that the link filled in beforehand
	Known    map[string]string      `json:"k,omitempty"` // contact fields that the link filled in beforehand
	Review   bool                   `json:"r,omitempty"` // the page shows right and wrong of what was just answered
	Today    string                 `json:"d,omitempty"` // a rehearsal pretends this day; "" is the day on which it began
	Time     fact.Time              `json:"c,omitzero"`  // and this weekday and hour
	Takes    int                    `json:"n,omitempty"` // how often this respondent has taken the quiz again
	Language string                 `json:"l,omitempty"` // of the pages; "" for the quiz's own
	Kit      bool                   `json:"j,omitempty"` // shown by the kit, within another page
	Way      string                 `json:"m,omitempty"` // how it is reached: one of the store's ways; "" is its link
	Invite   string                 `json:"u,omitempty"` // the invitation that it answers
	Thanks   bool                   `json:"y,omitempty"` // the contact step after the outcome is done
}

// Steps next to the questions; ids of questions never begin with ".".
const (
	atContact = ".contact"
	atAfter   = ".after" // the contact step after the outcome
	atEnd     = ".end"
)

func (p *Place) began() time.Time { return time.UnixMilli(p.Began) }

// withStep returns the same place on another page.
func (p Place) withStep(step string) Place {
	p.At, p.Failed, p.Typed, p.Review = step, nil, nil, false
	return p
}
