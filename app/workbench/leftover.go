package workbench

import (
	"encoding/json"
	"reflect"
	"slices"
	"strconv"

	"omphalos/app/edit"
	"omphalos/core/quiz"
)

// A new quiz begins with an outcome, as it needs one for everyone else, and with a scale. Once something of the
// person's own takes its place, what was never touched goes.

// WithoutLeftover takes the outcome that a new quiz began with away in an edit that makes the first real one, if nobody
// has touched it and only everyone else leads to it: they go to the new one then.
func WithoutLeftover(d *quiz.Document, patch quiz.Patch) quiz.Patch {
	if !untouchedOutcome(d) || d.Otherwise != d.Outcomes[0].ID {
		return patch
	}
	at := quiz.Pointer("outcomes", 0)
	for _, user := range mentions(d, at, []string{"outcome:" + d.Outcomes[0].ID, "=" + d.Outcomes[0].ID}) {
		if user != d.Named("/otherwise") {
			return patch
		}
	}
	for _, op := range patch {
		var o quiz.Outcome
		if op.Op == "add" && op.Path == "/outcomes/-" && json.Unmarshal(op.Value, &o) == nil {
			return append(patch, quiz.Set("/otherwise", o.ID), quiz.Remove(d.Ref(at)))
		}
	}
	return patch
}

// WithoutScore takes the scale that a new quiz began with away in an edit that makes the first keyword, if nobody has
// touched it.
func WithoutScore(d *quiz.Document, patch quiz.Patch) quiz.Patch {
	if len(d.Keywords) > 0 || !untouchedScale(d) {
		return patch
	}
	return append(patch, quiz.Remove(d.At("scales", 0)))
}

// untouchedScale reports whether the only scale is the one that a new quiz begins with, and nothing counts for it.
func untouchedScale(d *quiz.Document) bool {
	begun := quiz.New("").Scales
	if len(d.Scales) != 1 || len(begun) != 1 || !reflect.DeepEqual(d.Scales[0], begun[0]) {
		return false
	}
	points, _ := given(d.Questions)
	id := d.Scales[0].ID
	return points == 0 && len(mentions(d, "/scales/0", []string{"scale." + id, "percent." + id})) == 0
}

// untouchedOutcome reports whether the only outcome is the one that a new quiz begins with, and is as it began.
func untouchedOutcome(d *quiz.Document) bool {
	begun := quiz.New("").Outcomes
	return len(d.Outcomes) == 1 && len(begun) == 1 && reflect.DeepEqual(d.Outcomes[0], begun[0])
}

// fillOutcomes fills the sheet of all outcomes from a pasted block: a row for each outcome from the one at the place on,
// a column for each field from the named one on. Rows behind the last outcome make new ones.
func fillOutcomes(d *quiz.Document, at string, value json.RawMessage) (edit.Change, error) {
	var v struct {
		Field string     `json:"field"`
		Rows  [][]string `json:"rows"`
	}
	if err := json.Unmarshal(value, &v); err != nil || len(v.Rows) == 0 {
		return edit.Change{}, invalid("there is nothing to paste", "Copy a block of cells first.")
	}
	from := slices.Index(OutcomeFields, v.Field)
	_, n, ok := lineAt(at)
	if !ok || n >= len(d.Outcomes) {
		n = len(d.Outcomes)
	}
	if from < 0 {
		return edit.Change{}, invalid("the sheet has no such column", "Load the page again.")
	}
	const most = 200
	if len(v.Rows) > most {
		return edit.Change{}, invalid("at most "+strconv.Itoa(most)+" outcomes can be pasted at once", "")
	}
	var out edit.Change
	taken := map[string]bool{}
	for i, row := range v.Rows {
		at, o := n+i, quiz.Outcome{}
		fresh := at >= len(d.Outcomes)
		if fresh {
			o = FreshOutcome(d)
			o.ID = quiz.Unused("o", func(id string) bool { return taken[id] || d.Outcome(id) != nil })
			taken[o.ID] = true
			o.Name = ""
		} else {
			o = d.Outcomes[at]
		}
		for k, cell := range row {
			if from+k < len(OutcomeFields) {
				PutOutcomeField(&o, OutcomeFields[from+k], cell)
			}
		}
		if o.Name == "" {
			o.Name = quiz.FirstOf(quiz.Shorten(o.Heading, 60), "Outcome "+strconv.Itoa(at+1))
		}
		if fresh {
			out.Patch = append(out.Patch, AddTo("/outcomes", o))
			if next := from + 1; len(v.Rows) == 1 && next < len(OutcomeFields) {
				out.Focus = "/outcomes/@" + o.ID + "/sheet/" + OutcomeFields[next]
			}
		} else {
			out.Patch = append(out.Patch, quiz.Set(quiz.Pointer("outcomes", at), o))
		}
	}
	out.Patch = WithoutLeftover(d, out.Patch)
	return out, nil
}

// OutcomeFields are the columns of the sheet of all outcomes.
var OutcomeFields = []string{"name", "heading", "text", "button", "url"}

// OutcomeField is what a field of that sheet shows of an outcome. The address is that of the redirect, or of the first
// button.
func OutcomeField(o *quiz.Outcome, field string) string {
	e := o.Ending
	switch field {
	case "name":
		return o.Name
	case "heading":
		return o.Heading
	case "text":
		return o.Text
	case "button":
		if e != nil && len(e.Buttons) > 0 {
			return e.Buttons[0].Label
		}
	case "url":
		if e != nil && e.Kind == quiz.EndRedirect {
			return e.URL
		}
		if e != nil && len(e.Buttons) > 0 {
			return e.Buttons[0].URL
		}
	}
	return ""
}

// PutOutcomeField sets what the field shows.
func PutOutcomeField(o *quiz.Outcome, field, value string) {
	ending := func() *quiz.Ending {
		next := quiz.Ending{Kind: quiz.EndPage}
		if o.Ending != nil {
			next = *o.Ending
		}
		next.Buttons = slices.Clone(next.Buttons)
		o.Ending = &next
		return o.Ending
	}
	button := func(put func(b *quiz.Button)) {
		if value == "" && (o.Ending == nil || len(o.Ending.Buttons) == 0) {
			return
		}
		e := ending()
		if len(e.Buttons) == 0 {
			e.Buttons = []quiz.Button{{}}
		}
		if put(&e.Buttons[0]); e.Buttons[0] == (quiz.Button{}) {
			e.Buttons = e.Buttons[1:]
		}
	}
	switch field {
	case "name":
		o.Name = value
	case "heading":
		o.Heading = value
	case "text":
		o.Text = value
	case "button":
		button(func(b *quiz.Button) { b.Label = value })
	case "url":
		if o.Ending != nil && o.Ending.Kind == quiz.EndRedirect {
			ending().URL = value
			return
		}
		button(func(b *quiz.Button) { b.URL = value })
	}
}
