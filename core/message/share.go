package message

import (
	"context"

	"omphalos/core/part"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

// Share is the share of all respondents that a message is for. Whether they leave an address, or agree, is not counted.
type Share struct {
	ID string `json:"id"`
	part.Part
}

// askedBy returns the condition of a message, which only outcomes that keep responses can meet.
func askedBy(d *quiz.Document, m *quiz.Message) part.Asked {
	return part.Asked{When: m.When, At: func(outcome string) bool {
		o := d.Outcome(outcome)
		return o != nil && o.Keeps()
	}}
}

// May returns the messages, in order, that can be sent to or about respondents who end at an outcome.
func May(d *quiz.Document, outcome string) []*quiz.Message {
	var out []*quiz.Message
	for i := range d.Messages {
		m := &d.Messages[i]
		if asked := askedBy(d, m); !m.Off && asked.Possible(outcome) {
			out = append(out, m)
		}
	}
	return out
}

// Counters remember what was counted of each message of a quiz, so that an edit of wording counts nothing.
type Counters struct {
	of map[string]*reach.Counter // by message id
}

// Shares counts every message that is switched on. whole is the count of the document itself: a message that only asks
// for outcomes is read off it.
func (c *Counters) Shares(
	ctx context.Context, d *quiz.Document, whole *reach.Report, o reach.Options,
) ([]Share, error) {
	used := map[string]*reach.Counter{}
	out := []Share{}
	for i := range d.Messages {
		m := &d.Messages[i]
		if m.Off {
			continue
		}
		asked := askedBy(d, m)
		s, done := asked.ReadOff(whole)
		if !done {
			counter := c.of[m.ID]
			if counter == nil {
				counter = &reach.Counter{}
			}
			used[m.ID] = counter
			var err error
			if s, err = asked.Count(ctx, d, counter, o); err != nil {
				return nil, err
			}
		}
		out = append(out, Share{ID: m.ID, Part: s})
	}
	c.of = used
	return out, nil
}
