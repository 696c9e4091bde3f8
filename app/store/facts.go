package store

import (
	"encoding/json"
	"errors"
	"omphalos/core/kind"
	"omphalos/core/walk"
)

// factsOf reads the facts of a response. One that keeps nothing counts by its outcome and day alone; what else tells it
// apart is known only when it comes.
func factsOf(r *Response) (facts, error) {
	f := facts{
		event:   Event{QuizID: r.QuizID, Version: r.Version, Day: r.Day, Stage: StageEnd, Place: r.Outcome},
		measure: Measure{Count: 1},
	}
	if r.Suspect != "" {
		f.event.Stage, f.event.Place = StageAside, ""
		return f, nil
	}
	if r.ImportID != "" {
		f.event.Stage, f.event.Day, f.event.Bare = StagePast, "", true
		if f.measure.Kept = 1; r.Email != "" || r.WasLead {
			f.measure.Leads = 1
		}
		return f, nil
	}
	f.before = r.BeforeSplit
	if !r.Kept {
		f.event.Bare = true
		return f, nil
	}
	f.event.Source, f.event.Device, f.event.Country, f.event.Language = r.Source, r.Device, r.Country, r.Language
	f.event.Way = r.Way
	if !r.StartedAt.IsZero() && r.At.After(r.StartedAt) {
		f.took = Lasting(r.At.Sub(r.StartedAt))
	}
	f.measure.Kept = 1
	if r.Email != "" || r.WasLead {
		f.measure.Leads = 1
	}
	answers := r.Given
	if answers == nil && len(r.Answers) > 0 {
		if err := json.Unmarshal(r.Answers, &answers); err != nil {
			return f, errors.Join(errors.New("couldn’t read the answers of a response"), err)
		}
	}
	f.answers = make([][2]string, 0, 2*len(answers)) // most answers are one value, and each is asked
	for id, a := range answers {
		f.answers = appendAnswer(f.answers, id, a)
	}
	return f, nil
}

// appendAnswer adds the fields and values of an answer to a list.
func appendAnswer(list [][2]string, id string, a walk.Answer) [][2]string {
	add := func(value string) { list = append(list, [2]string{id, value}) }
	add(ValueAsked)
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
		add(ValueBlank)
	}
	return list
}
