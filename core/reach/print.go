package reach

import (
	"encoding/json"
	"maps"
	"slices"
	"strconv"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// print is all of a document and an assumption that counting looks at: everything but the wording. What questions give
// stands apart from the rest, since it is edited most.
type print struct {
	rest    string
	weights []string // by question: what it gives
}

// reweighed reports whether another document is the same but for what questions give, and lists these.
func (p print) reweighed(other print) (questions []int, ok bool) {
	if p.rest != other.rest {
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
	bare, weights, room := make([]quiz.Question, len(d.Questions)), make([]string, len(d.Questions)), []byte{}
	for i := range d.Questions {
		bare[i], room = unweighed(&d.Questions[i], room[:0])
		weights[i] = string(room)
	}
	rest, err := json.Marshal([]any{unworded(d), bare, o.Assume, o.Budget, o.Samples, o.Memory, o.Patience})
	if err != nil {
		return print{}, err
	}
	return print{string(rest), weights}, nil
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

// unweighed is a question without its wording, and apart from it what it gives, written behind out.
func unweighed(of *quiz.Question, out []byte) (quiz.Question, []byte) {
	q := *of
	q.Text, q.Help, q.Image, q.Alt, q.Credit = "", "", "", "", ""
	q.Unit, q.Ends, q.Section, q.Display, q.Shuffle = "", nil, "", "", false
	q.Weight, q.Linear = nil, nil
	out = of.Factor().Append(out)
	for _, id := range slices.Sorted(maps.Keys(of.Linear)) {
		out = of.Linear[id].Offset.Append(of.Linear[id].Factor.Append(strconv.AppendQuote(out, id)))
	}
	q.Choices, q.Rows, q.Steps = slices.Clone(of.Choices), slices.Clone(of.Rows), slices.Clone(of.Steps)
	for j := range q.Choices {
		c := &q.Choices[j]
		out = appendNumbers(appendNumbers(out, c.Points), c.Votes)
		*c = quiz.Choice{ID: c.ID, Exclusive: c.Exclusive}
	}
	for j := range q.Rows {
		q.Rows[j].Label = ""
	}
	for j := range q.Steps {
		out = appendNumbers(appendNumbers(out, q.Steps[j].Points), q.Steps[j].Votes)
		q.Steps[j].Points, q.Steps[j].Votes = nil, nil
	}
	return q, out
}

// appendNumbers writes what each scale or keyword is given.
func appendNumbers(out []byte, numbers map[string]rule.Number) []byte {
	var few [8]string
	ids := few[:0]
	for id := range numbers {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	for _, id := range ids {
		out = numbers[id].Append(append(strconv.AppendQuote(out, id), ':'))
	}
	return append(out, ';')
}
