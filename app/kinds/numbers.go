package kinds

import (
	"strconv"
	"strings"

	"omphalos/core/kind"
)

// maxRatings bounds how many values of a rating are shown.
const maxRatings = 200

// rating is a row of steps.
func rating(b *Block, a kind.Answer, _ Page) {
	q := b.Q
	b.Grouped = true
	for n := *q.From; n.Cmp(*q.To) <= 0 && len(b.Inputs) < maxRatings; n = n.Add(q.Increment()) {
		text := n.String()
		in := Input{Name: q.ID, Value: text, Label: text, Checked: a.Number != nil && a.Number.Cmp(n) == 0}
		if len(text) == 1 {
			in.Numbered, _ = strconv.Atoi(text)
		}
		b.Inputs = append(b.Inputs, in)
	}
}

// number is a field for a number, with its range.
func number(b *Block, a kind.Answer, p Page) {
	q := b.Q
	in := Input{Name: q.ID, Type: "text", Value: p.Typed(q.ID)}
	if a.Number != nil {
		in.Value = a.Number.String()
	}
	b.Inputs = []Input{in}
	b.Range = q.Unit
	if q.Bounded() {
		b.Range = strings.TrimSpace(q.From.String() + " – " + q.To.String() + " " + q.Unit)
	}
}
