package rehearse

import (
	"context"
	"fmt"
	"net/url"
	"strings"
	"time"

	"omphalos/app/counting"
	"omphalos/app/engine"
	"omphalos/app/workbench"
	"omphalos/core/check"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/walk"
)

// pretend sets who is pretended to be there; it returns what of it cannot be, in words.
func pretend(r *engine.Rehearsal, query url.Values) string {
	who := r.Pretended()
	message := ""
	for name, field := range map[string]*string{"country": &who.Country, "language": &who.Language, "device": &who.Device} {
		if query.Has(name) {
			*field = strings.TrimSpace(query.Get(name))
		}
	}
	if query.Has("today") {
		who.Today = query.Get("today")
		if _, err := time.Parse(time.DateOnly, who.Today); who.Today != "" && err != nil {
			message, who.Today = "Write the day as in 2027-03-01.", ""
		}
	}
	if query.Has("params") {
		who.Params = map[string]string{}
		for _, pair := range strings.FieldsFunc(query.Get("params"), func(c rune) bool { return c == '&' || c == '\n' || c == ' ' }) {
			name, value, ok := strings.Cut(strings.TrimPrefix(pair, "?"), "=")
			if plain, err := url.QueryUnescape(value); ok && err == nil && name != "" {
				who.Params[name] = plain
			} else {
				message = "Write parameters as in utm_source=newsletter&utm_medium=mail."
			}
		}
	}
	r.Pretend(who)
	return message
}

// toQuestion goes to a question: with the answers given where they lead there, else with those of somebody who comes
// there.
func toQuestion(ctx context.Context, d *workbench.Draft, r *engine.Rehearsal, id string) (string, error) {
	doc := r.Doc()
	q := doc.Question(id)
	if q < 0 {
		return "That question is gone.", nil
	}
	in := r.Input()
	before := map[string]walk.Answer{}
	for id, a := range in.Answers {
		if doc.Question(id) < q {
			before[id] = a
		}
	}
	in.Answers = before
	if at := r.Walk().Advance(in).Pending; at == q {
		r.GoTo(q, before)
		return "", nil
	}
	for _, keep := range []bool{true, false} {
		from := in
		if !keep {
			from.Answers = nil
		}
		found, err := reach.OnTheWay(ctx, doc, from, q, counting.Options())
		if err != nil {
			return "", err
		}
		if found == nil {
			continue
		}
		r.GoTo(q, answersBefore(doc, found, q))
		if !keep && len(before) > 0 {
			return fmt.Sprintf("Question %d is not asked after those answers: others stand in their place.", q+1), nil
		}
		return "", nil
	}
	return fmt.Sprintf("Nobody is asked question %d.", q+1), nil
}

func answersBefore(d *quiz.Document, in *walk.Input, q int) map[string]walk.Answer {
	out := map[string]walk.Answer{}
	for id, a := range in.Answers {
		if d.Question(id) < q {
			out[id] = a
		}
	}
	return out
}

// toOutcome fills in the rest so that it ends at an outcome; keep says that the answers given must stay.
func toOutcome(ctx context.Context, d *workbench.Draft, r *engine.Rehearsal, id string, keep bool) (string, error) {
	doc := r.Doc()
	in := r.Input()
	if !keep {
		in.Answers = nil
	}
	if doc.Outcome(id) == nil {
		return "That outcome is gone.", nil
	}
	whole, forbids, err := reach.Steer(ctx, doc, in, id, counting.Options())
	switch {
	case err != nil:
		return "", err
	case whole != nil:
		r.GoTo(-1, whole.Answers)
		return "", nil
	case len(in.Answers) == 0:
		return "Nobody ends at " + doc.OutcomeName(id) + ".", nil
	case len(forbids) == 0:
		return fmt.Sprintf("From here nobody ends at %s; no single answer is to blame.", doc.OutcomeName(id)), nil
	}
	var names []string
	for _, q := range forbids {
		names = append(names, "“"+quiz.Shorten(in.Answers[q].Words(&doc.Questions[doc.Question(q)]), 40)+"”")
	}
	return fmt.Sprintf("From here nobody ends at %s: %s forbids it.", doc.OutcomeName(id), strings.Join(names, " or ")), nil
}

// toCheck shows the ending of a kept check.
func toCheck(r *engine.Rehearsal, id string) string {
	i := r.Doc().Check(id)
	if i < 0 {
		return "That check is gone."
	}
	k := &r.Doc().Checks[i]
	in := check.Input(r.Doc(), k)
	r.Pretend(engine.Pretended{Country: in.Visitor.Country, Language: in.Visitor.Language, Device: in.Visitor.Device, Today: in.Today, Params: in.Params})
	for _, id := range r.Walk().Walk(in).Path { // what is blank in a check was asked and left out
		if _, given := in.Answers[id]; !given {
			in.Answers[id] = walk.Answer{}
		}
	}
	r.GoTo(-1, in.Answers)
	return ""
}
