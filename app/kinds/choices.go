package kinds

import (
	"slices"

	"omphalos/core/kind"
)

// maxNumbered is how many answers have a digit as their key.
const maxNumbered = 9

// choices are boxes of which one or several are ticked, or a menu.
func choices(b *Block, a kind.Answer, p Page) {
	q, several := b.Q, kind.Of(b.Q).About().Many
	b.Grouped = q.Display != "dropdown" || several
	for n, c := range p.Choices(q) {
		in := Input{
			Name:    q.ID,
			Value:   c.ID,
			Label:   p.Fill(c.Title()),
			Checked: slices.Contains(a.Picks, c.ID),
			Picture: p.Picture(c.Image, c.Alt),
			Alone:   c.Exclusive,
			Type:    "radio",
		}
		if several {
			in.Type = "checkbox"
		}
		if n < maxNumbered {
			in.Numbered = n + 1
		}
		if c.Other {
			b.HasOther, in.Other = true, fillIn(q, a, p)
		}
		b.Inputs = append(b.Inputs, in)
	}
}

// fillIn is the field of a choice that asks for one.
func fillIn(q *kind.Question, a kind.Answer, p Page) *Input {
	name := q.ID + ".other"
	value := a.Other
	if value == "" {
		value = p.Typed(name)
	}
	return &Input{Name: name, Value: value, Label: p.Say("say_which")}
}
