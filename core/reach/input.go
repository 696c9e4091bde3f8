package reach

import (
	"fmt"

	"omphalos/core/fact"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// InputOf reads an example of a report back as what its walk depends on: the same form fields that pages and tables
// use. What is no answer to its question is left out.
func InputOf(d *quiz.Document, witness map[string]any) walk.Input {
	in := walk.Input{Answers: map[string]walk.Answer{}, Params: map[string]string{}}
	for i := range d.Questions {
		q := &d.Questions[i]
		a, err := kind.Read(q, func(field string) []string {
			switch v := witness[field].(type) {
			case nil:
				return nil
			case []string:
				return v
			default:
				return []string{fmt.Sprint(v)}
			}
		})
		if err == nil && !a.Blank() {
			in.Answers[q.ID] = a
		}
	}
	visit := in.Visit()
	for name, v := range witness {
		if k := fact.Find(name); k != nil {
			_ = k.Set(&visit, fmt.Sprint(v)) // what it cannot be stays unknown
		}
	}
	in.From(visit)
	return in
}
