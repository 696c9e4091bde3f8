package engine

import (
	"encoding/json"
	"time"

	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
	"omphalos/core/quiz"
	"omphalos/core/score"
	"omphalos/core/walk"
)

// Finished is a walk that has come to its end, with what is known of the respondent next to it.
type Finished struct {
	ID      string // of the walk
	QuizID  string
	Version int
	Began   time.Time
	At      time.Time
	Day     string // YYYY-MM-DD of At, in the quiz's time zone
	Input   walk.Input
	Source  string
	Way     string                       // one of the store's ways
	Suspect string                       // why it looks like a program's
	Labels  map[string]map[string]string // by question and choice, of answers that come from tables
	Name    string
	Email   string
	Contact map[string]string
	Consent string // the wording agreed to, "" for none
}

// Response is what is stored of a finished walk. An outcome that keeps nothing leaves its count, its day and the random
// id of the walk alone.
func Response(d *quiz.Document, res *walk.Result, f Finished) (*responses.Submission, error) {
	out := &responses.Submission{Response: &responses.Response{
		ID:      f.ID,
		QuizID:  f.QuizID,
		Version: f.Version,
		Outcome: res.Outcome,
		Suspect: f.Suspect,
		Day:     f.Day,
		At:      f.At.UTC(),
	}}
	if o := d.Outcome(res.Outcome); o != nil && !o.Keeps() {
		out.At = out.At.Truncate(24 * time.Hour)
		out.Walked = tallies.Walked{
			Source: f.Source, Device: f.Input.Visitor.Device, Country: f.Input.Visitor.Country,
			Language: f.Input.Visitor.Language, Way: f.Way,
		}
		return out, nil
	}
	out.Kept, out.Verdict, out.Reason = true, res.LineName(), res.Say(d)
	out.Source, out.StartedAt = f.Source, f.Began.UTC()
	out.Device, out.Country, out.Language = f.Input.Visitor.Device, f.Input.Visitor.Country, f.Input.Visitor.Language
	out.Way = f.Way
	out.Name, out.Email = f.Name, f.Email
	if f.Consent != "" {
		at := out.At
		out.Consent, out.ConsentAt = f.Consent, &at
	}
	out.Given = map[string]walk.Answer{}
	scores := map[string]string{}
	cells := score.Cells(d, res)
	for i, column := range score.Columns(d) {
		scores[column] = cells[i]
	}
	for _, id := range res.Path {
		out.Given[id] = f.Input.Answers[id]
	}
	for _, part := range []struct {
		to    *[]byte
		value any
	}{
		{&out.Scores, scores},
		{&out.Answers, out.Given},
		{&out.Params, f.Input.Params},
		{&out.Contact, f.Contact},
		{&out.Labels, f.Labels},
	} {
		var err error
		if *part.to, err = json.Marshal(part.value); err != nil {
			return nil, err
		}
	}
	return out, nil
}
