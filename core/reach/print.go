package reach

import (
	"encoding/json"
	"slices"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// print is all of a document and an assumption that counting looks at: everything but the wording. What questions give
// stands apart from the rest, since it is edited most.
type print struct {
	rest    string
	bare    []string // by question: all but what it gives
	weights []string // by question: what it gives
}

// reweighed reports whether another document is the same but for what questions give, and lists these.
func (p print) reweighed(other print) (questions []int, ok bool) {
	if p.rest != other.rest || !slices.Equal(p.bare, other.bare) {
		return nil, false
	}
	for i := range p.weights {
		if p.weights[i] != other.weights[i] {
			questions = append(questions, i)
		}
	}
	return questions, true
}

func printOf(d *quiz.Document, o Options) (print, error) {
	rest, err := json.Marshal([]any{unworded(d), o.Assume, o.Budget, o.Samples, o.Memory, o.Patience})
	if err != nil {
		return print{}, err
	}
	p := print{string(rest), make([]string, len(d.Questions)), make([]string, len(d.Questions))}
	for i := range d.Questions {
		q, w := unweighed(&d.Questions[i])
		bare, err := json.Marshal(q)
		if err != nil {
			return print{}, err
		}
		weights, err := json.Marshal(w)
		if err != nil {
			return print{}, err
		}
		p.bare[i], p.weights[i] = string(bare), string(weights)
	}
	return p, nil
}

// unworded is a document without its wording and its questions.
func unworded(d *quiz.Document) *quiz.Document {
	bare := *d
	bare.Name, bare.Language, bare.Theme = "", "", quiz.Theme{}
	bare.Intro, bare.Contact, bare.Recommendations = nil, nil, nil
	bare.Sections, bare.Params, bare.Translations, bare.Checks, bare.Messages = nil, nil, nil, nil, nil
	bare.Settings, bare.Questions = quiz.Settings{}, nil
	bare.Scales, bare.Keywords = slices.Clone(d.Scales), slices.Clone(d.Keywords)
	for i := range bare.Scales {
		bare.Scales[i].Name = ""
	}
	for i := range bare.Keywords {
		bare.Keywords[i].Name = ""
	}
	bare.Outcomes = make([]quiz.Outcome, len(d.Outcomes))
	for i := range d.Outcomes {
		bare.Outcomes[i].ID = d.Outcomes[i].ID
	}
	return &bare
}

// gifts is what a question gives.
type gifts struct {
	Weight  *rule.Number                `json:"w,omitempty"`
	Linear  map[string]quiz.LinearPoint `json:"l,omitempty"`
	Choices []map[string]rule.Number    `json:"c,omitempty"` // points and votes of each choice
	Steps   []map[string]rule.Number    `json:"s,omitempty"` // and of each step
}

// unweighed is a question without its wording, and apart from it what it gives.
func unweighed(of *quiz.Question) (quiz.Question, gifts) {
	q, w := *of, gifts{Weight: of.Weight, Linear: of.Linear}
	q.Text, q.Help, q.Image, q.Alt, q.Credit = "", "", "", "", ""
	q.Unit, q.Ends, q.Section, q.Display, q.Shuffle = "", nil, "", "", false
	q.Weight, q.Linear = nil, nil
	q.Choices, q.Rows, q.Steps = slices.Clone(of.Choices), slices.Clone(of.Rows), slices.Clone(of.Steps)
	for j := range q.Choices {
		c := &q.Choices[j]
		w.Choices = append(w.Choices, c.Points, c.Votes)
		*c = quiz.Choice{ID: c.ID, Exclusive: c.Exclusive}
	}
	for j := range q.Rows {
		q.Rows[j].Label = ""
	}
	for j := range q.Steps {
		w.Steps = append(w.Steps, q.Steps[j].Points, q.Steps[j].Votes)
		q.Steps[j].Points, q.Steps[j].Votes = nil, nil
	}
	return q, w
}
