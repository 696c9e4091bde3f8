package kinds

import "omphalos/core/kind"

// line is a field for a text.
func line(inputType, autocomplete string) func(*Block, kind.Answer, Page) {
	return func(b *Block, a kind.Answer, p Page) {
		value := a.Text
		if value == "" {
			value = p.Typed(b.Q.ID)
		}
		b.Inputs = []Input{{Name: b.Q.ID, Type: inputType, Value: value, Auto: autocomplete}}
	}
}

// consent is a box to tick.
func consent(b *Block, a kind.Answer, p Page) {
	b.Inputs = []Input{{Name: b.Q.ID, Value: "yes", Label: p.Say("yes"), Checked: a.Text != "", Type: "checkbox"}}
}
