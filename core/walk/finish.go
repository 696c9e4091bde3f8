package walk

import "omphalos/core/quiz"

// Finish answers what someone has not answered yet with the first answer that can be given, until their walk ends.
func (c *Compiled) Finish(in *Input) {
	for {
		r := c.Advance(*in)
		if r.Pending < 0 {
			return
		}
		q := &c.Doc.Questions[r.Pending]
		a := Answer{}
		if q.Required {
			switch q.Kind {
			case quiz.Single, quiz.Multiple:
				least, _ := q.Picks()
				for j := 0; j < len(q.Choices) && (len(a.Picks) < least || q.Kind == quiz.Single && j == 0); j++ {
					a.Picks = append(a.Picks, q.Choices[j].ID)
				}
				if q.Kind == quiz.Single && len(a.Picks) > 1 {
					a.Picks = a.Picks[:1]
				}
			case quiz.Grid:
				a.Rows = map[string]string{}
				for _, row := range q.Rows {
					a.Rows[row.ID] = q.Choices[0].ID
				}
			case quiz.Rating, quiz.NumberQ:
				if q.From != nil {
					n := *q.From
					a.Number = &n
				}
			}
		}
		in.Answers[q.ID] = a
	}
}
