package workbench

import (
	"encoding/json"
	"slices"
	"strconv"

	"omphalos/app/edit"
	"omphalos/core/quiz"
)

// OutcomeField is a column of the sheet of all outcomes.
type OutcomeField struct {
	ID, Head string
	Of       func(o *quiz.Outcome) string // what the sheet shows of an outcome
	put      func(o *quiz.Outcome, value string)
}

// OutcomeFields are the columns of the sheet, in their order.
var OutcomeFields = []OutcomeField{
	{"name", "Name", func(o *quiz.Outcome) string { return o.Name }, func(o *quiz.Outcome, v string) { o.Name = v }},
	{"heading", "Heading", func(o *quiz.Outcome) string { return o.Heading }, func(o *quiz.Outcome, v string) { o.Heading = v }},
	{"text", "Text", func(o *quiz.Outcome) string { return o.Text }, func(o *quiz.Outcome, v string) { o.Text = v }},
	{"button", "Button", func(o *quiz.Outcome) string { return firstButton(o).Label }, putButtonLabel},
	{"url", "Address", addressOf, putAddress},
}

func firstButton(o *quiz.Outcome) quiz.Button {
	if o.Ending == nil || len(o.Ending.Buttons) == 0 {
		return quiz.Button{}
	}
	return o.Ending.Buttons[0]
}

func redirects(o *quiz.Outcome) bool { return o.Ending != nil && o.Ending.Kind == quiz.EndRedirect }

// addressOf returns the address of a redirect, or of the first button.
func addressOf(o *quiz.Outcome) string {
	if redirects(o) {
		return o.Ending.URL
	}
	return firstButton(o).URL
}

func putButtonLabel(o *quiz.Outcome, label string) {
	putButton(o, quiz.Button{Label: label, URL: firstButton(o).URL})
}

func putAddress(o *quiz.Outcome, url string) {
	if redirects(o) {
		next := *o.Ending
		next.URL = url
		o.Ending = &next
		return
	}
	putButton(o, quiz.Button{Label: firstButton(o).Label, URL: url})
}

// putButton replaces the first button; an empty one is left out. The outcome gets an ending of its own, because the
// old one belongs to the document that is shown.
func putButton(o *quiz.Outcome, b quiz.Button) {
	if b == firstButton(o) {
		return
	}
	next := quiz.Ending{Kind: quiz.EndPage}
	if o.Ending != nil {
		next = *o.Ending
	}
	var rest []quiz.Button
	if len(next.Buttons) > 0 {
		rest = next.Buttons[1:]
	}
	next.Buttons = slices.Clone(rest)
	if b != (quiz.Button{}) {
		next.Buttons = append([]quiz.Button{b}, rest...)
	}
	o.Ending = &next
}

// maxPasted is how many outcomes can be pasted together.
const maxPasted = 200

// fillOutcomes fills the sheet of all outcomes from a pasted block: a row for each outcome from the one at the place
// on, a column for each field from the named one on. Rows behind the last outcome make new ones.
func fillOutcomes(d *quiz.Document, at string, value json.RawMessage) (edit.Change, error) {
	var v struct {
		Field string     `json:"field"`
		Rows  [][]string `json:"rows"`
	}
	if err := json.Unmarshal(value, &v); err != nil || len(v.Rows) == 0 {
		return edit.Change{}, Refused(blockEmpty.With(), copyBlockCellsFirst.With())
	}
	from := slices.IndexFunc(OutcomeFields, func(f OutcomeField) bool { return f.ID == v.Field })
	_, n, ok := LineAt(at)
	if !ok || n >= len(d.Outcomes) {
		n = len(d.Outcomes)
	}
	if from < 0 {
		return edit.Change{}, Refused(columnNoLongerExists.With(), loadPageAgain.With())
	}
	if len(v.Rows) > maxPasted {
		return edit.Change{}, Refused(youCanPasteAtMost.With(strconv.Itoa(maxPasted)), pasteFewerRows.With())
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
				OutcomeFields[from+k].put(&o, cell)
			}
		}
		if o.Name == "" {
			o.Name = quiz.FirstOf(quiz.Shorten(o.Heading, 60), "Outcome "+strconv.Itoa(at+1))
		}
		if fresh {
			out.Patch = append(out.Patch, AddTo("/outcomes", o))
			if next := from + 1; len(v.Rows) == 1 && next < len(OutcomeFields) {
				out.Focus = "/outcomes/@" + o.ID + "/sheet/" + OutcomeFields[next].ID
			}
		} else {
			out.Patch = append(out.Patch, quiz.Set(quiz.Pointer("outcomes", at), o))
		}
	}
	out.Patch = WithoutLeftover(d, out.Patch)
	return out, nil
}
