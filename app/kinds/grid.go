package kinds

import "omphalos/core/kind"

// grid is a row of choices for each line.
func grid(b *Block, a kind.Answer, p Page) {
	q := b.Q
	b.Grouped = true
	for _, c := range q.Choices {
		b.Columns = append(b.Columns, p.Fill(c.Title()))
	}
	for _, r := range q.Rows {
		name := q.ID + "." + r.ID
		line := GridLine{Label: p.Fill(r.Title()), Name: name, Error: p.Wrong(name)}
		for n, c := range q.Choices {
			in := Input{Name: name, Value: c.ID, Label: b.Columns[n], Checked: a.Rows[r.ID] == c.ID}
			line.Inputs = append(line.Inputs, in)
		}
		b.Rows = append(b.Rows, line)
	}
}
