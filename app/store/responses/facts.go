package responses

import (
	"encoding/json"
	"errors"

	"omphalos/app/store/tallies"
	"omphalos/core/kind"
	"omphalos/core/walk"
)

// factsOf reads the facts of a response. One that keeps nothing counts by its outcome and day alone; what else tells it
// apart is known only when it comes.
func factsOf(r *Response, answers map[string]walk.Answer) (tallies.Facts, error) {
	f := tallies.Facts{
		Event: tallies.Event{
			QuizID:  r.QuizID,
			Version: r.Version,
			Day:     r.Day,
			Stage:   tallies.StageEnd,
			Place:   r.Outcome,
		},
		Measure: tallies.Measure{Count: 1},
	}
	if !r.IsGenuine() {
		f.Event.Stage, f.Event.Place = tallies.StageAside, ""
		return f, nil
	}
	if r.IsPast() {
		f.Event.Stage, f.Event.Day, f.Event.Bare = tallies.StagePast, "", true
		if f.Measure.Kept = 1; r.IsLead() {
			f.Measure.Leads = 1
		}
		return f, nil
	}
	f.Before = r.BeforeSplit
	if !r.Kept {
		f.Event.Bare = true
		return f, nil
	}
	f.Event.Source, f.Event.Device, f.Event.Country, f.Event.Language = r.Source, r.Device, r.Country, r.Language
	f.Event.Way = r.Way
	if !r.StartedAt.IsZero() && r.At.After(r.StartedAt) {
		f.Took = tallies.Lasting(r.At.Sub(r.StartedAt))
	}
	f.Measure.Kept = 1
	if r.IsLead() {
		f.Measure.Leads = 1
	}
	if answers == nil && len(r.Answers) > 0 {
		if err := json.Unmarshal(r.Answers, &answers); err != nil {
			return f, errors.Join(errors.New("couldn’t read the answers of a response"), err)
		}
	}
	f.Answers = make([][2]string, 0, 2*len(answers)) // most answers are one value, and each is asked
	for id, a := range answers {
		f.Answers = appendAnswer(f.Answers, id, a)
	}
	return f, nil
}

// appendAnswer adds the fields and values of an answer to a list.
func appendAnswer(list [][2]string, id string, a walk.Answer) [][2]string {
	add := func(value string) { list = append(list, [2]string{id, value}) }
	add(tallies.ValueAsked)
	for _, pick := range a.Picks {
		add(pick)
	}
	if a.Ordered && len(a.Picks) > 0 { // that all are in the list tells little
		list = append(list, [2]string{id + kind.FirstPart, a.Picks[0]})
	}
	for row, choice := range a.Rows {
		list = append(list, [2]string{id + "." + row, choice})
	}
	switch {
	case a.Number != nil:
		add(a.Number.String())
	case a.Blank():
		add(tallies.ValueBlank)
	}
	return list
}
