package reach

import (
	"context"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

// Move is what someone goes through who ends elsewhere in a changed quiz.
type Move struct {
	From, To string // outcome ids
	Count    int    // how many of those who were tried
	Witness  map[string]any
}

// Moved tries respondents of a document, drawn as Options assume them, in a changed one, and returns who ends
// elsewhere, the most frequent move first, and how many were tried. What one of the two cannot take of an answer is
// blank there.
func Moved(ctx context.Context, before, after *quiz.Document, n int, o Options) ([]Move, int, error) {
	m, err := newModel(ctx, before, o.Assume)
	if err != nil {
		return nil, 0, err
	}
	changed, err := walk.New(after)
	if err != nil {
		return nil, 0, err
	}
	s := newSampler(m)
	at := map[[2]string]int{}
	var out []Move
	for range n {
		if ctx.Err() != nil {
			return nil, 0, ctx.Err()
		}
		in := walk.Input{Answers: map[string]walk.Answer{}, Params: map[string]string{}}
		s.next(&in)
		res := m.c.Walk(in)
		from, to := res.Outcome, changed.Walk(validAnswers(after, in)).Outcome
		if from == to {
			continue
		}
		k, known := at[[2]string{from, to}]
		if !known {
			k = len(out)
			at[[2]string{from, to}] = k
			out = append(out, Move{From: from, To: to, Witness: fields(m.c, in, res)})
		}
		out[k].Count++
	}
	for i := range out { // a few moves: the most frequent first
		for j := i; j > 0 && out[j].Count > out[j-1].Count; j-- {
			out[j], out[j-1] = out[j-1], out[j]
		}
	}
	return out, n, nil
}

// validAnswers are the answers that a document takes.
func validAnswers(d *quiz.Document, in walk.Input) walk.Input {
	out := in
	out.Answers = make(map[string]walk.Answer, len(in.Answers))
	for i := range d.Questions {
		q := &d.Questions[i]
		a, given := in.Answers[q.ID]
		if !given || a.Blank() {
			continue
		}
		fields := a.Fields(q)
		if a, err := kind.Read(q, func(name string) []string { return fields[name] }); err == nil {
			out.Answers[q.ID] = a
		}
	}
	return out
}
