package quiz

import (
	"encoding/json"
	"fmt"

	"omphalos/core/rule"
)

// Check is a kept rehearsal: a respondent, and where they must end. What it means is in the package check.
type Check struct {
	ID      string            `json:"id"`
	Name    string            `json:"name,omitempty"`
	Off     bool              `json:"off,omitempty"`     // turned off: it is kept, and not run
	Answers map[string]Given  `json:"answers,omitempty"` // by question id; a question without one is blank
	Visitor CheckVisitor      `json:"visitor,omitzero"`
	Params  map[string]string `json:"params,omitempty"`
	Today   string            `json:"today,omitempty"` // YYYY-MM-DD
	Expect  Expect            `json:"expect"`
}

// CheckVisitor is what is known of the respondent of a check without asking.
type CheckVisitor struct {
	Country  string `json:"country,omitempty"` // ISO 3166-1 alpha-2
	Language string `json:"language,omitempty"`
	Device   string `json:"device,omitempty"`
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

// Given is an answer as a document writes it. Exactly one of the four is set; the zero Given is blank.
type Given struct {
	Text   string            // a choice's id, a text, an email address, a date, "yes" of a consent
	Number *rule.Number      // of a rating or number
	List   []string          // ids of picks
	Rows   map[string]string // of a grid: row id to choice id
}

// UnmarshalJSON reads a text, a number, a list of ids, or an object of row id to choice id.
func (g *Given) UnmarshalJSON(b []byte) error {
	*g = Given{}
	switch b[0] {
	case '"':
		return json.Unmarshal(b, &g.Text)
	case '[':
		return json.Unmarshal(b, &g.List)
	case '{':
		return json.Unmarshal(b, &g.Rows)
	}
	n, err := rule.ParseNumber(string(b))
	if err != nil {
		return fmt.Errorf("%s isn’t an answer: use a choice ID, a list of IDs, a number, a text, or rows with IDs", b)
	}
	g.Number = &n
	return nil
}

// MarshalJSON writes what UnmarshalJSON reads.
func (g Given) MarshalJSON() ([]byte, error) {
	switch {
	case g.Number != nil:
		return g.Number.MarshalJSON()
	case g.List != nil:
		return json.Marshal(g.List)
	case g.Rows != nil:
		return json.Marshal(g.Rows)
	}
	return json.Marshal(g.Text)
}
