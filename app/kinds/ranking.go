package kinds

import (
	"strconv"

	"omphalos/core/kind"
)

// ranking is a menu for each place, from the best on: it needs no script and no mouse. With scripts, respond.js makes a
// list of it in which answers are put in order by pressing them.
func ranking(b *Block, a kind.Answer, p Page) {
	q := b.Q
	b.Grouped = true
	_, most := q.Picks()
	offered := p.Choices(q)
	for place := range most {
		line := GridLine{Label: strconv.Itoa(place + 1), Name: q.ID}
		for _, c := range offered {
			in := Input{
				Name: q.ID, Value: c.ID, Label: p.Fill(c.Title()), Picture: p.Picture(c.Image, c.Alt),
				Checked: place < len(a.Picks) && a.Picks[place] == c.ID,
			}
			if c.Other && b.Inputs == nil {
				b.HasOther = true
				b.Inputs = []Input{*fillIn(q, a, p)}
			}
			line.Inputs = append(line.Inputs, in)
		}
		b.Rows = append(b.Rows, line)
	}
}
