package kind

import (
	"slices"

	"omphalos/core/rule"
)

// Question is one step of the walk. Which of its fields mean anything depends on its kind.
type Question struct {
	ID          string                 `json:"id"`
	Kind        Name                   `json:"kind"`
	Text        string                 `json:"text,omitempty"`
	Help        string                 `json:"help,omitempty"`
	Image       string                 `json:"image,omitempty"`
	Alt         string                 `json:"alt,omitempty"`
	Credit      string                 `json:"credit,omitempty"`
	Required    bool                   `json:"required,omitempty"`
	Weight      *rule.Number           `json:"weight,omitempty"` // multiplies points and votes given here; none is 1
	VisibleIf   *rule.Condition        `json:"visible_if,omitempty"`
	Choices     []Choice               `json:"choices,omitempty"`
	ChoicesFrom *ChoicesFrom           `json:"choices_from,omitempty"`
	Display     string                 `json:"display,omitempty"`
	Shuffle     bool                   `json:"shuffle,omitempty"`
	Rows        []Row                  `json:"rows,omitempty"`
	Least       int                    `json:"least,omitempty"`
	Most        int                    `json:"most,omitempty"`   // 0: as many as there are
	Places      []rule.Number          `json:"places,omitempty"` // what each place of a ranking counts; none is 1 each
	From        *rule.Number           `json:"from,omitempty"`
	To          *rule.Number           `json:"to,omitempty"`
	Step        *rule.Number           `json:"step,omitempty"` // none is 1
	Unit        string                 `json:"unit,omitempty"`
	Ends        []string               `json:"ends,omitempty"` // labels of the first and last step of a rating
	Linear      map[string]LinearPoint `json:"linear,omitempty"`
	Steps       []Step                 `json:"steps,omitempty"`
	Section     string                 `json:"section,omitempty"`
	Branches    []Branch               `json:"branches,omitempty"`
}

// Choice is an answer that can be picked.
type Choice struct {
	ID            string                 `json:"id"`
	Label         string                 `json:"label,omitempty"`
	Image         string                 `json:"image,omitempty"`
	Alt           string                 `json:"alt,omitempty"`
	Points        map[string]rule.Number `json:"points,omitempty"`
	Votes         map[string]rule.Number `json:"votes,omitempty"`
	Correct       bool                   `json:"correct,omitempty"`
	Why           string                 `json:"why,omitempty"`
	Exclusive     bool                   `json:"exclusive,omitempty"`
	Other         bool                   `json:"other,omitempty"`
	OtherOptional bool                   `json:"other_optional,omitempty"` // its own text may be left empty
	Pinned        bool                   `json:"pinned,omitempty"`
}

// ChoicesFrom names a look-up table whose rows are the choices.
type ChoicesFrom struct {
	Table string `json:"table"`
	Label string `json:"label"`
}

// Row is one line of a grid.
type Row struct {
	ID    string `json:"id"`
	Label string `json:"label,omitempty"`
}

// LinearPoint gives factor × value + offset points.
type LinearPoint struct {
	Factor rule.Number `json:"factor,omitzero"`
	Offset rule.Number `json:"offset,omitzero"`
}

// Step gives points to the values from From up to the next step.
type Step struct {
	From   rule.Number            `json:"from"`
	Points map[string]rule.Number `json:"points,omitempty"`
	Votes  map[string]rule.Number `json:"votes,omitempty"`
}

// Branch leads on from a question when its condition holds: to "question:ID", "outcome:ID" or "finish".
type Branch struct {
	When rule.Condition `json:"when"`
	Go   string         `json:"go"`
}

// Choice returns the position of the choice with this id, or -1.
func (q *Question) Choice(id string) int {
	for i := range q.Choices {
		if q.Choices[i].ID == id {
			return i
		}
	}
	return -1
}

// Row returns the position of the grid row with this id, or -1.
func (q *Question) Row(id string) int {
	return slices.IndexFunc(q.Rows, func(r Row) bool { return r.ID == id })
}

// Factor returns what every point and vote of the question is multiplied by.
func (q *Question) Factor() rule.Number {
	if q.Weight == nil {
		return rule.Int(1)
	}
	return *q.Weight
}

// Increment returns the step between the values of a rating or number.
func (q *Question) Increment() rule.Number {
	if q.Step == nil || q.Step.Sign() <= 0 {
		return rule.Int(1)
	}
	return *q.Step
}

// Bounded reports whether the numbers that can be answered begin and end somewhere, so that they can be listed.
func (q *Question) Bounded() bool { return q.From != nil && q.To != nil }

// Last is the position of the highest value of a bounded range, counted in steps from the lowest.
func (q *Question) Last() rule.Number {
	return rule.Ratio(q.To.Sub(*q.From), q.Increment()).Floor()
}

// Picks returns the least and most picks that an answer has which is not blank.
func (q *Question) Picks() (least, most int) { return Of(q).Picks(q) }

// most is how many picks there are at most, as far as the question says.
func (q *Question) most() int {
	if q.Most == 0 || q.Most > len(q.Choices) {
		return len(q.Choices)
	}
	return q.Most
}

// Title returns the question's wording, or its id.
func (q *Question) Title() string {
	if q.Text == "" {
		return q.ID
	}
	return q.Text
}

// Title returns the choice's label, or its id.
func (c *Choice) Title() string {
	if c.Label == "" {
		return c.ID
	}
	return c.Label
}

// Title returns the label of the row, or its id.
func (r *Row) Title() string {
	if r.Label == "" {
		return r.ID
	}
	return r.Label
}
