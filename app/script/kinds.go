package script

import (
	"encoding/json"
	"slices"

	"omphalos/app/edit"
	"omphalos/app/workbench"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// kindOf is a kind of question as people name it: some are one kind of the document shown in another way.
type kindOf struct {
	kind    quiz.Kind
	display string
	name    string
	preset  bool // only a beginning: it becomes one of the others
	fresh   func(id string) quiz.Question
}

var kinds = []kindOf{
	{quiz.Single, "", "Single choice", false, choices(quiz.Single, "")},
	{quiz.Multiple, "", "Multiple choice", false, choices(quiz.Multiple, "")},
	{quiz.Single, "pictures", "Picture choice", false, choices(quiz.Single, "pictures")},
	{quiz.Single, "dropdown", "Drop-down", false, choices(quiz.Single, "dropdown")},
	{quiz.Single, "yes", "Yes or no", true, func(id string) quiz.Question {
		return quiz.Question{
			ID:       id,
			Kind:     quiz.Single,
			Required: true,
			Choices:  []quiz.Choice{{ID: "yes", Label: "Yes"}, {ID: "no", Label: "No"}},
		}
	}},
	{quiz.Rating, "", "Rating", false, func(id string) quiz.Question {
		return quiz.Question{ID: id, Kind: quiz.Rating, Required: true, From: integer(1), To: integer(5)}
	}},
	{quiz.Rating, "ten", "Rating 0–10", true, func(id string) quiz.Question {
		return quiz.Question{ID: id, Kind: quiz.Rating, Required: true, From: integer(0), To: integer(10)}
	}},
	{quiz.NumberQ, "", "Number", false, func(id string) quiz.Question {
		return quiz.Question{ID: id, Kind: quiz.NumberQ, Required: true, From: integer(0), To: integer(100)}
	}},
	{quiz.Grid, "", "Grid", false, func(id string) quiz.Question {
		return quiz.Question{ID: id, Kind: quiz.Grid, Required: true, Rows: []quiz.Row{{ID: "r1"}, {ID: "r2"}},
			Choices: []quiz.Choice{
				{ID: "a1", Label: "Never"},
				{ID: "a2", Label: "Sometimes"},
				{ID: "a3", Label: "Often"},
			}}
	}},
	{quiz.ShortText, "", "Short text", false, plain(quiz.ShortText)},
	{quiz.LongText, "", "Long text", false, plain(quiz.LongText)},
	{quiz.Email, "", "Email", false, plain(quiz.Email)},
	{quiz.Phone, "", "Phone", false, plain(quiz.Phone)},
	{quiz.Date, "", "Date", false, plain(quiz.Date)},
	{quiz.Consent, "", "Consent", false, plain(quiz.Consent)},
	{
		quiz.Statement,
		"",
		"Statement",
		false,
		func(id string) quiz.Question { return quiz.Question{ID: id, Kind: quiz.Statement} },
	},
}

func choices(k quiz.Kind, display string) func(string) quiz.Question {
	return func(id string) quiz.Question {
		return quiz.Question{
			ID:       id,
			Kind:     k,
			Display:  display,
			Required: true,
			Choices:  []quiz.Choice{{ID: "a1"}, {ID: "a2"}},
		}
	}
}

func plain(k quiz.Kind) func(string) quiz.Question {
	return func(id string) quiz.Question { return quiz.Question{ID: id, Kind: k, Required: true} }
}

func integer(n int64) *rule.Number { v := rule.Int(n); return &v }

// usual are the kinds that most quizzes are made of, in the order in which they are offered.
var usual = []string{"Single choice", "Multiple choice", "Rating", "Rating 0–10", "Number", "Short text"}

func usualKinds() []kindOf {
	var out []kindOf
	for _, name := range usual {
		out = append(out, kinds[slices.IndexFunc(kinds, func(k kindOf) bool { return k.name == name })])
	}
	return out
}

func otherKinds() []kindOf {
	return slices.DeleteFunc(slices.Clone(kinds), func(k kindOf) bool { return slices.Contains(usual, k.name) })
}

// is reports whether a question is of this kind.
func (k kindOf) is(q *quiz.Question) bool {
	if k.preset || k.kind != q.Kind {
		return false
	}
	return k.display == q.Display || k.display == "" && (q.Display == "list" || q.Kind != quiz.Single)
}

// Acts are what controls of this room alone can mean.
func Acts() map[string]edit.Acting {
	return map[string]edit.Acting{"question.kind": changeKind}
}

// changeKind turns the question at a place into another kind.
func changeKind(d *quiz.Document, at string, value json.RawMessage) (edit.Change, error) {
	var name string
	var q quiz.Question
	if err := json.Unmarshal(value, &name); err != nil || !d.Read(at, &q) {
		return edit.Change{}, workbench.Refused(questionTypeMissing.With(), loadPageAgain.With())
	}
	i := slices.IndexFunc(kinds, func(k kindOf) bool { return k.name == name })
	if i < 0 {
		return edit.Change{}, workbench.Refused(questionTypeDoesntExist.With(), loadPageAgain.With())
	}
	return edit.Change{Patch: become(&q, at, kinds[i])}, nil
}

// become is the patch that turns a question into another kind, keeping what both kinds have.
func become(q *quiz.Question, at string, k kindOf) quiz.Patch {
	if k.is(q) {
		return nil
	}
	ops := []quiz.Operation{add(at+"/kind", k.kind)}
	if k.display != "" {
		ops = append(ops, add(at+"/display", k.display))
	} else if q.Display != "" {
		ops = append(ops, remove(at+"/display"))
	}
	f := k.fresh(q.ID)
	if len(f.Choices) > 0 && len(q.Choices) == 0 {
		ops = append(ops, add(at+"/choices", f.Choices))
	}
	if len(f.Rows) > 0 && len(q.Rows) == 0 {
		ops = append(ops, add(at+"/rows", f.Rows))
	}
	if f.From != nil && (q.From == nil || q.To == nil) {
		ops = append(ops, add(at+"/from", f.From), add(at+"/to", f.To))
	}
	if k.kind == quiz.Statement && q.Required {
		ops = append(ops, remove(at+"/required"))
	}
	return ops
}
