package quiz

import (
	"time"
)

// IDs are the ids of the lines of every list that has them, by the JSON Pointer of the list: anyone who edits a line by
// its number can name with them which one it means.
func (d *Document) IDs() map[string][]string {
	out := map[string][]string{}
	putIDs(out, "/scales", d.Scales, func(s *Scale) string { return s.ID })
	putIDs(out, "/keywords", d.Keywords, func(k *Keyword) string { return k.ID })
	putIDs(out, "/questions", d.Questions, func(q *Question) string { return q.ID })
	putIDs(out, "/sections", d.Sections, func(s *Section) string { return s.ID })
	putIDs(out, "/computed", d.Computed, func(c *Computed) string { return c.ID })
	putIDs(out, "/outcomes", d.Outcomes, func(o *Outcome) string { return o.ID })
	putIDs(out, "/checks", d.Checks, func(c *Check) string { return c.ID })
	putIDs(out, "/messages", d.Messages, func(m *Message) string { return m.ID })
	for i := range d.Questions {
		at := Pointer("questions", i)
		putIDs(out, at+"/choices", d.Questions[i].Choices, func(c *Choice) string { return c.ID })
		putIDs(out, at+"/rows", d.Questions[i].Rows, func(r *Row) string { return r.ID })
	}
	if d.Contact != nil {
		putIDs(out, "/contact/fields", d.Contact.Fields, func(f *ContactField) string { return f.ID })
	}
	return out
}

func putIDs[T any](out map[string][]string, at string, list []T, id func(*T) string) {
	if len(list) == 0 {
		return
	}
	ids := make([]string, len(list))
	for i := range list {
		ids[i] = id(&list[i])
	}
	out[at] = ids
}

// Zone is the time zone of the quiz: today, days and clocks follow it. It is UTC where the document names none, or
// one that this machine does not know (Validate says so).
func (d *Document) Zone() *time.Location {
	zone, err := time.LoadLocation(d.Settings.TimeZone)
	if err != nil {
		return time.UTC
	}
	return zone
}
