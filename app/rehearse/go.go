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
	"omphalos/core/fact"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// pretendField is a fact that can be pretended.
type pretendField struct {
	Name, Label, Any string
	Options          []workbench.Option // none for a day
}

// pretendFields are the facts that can be pretended, besides link parameters.
func pretendFields(d *quiz.Document) []pretendField {
	var out []pretendField
	for _, k := range workbench.Before(&quiz.Document{}) {
		f := pretendField{Name: k.ID(), Label: k.Words, Any: "Any " + k.ID(), Options: workbench.KnownValues(d, k.Name)}
		if k.Type == rule.LanguageType {
			for _, code := range d.Languages() {
				f.Options = append(f.Options, workbench.Option{Name: quiz.LanguageName(code), Value: primary(code)})
			}
		}
		if k.Type == rule.HourType {
			for _, hour := range k.Values {
				f.Options = append(f.Options, workbench.Option{Name: hour + ":00", Value: hour})
			}
		}
		out = append(out, f)
	}
	return out
}

// pretend sets who is pretended to be there; it returns what of it cannot be, in words.
func pretend(r *engine.Rehearsal, query url.Values) string {
	who := r.Pretended()
	message := ""
	for _, k := range fact.All() {
		if !query.Has(k.ID()) {
			continue
		}
		value := strings.TrimSpace(query.Get(k.ID()))
		if _, err := time.Parse(time.DateOnly, value); k.Type.Day() && value != "" && err != nil {
			message, value = "Type the date like 2027-03-01.", ""
		}
		_ = k.Set(&who, value) // only the menus' values arrive here
	}
	if query.Has("params") {
		who.Params = map[string]string{}
		for _, pair := range strings.FieldsFunc(query.Get("params"), func(c rune) bool { return c == '&' || c == '\n' || c == ' ' }) {
			name, value, ok := strings.Cut(strings.TrimPrefix(pair, "?"), "=")
			if plain, err := url.QueryUnescape(value); ok && err == nil && name != "" {
				who.Params[name] = plain
			} else {
				message = "Type parameters like utm_source=newsletter&utm_medium=mail."
			}
		}
	}
	r.Pretend(who)
	return message
}

// toQuestion goes to a question: with the answers given where they lead there, else with those of someone who comes
// there.
func toQuestion(ctx context.Context, d *workbench.Draft, r *engine.Rehearsal, id string) (string, error) {
	doc := r.Doc()
	q := doc.Question(id)
	if q < 0 {
		return "This question no longer exists.", nil
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
			return fmt.Sprintf("These answers skip question %d, so some answers were changed to reach it.", q+1), nil
		}
		return "", nil
	}
	return fmt.Sprintf("No respondent is asked question %d.", q+1), nil
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
		return "This outcome no longer exists.", nil
	}
	whole, forbids, err := reach.Steer(ctx, doc, in, id, counting.Options())
	switch {
	case err != nil:
		return "", err
	case whole != nil:
		r.GoTo(-1, whole.Answers)
		return "", nil
	case len(in.Answers) == 0:
		return "No answers lead to " + doc.OutcomeName(id) + ".", nil
	case len(forbids) == 0:
		return fmt.Sprintf("%s is no longer possible with these answers, because of a combination "+
			"of them.", doc.OutcomeName(id)), nil
	}
	var names []string
	for _, q := range forbids {
		names = append(names, "“"+quiz.Shorten(in.Answers[q].Words(&doc.Questions[doc.Question(q)]), 40)+"”")
	}
	return fmt.Sprintf("%s is no longer possible, because you "+
		"answered %s.", doc.OutcomeName(id), strings.Join(names, " or ")), nil
}

// toCheck shows the ending of a kept check.
func toCheck(r *engine.Rehearsal, id string) string {
	i := r.Doc().Check(id)
	if i < 0 {
		return "This check no longer exists."
	}
	k := &r.Doc().Checks[i]
	in := check.Input(r.Doc(), k)
	r.Pretend(in.Visit())
	for _, id := range r.Walk().Walk(in).Path { // what is blank in a check was asked and left out
		if _, given := in.Answers[id]; !given {
			in.Answers[id] = walk.Answer{}
		}
	}
	r.GoTo(-1, in.Answers)
	return ""
}
