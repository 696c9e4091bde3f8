package quiz

import (
	"omphalos/core/fact"
	"omphalos/core/rule"
)

// Check is a kept rehearsal: a respondent, and where they must end. What it means is in the package check.
type Check struct {
	ID      string            `json:"id"`
	Name    string            `json:"name,omitempty"`
	Off     bool              `json:"off,omitempty"`     // turned off: it is kept, and not run
	Answers map[string]Given  `json:"answers,omitempty"` // by question id; a question without one is blank
	Visitor fact.Visitor      `json:"visitor,omitzero"`
	Params  map[string]string `json:"params,omitempty"`
	Today   string            `json:"today,omitempty"` // YYYY-MM-DD
	Time    fact.Time         `json:"time,omitzero"`
	Expect  Expect            `json:"expect"`
}

// Expect is what must come of a check. Only what is there is compared.
type Expect struct {
	Outcome  string                 `json:"outcome,omitempty"`
	Scales   map[string]rule.Number `json:"scales,omitempty"`  // at the end of the walk, by scale id
	Address  *string                `json:"address,omitempty"` // that a redirect leads to; "" is none
	Products []string               `json:"products,omitzero"` // keys of the catalogue, in order; an empty list is none
	Path     []string               `json:"path,omitzero"`     // ids of the questions asked, in order
}

// Empty reports whether nothing would be compared.
func (e *Expect) Empty() bool {
	return e.Outcome == "" && len(e.Scales) == 0 && e.Address == nil && e.Products == nil && e.Path == nil
}

// Title returns the name of the check, or its id.
func (c *Check) Title() string { return FirstOf(c.Name, c.ID) }

// Check returns the position of the check with this id, or -1.
func (d *Document) Check(id string) int {
	return indexFunc(d.Checks, func(c *Check) bool { return c.ID == id })
}
