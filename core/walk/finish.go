package walk

import "omphalos/core/kind"

// Finish answers what someone has not answered yet with the first answer that can be given, until their walk ends.
func (c *Compiled) Finish(in *Input) {
	for {
		r := c.Advance(*in)
		if r.Pending < 0 {
			return
		}
		q := &c.Doc.Questions[r.Pending]
		in.Answers[q.ID] = kind.Of(q).First(q)
	}
}
