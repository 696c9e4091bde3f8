package kind

import (
	"cmp"
	"errors"
	"maps"
	"math/big"
	"math/rand/v2"

	"omphalos/core/rule"
)

// Grid is the kind of a question with rows, each answered with one of the same choices.
const Grid Name = "grid"

type grid struct{ common }

func (grid) About() *About { return &aboutGrid }

var aboutGrid = About{Name: Grid, Words: "grid", Choices: true, Rows: true}

func (grid) Check(q *Question, report Report) {
	checkChoices(q, report)
	if len(q.Rows) == 0 {
		report("/rows", addARow.With(), gridHasNoRows.With(q.Title()))
	}
}

func (grid) Fields(q *Question) []string {
	names := make([]string, len(q.Rows))
	for i, r := range q.Rows {
		names[i] = q.ID + "." + r.ID
	}
	return names
}

func (grid) Read(q *Question, values func(string) []string) (Answer, error) {
	rows := map[string]string{}
	for _, r := range q.Rows {
		field := q.ID + "." + r.ID
		given := values(field)
		if len(given) == 0 {
			continue
		}
		if len(given) > 1 {
			return Answer{}, fault(field, "one_answer", len(given))
		}
		id, err := choiceOf(q, field, given[0])
		if err != nil {
			return Answer{}, err
		}
		rows[r.ID] = id
	}
	if len(rows) == 0 {
		rows = nil
	}
	return Answer{Rows: rows}, nil
}

// Missing names the first row without an answer.
func (grid) Missing(q *Question, a Answer) *FieldError {
	for _, r := range q.Rows {
		if a.Rows[r.ID] == "" {
			return fault(q.ID+"."+r.ID, "row")
		}
	}
	return nil
}

func (grid) Take(q *Question, g Given) (Answer, error) {
	if g.Number != nil || g.Text != "" || g.List != nil {
		return Answer{}, errForm
	}
	for row, id := range g.Rows {
		if q.Row(row) < 0 {
			return Answer{}, errors.New("unknown row “" + row + "”")
		}
		if err := checkIDs(q, []string{id}); err != nil {
			return Answer{}, err
		}
	}
	return Read(q, func(field string) []string {
		for row, id := range g.Rows {
			if field == q.ID+"."+row {
				return []string{id}
			}
		}
		return nil
	})
}

// Facts are the rows; the answer as a whole can only be there or not.
func (grid) Facts(q *Question) []Fact {
	out := []Fact{{Type: rule.TextType}}
	for i := range q.Rows {
		out = append(out, Fact{Part: q.Rows[i].ID, Words: q.Rows[i].Title(), Type: rule.ChoiceType, Whole: true})
	}
	return out
}

func (grid) Value(q *Question, a Answer, part string) rule.Value {
	if part != "" {
		return rule.TextValue(a.Rows[part])
	}
	var rows []string
	for _, r := range q.Rows {
		if c := a.Rows[r.ID]; c != "" {
			rows = append(rows, r.ID+"="+c)
		}
	}
	return rule.SetValue(rows)
}

func (grid) Counts(q *Question, a Answer, f func(int, rule.Number)) {
	for _, id := range a.Rows {
		if j := q.Choice(id); j >= 0 {
			f(j, once)
		}
	}
}

func (grid) Best(q *Question, points func(int) rule.Number, _ func() []rule.Number) rule.Number {
	return bestChoice(q, points).Mul(rule.Int(int64(len(q.Rows))))
}

func (grid) First(q *Question) Answer {
	if !q.Required || len(q.Choices) == 0 {
		return Answer{}
	}
	a := Answer{Rows: map[string]string{}}
	for _, row := range q.Rows {
		a.Rows[row.ID] = q.Choices[0].ID
	}
	return a
}

func (grid) Near(q *Question, a Answer) []Answer {
	var out []Answer
	for _, row := range q.Rows {
		for _, c := range q.Choices {
			if a.Rows[row.ID] != c.ID {
				out = append(out, Answer{Rows: joinRows(a.Rows, map[string]string{row.ID: c.ID})})
			}
		}
	}
	return out
}

// joinRows are the rows of two answers; nil where there is none.
func joinRows(a, b map[string]string) map[string]string {
	out := make(map[string]string, len(a)+len(b))
	maps.Copy(out, a)
	maps.Copy(out, b)
	if len(out) == 0 {
		return nil
	}
	return out
}

// Listed are the values of each row.
func (grid) Listed(q *Question) []string { return withBlank(q, choiceIDs(q)) }

// Options joins the rows, each answered as a single choice.
func (grid) Options(l *Listing) ([]Option, bool, error) {
	out := []Option{{P: 1, N: one, Effect: l.Gives(Answer{})}}
	for _, row := range l.Rows {
		choices := l.oneChoice(l.ID+"."+row.ID, func(a Answer) string { return a.Rows[row.ID] },
			func(ids []string) Answer { return Answer{Rows: map[string]string{row.ID: ids[0]}} })
		if err := l.Room(len(out) * len(choices) / 2); err != nil { // half of them at most end alike
			return nil, false, err
		}
		var next []Option
		for _, s := range out {
			for _, c := range choices {
				a := Answer{Rows: joinRows(s.Answer.Rows, c.Answer.Rows)}
				next = append(next,
					Option{s.P * c.P, new(big.Int).Mul(s.N, c.N), s.Effect.plus(c.Effect, once), a, l.Tell(a)})
			}
		}
		out = merge(next)
		if err := cmp.Or(l.Room(len(out)), l.Late()); err != nil {
			return nil, false, err
		}
	}
	for k := range out {
		out[k].Bits = l.Tell(out[k].Answer)
	}
	return merge(out), false, nil
}

func (grid) Count(l *Listing) *big.Int {
	row := big.NewInt(int64(len(l.Choices)) + l.blanks())
	return row.Exp(row, big.NewInt(int64(len(l.Rows))), nil)
}

func (grid) Draw(l *Listing, r *rand.Rand) func() Answer {
	wheels := make([]Wheel, len(l.Rows))
	for i := range l.Rows {
		wheels[i] = NewWheel(l.choiceWeights(l.ID + "." + l.Rows[i].ID))
	}
	return func() Answer {
		rows := make(map[string]string, len(wheels))
		for i, w := range wheels {
			if at := w.Turn(r); at < len(l.Choices) {
				rows[l.Rows[i].ID] = l.Choices[at].ID
			}
		}
		if len(rows) == 0 {
			return Answer{}
		}
		return Answer{Rows: rows}
	}
}

func (grid) Fresh() []Fresh {
	return []Fresh{form("Grid", func() Question {
		q := asked(Grid)
		q.Rows = []Row{{ID: "r1"}, {ID: "r2"}}
		q.Choices = []Choice{{ID: "a1", Label: "Never"}, {ID: "a2", Label: "Sometimes"}, {ID: "a3", Label: "Often"}}
		return q
	})}
}
