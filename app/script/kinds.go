package script

import (
	"encoding/json"
	"slices"

	"omphalos/app/edit"
	"omphalos/app/workbench"

	"omphalos/core/kind"
	"omphalos/core/quiz"
)

// form is a kind of question as people choose it: some are one kind of the document shown in another way.
type form struct {
	kind.Fresh
	kind kind.Name
}

// forms are those of all kinds.
var forms = func() []form {
	var out []form
	for _, name := range kind.Names {
		for _, f := range kind.Of(&quiz.Question{Kind: name}).Fresh() {
			out = append(out, form{f, name})
		}
	}
	return out
}()

// fresh is a new question of the form.
func (f form) fresh(id string) quiz.Question {
	q := f.Make()
	q.ID = id
	return q
}

// usualForms are what most quizzes are made of, and otherForms all others.
func usualForms() []form { return formsThat(true) }

func otherForms() []form { return formsThat(false) }

func formsThat(usual bool) []form {
	return slices.DeleteFunc(slices.Clone(forms), func(f form) bool { return f.Usual != usual })
}

// is reports whether a question is of this form.
func is(f form, q *quiz.Question) bool {
	if f.Preset || f.kind != q.Kind {
		return false
	}
	several := slices.ContainsFunc(forms, func(o form) bool { return o.kind == f.kind && o.Display != "" })
	return f.Display == q.Display || f.Display == "" && (q.Display == "list" || !several)
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
	i := slices.IndexFunc(forms, func(f form) bool { return f.Words == name })
	if i < 0 {
		return edit.Change{}, workbench.Refused(questionTypeDoesntExist.With(), loadPageAgain.With())
	}
	return edit.Change{Patch: become(&q, at, forms[i])}, nil
}

// become is the patch that turns a question into another kind, keeping what both kinds have.
func become(q *quiz.Question, at string, k form) quiz.Patch {
	if is(k, q) {
		return nil
	}
	ops := []quiz.Operation{add(at+"/kind", k.kind)}
	if k.Display != "" {
		ops = append(ops, add(at+"/display", k.Display))
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
	if about := kind.Of(&f).About(); len(q.Places) > 0 && !about.Ordered {
		ops = append(ops, remove(at+"/places"))
	}
	if !f.Required && q.Required {
		ops = append(ops, remove(at+"/required"))
	}
	return ops
}
