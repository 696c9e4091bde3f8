package workbench

import (
	"encoding/json"
	"slices"
	"strconv"
	"strings"

	"omphalos/app/edit"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/say"
)

// Acts are what the controls of all rooms can mean, by name; docs/frontend.md lists them.
func Acts() map[string]edit.Acting {
	return map[string]edit.Acting{
		"drop":   drop,
		"twin":   twin,
		"member": member,

		"outcome.new":   newOutcome,
		"outcomes.fill": fillOutcomes,
		"column.name":   nameColumn,
		"branch.set":    setBranch,

		"condition.fact":  onCondition(changeFact),
		"condition.op":    onCondition(changeOp),
		"condition.group": onCondition(changeGroup),
		"condition.and":   onCondition(addCondition("all")),
		"condition.or":    onCondition(addCondition("any")),
		"condition.more":  onCondition(addCondition("")),
		"condition.drop":  dropCondition,
	}
}

// Refused is the error of an act that cannot be done, with what to do instead.
func Refused(message, fix say.Text) error {
	return quiz.Problems{quiz.NewProblem("", fix, message)}
}

// text reads the value of an act as text.
func textOf(value json.RawMessage) (string, error) {
	var s string
	if err := json.Unmarshal(value, &s); err != nil {
		return "", Refused(newTextMissing.With(), loadPageAgain.With())
	}
	return s, nil
}

// LineAt splits the pointer of an element into its list and its place there.
func LineAt(pointer string) (list string, n int, ok bool) {
	i := strings.LastIndexByte(pointer, '/')
	if i < 0 {
		return "", 0, false
	}
	n, err := strconv.Atoi(pointer[i+1:])
	return pointer[:i], n, err == nil
}

// place is where in a walk a condition is looked at.
func place(d *quiz.Document, pointer string) builder {
	parts := strings.Split(strings.TrimPrefix(pointer, "/"), "/")
	switch parts[0] {
	case "messages":
		return builder{d, len(d.Questions), true}
	case "questions":
		if n, err := strconv.Atoi(parts[1]); err == nil {
			if len(parts) > 2 && parts[2] == "branches" {
				n++
			}
			return builder{d: d, before: n}
		}
	}
	return builder{d: d, before: len(d.Questions)}
}

// conditionAct changes a condition: it is given the condition as it is now, and returns what stands there next.
type conditionAct func(b builder, c *rule.Condition, value string) (rule.Condition, error)

// onCondition makes an act of a change of the condition at its place.
func onCondition(change conditionAct) edit.Acting {
	return func(d *quiz.Document, at string, value json.RawMessage) (edit.Change, error) {
		var now rule.Condition
		if !d.Read(at, &now) {
			return edit.Change{}, Refused(conditionNoLongerExists.With(), loadPageAgain.With())
		}
		said := ""
		if len(value) > 0 && string(value) != "null" {
			var err error
			if said, err = textOf(value); err != nil {
				return edit.Change{}, err
			}
		}
		next, err := change(place(d, at), &now, said)
		return edit.Change{Patch: quiz.Patch{quiz.Set(at, next)}}, err
	}
}

func changeFact(b builder, _ *rule.Condition, fact string) (rule.Condition, error) {
	return b.fresh(fact), nil
}

func changeOp(b builder, c *rule.Condition, op string) (rule.Condition, error) {
	return b.withOp(c, rule.Op(op)), nil
}

func changeGroup(_ builder, c *rule.Condition, name string) (rule.Condition, error) {
	list, _ := group(c)
	return groupOf(name, list), nil
}

// addCondition puts one more comparison next to what is there: into the group that it is, or into a new one. With a
// value, "group", it comes in a group of its own.
func addCondition(joined string) conditionAct {
	return func(b builder, c *rule.Condition, what string) (rule.Condition, error) {
		fresh := DefaultCondition(b.d, b.before)
		if b.atEnd {
			fresh = EndCondition(b.d)
		}
		list, name := group(c)
		if name == "" {
			return groupOf(quiz.FirstOf(joined, "all"), []rule.Condition{*c, fresh}), nil
		}
		if what == "group" {
			other := "any"
			if name == "any" {
				other = "all"
			}
			fresh = groupOf(other, []rule.Condition{fresh})
		}
		next := groupOf(name, append(slices.Clone(list), fresh))
		if name == "of" {
			next.AtLeast = c.AtLeast
		}
		return next, nil
	}
}

// dropCondition deletes a condition. One that is left of a group of two needs no group.
func dropCondition(d *quiz.Document, at string, _ json.RawMessage) (edit.Change, error) {
	var c rule.Condition
	if !d.Read(at, &c) {
		return edit.Change{}, Refused(conditionNoLongerExists.With(), loadPageAgain.With())
	}
	out := edit.Change{Said: "The condition “" + quiz.Shorten(d.Sentence(&c), 80) + "” deleted."}
	list, n, inGroup := LineAt(at)
	name := list[strings.LastIndexByte(list, '/')+1:]
	if !inGroup || !slices.ContainsFunc(groupNames, func(g struct{ id, name string }) bool { return g.id == name }) {
		out.Patch = quiz.Patch{quiz.Remove(at)}
		return out, nil
	}
	around := strings.TrimSuffix(list, "/"+name)
	var whole rule.Condition
	if !d.Read(around, &whole) {
		return edit.Change{}, Refused(conditionNoLongerExists.With(), loadPageAgain.With())
	}
	items, _ := group(&whole)
	switch {
	case len(items) == 2 && name != "none":
		out.Patch = quiz.Patch{quiz.Set(around, items[1-n])}
	case name == "of" && whole.AtLeast > len(items)-1: // one fewer can hold
		out.Patch = quiz.Patch{quiz.Set(around+"/at_least", len(items)-1), quiz.Remove(at)}
	default:
		out.Patch = quiz.Patch{quiz.Remove(at)}
	}
	return out, nil
}

// member puts a value into the list at a place, or takes it out. A cell of a decision table without a value has any; a
// chart that shows nothing goes.
func member(d *quiz.Document, at string, value json.RawMessage) (edit.Change, error) {
	var m struct {
		Value string `json:"value"`
		In    bool   `json:"in"`
	}
	if err := json.Unmarshal(value, &m); err != nil {
		return edit.Change{}, Refused(valueMissing.With(), loadPageAgain.With())
	}
	var list []rule.Scalar
	d.Read(at, &list)
	i := slices.IndexFunc(list, func(s rule.Scalar) bool { return s.String() == m.Value })
	switch {
	case m.In == (i >= 0):
		return edit.Change{}, nil // it is as it was meant
	case m.In && list == nil:
		return edit.Change{Patch: quiz.Patch{quiz.Set(at, []string{m.Value})}}, nil
	case m.In:
		return edit.Change{Patch: quiz.Patch{quiz.Add(at+"/-", m.Value)}}, nil
	case len(list) == 1 && strings.Contains(at, "/cells/"):
		return edit.Change{Patch: quiz.Patch{quiz.Set(at, nil)}}, nil
	case len(list) == 1 && strings.Contains(at, "/charts/"):
		return edit.Change{Patch: quiz.Patch{quiz.Remove(strings.TrimSuffix(at, "/of"))}}, nil
	}
	return edit.Change{Patch: quiz.Patch{quiz.Remove(at + quiz.Pointer(i))}}, nil
}

// twin puts a copy of a question or an answer behind it. A question’s branches stay with the first: two questions that
// lead elsewhere by the same answers are rarely meant.
func twin(d *quiz.Document, at string, _ json.RawMessage) (edit.Change, error) {
	list, n, ok := LineAt(at)
	if !ok {
		return edit.Change{}, Refused(onlyQuestionsAnswersCanDuplicated.With(), say.Text{})
	}
	next := list + quiz.Pointer(n+1)
	switch parts := strings.Split(at, "/"); {
	case list == "/questions":
		q := d.Questions[n]
		q.ID = quiz.Unused("q", func(id string) bool { return d.Question(id) >= 0 })
		q.Branches = nil
		return edit.Change{Patch: quiz.Patch{quiz.Add(next, q)}, Focus: "/questions/@" + q.ID + "/text"}, nil
	case len(parts) == 5 && parts[3] == "choices":
		i, err := strconv.Atoi(parts[2])
		if err != nil {
			break
		}
		q := &d.Questions[i]
		c := q.Choices[n]
		c.ID = quiz.Unused("a", func(id string) bool { return q.Choice(id) >= 0 })
		return edit.Change{Patch: quiz.Patch{quiz.Add(next, c)}, Focus: d.Ref(list) + "/@" + c.ID + "/label"}, nil
	}
	return edit.Change{}, Refused(onlyQuestionsAnswersCanDuplicated.With(), say.Text{})
}

// newOutcome makes an outcome, and stores its id at the place, unless that is the document itself. For a branch the id
// is where it leads. The value is its name, or its name and id.
func newOutcome(d *quiz.Document, at string, value json.RawMessage) (edit.Change, error) {
	var v struct {
		Name string `json:"name"`
		ID   string `json:"id"`
	}
	if json.Unmarshal(value, &v) != nil {
		var err error
		if v.Name, err = textOf(value); err != nil {
			return edit.Change{}, err
		}
	}
	o := FreshOutcome(d)
	if v.ID != "" && d.Outcome(v.ID) == nil {
		o.ID = v.ID
	}
	if v.Name = strings.TrimSpace(v.Name); v.Name != "" {
		o.Name = v.Name
	}
	out := edit.Change{Patch: quiz.Patch{AddTo("/outcomes", o)}}
	switch {
	case at == "" || at == "/":
	case strings.HasSuffix(at, "/go"):
		out.Patch = append(out.Patch, quiz.Set(at, "outcome:"+o.ID))
	default:
		out.Patch = append(out.Patch, quiz.Set(at, o.ID))
	}
	out.Patch = WithoutLeftover(d, out.Patch)
	return out, nil
}

// maxColumns is how many columns one edit makes.
const maxColumns = 40

// nameColumn names the scale or keyword at a place. Several names, with commas between them or pasted one a line, make
// a column of each, if nothing counts for this one yet.
func nameColumn(d *quiz.Document, at string, value json.RawMessage) (edit.Change, error) {
	text, err := textOf(value)
	if err != nil {
		return edit.Change{}, err
	}
	list, n, ok := LineAt(at)
	if !ok || list != "/scales" && list != "/keywords" {
		return edit.Change{}, Refused(columnNoLongerExists.With(), loadPageAgain.With())
	}
	names := splitNames(text)
	if len(names) < 2 || counts(d, list, n) {
		return edit.Change{Patch: quiz.Patch{quiz.Set(at+"/name", text)}}, nil
	}
	if len(names) > maxColumns {
		return edit.Change{}, Refused(youCanAddAtMost.With(strconv.Itoa(maxColumns)), typeFewerNames.With())
	}
	out := edit.Change{Patch: quiz.Patch{quiz.Set(at+"/name", names[0])}}
	taken := map[string]bool{}
	for i, name := range names[1:] {
		unused := func(prefix string, there func(id string) bool) string {
			id := quiz.Unused(prefix, func(id string) bool { return taken[id] || there(id) })
			taken[id] = true
			return id
		}
		place := list + quiz.Pointer(n+1+i)
		if list == "/scales" {
			s := quiz.Scale{ID: unused("s", func(id string) bool { return d.Scale(id) != nil })}
			s.Name = name
			out.Patch = append(out.Patch, quiz.Add(place, s))
			continue
		}
		k := quiz.Keyword{ID: unused("k", func(id string) bool { return d.Keyword(id) != nil })}
		k.Name = name
		out.Patch = append(out.Patch, quiz.Add(place, k))
	}
	return out, nil
}

// counts reports whether a question counts for a column.
func counts(d *quiz.Document, list string, n int) bool {
	return len(dropColumn(d, strings.TrimPrefix(list, "/"), n).Patch) > 1
}

// splitNames reads names that are typed with commas between them or pasted one a line or cell.
func splitNames(text string) []string {
	var out []string
	for _, name := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(",;\n\r\t", r) }) {
		if name = strings.Join(strings.Fields(name), " "); name != "" {
			out = append(out, name)
		}
	}
	return out
}

// setBranch says where an answer leads: value has the answer and the place; an empty place takes the branch away.
func setBranch(d *quiz.Document, at string, value json.RawMessage) (edit.Change, error) {
	var v struct {
		Choice string `json:"choice"`
		Go     string `json:"go"`
		Made   string `json:"made"` // the name of a new outcome to lead to
	}
	list, n, ok := LineAt(at)
	if err := json.Unmarshal(value, &v); err != nil || !ok || list != "/questions" || n >= len(d.Questions) {
		return edit.Change{}, Refused(answerMissing.With(), loadPageAgain.With())
	}
	q := &d.Questions[n]
	if q.Choice(v.Choice) < 0 {
		return edit.Change{}, quiz.Gone(at)
	}
	var made quiz.Patch
	if v.Made != "" {
		o := FreshOutcome(d)
		o.Name, v.Go = v.Made, "outcome:"+o.ID
		made = quiz.Patch{AddTo("/outcomes", o)}
	}
	for b := range q.Branches {
		if j, its := AnswerOf(q, &q.Branches[b]); its && q.Choices[j].ID == v.Choice {
			branch := at + quiz.Pointer("branches", b)
			if v.Go == "" {
				return edit.Change{Patch: quiz.Patch{quiz.Remove(branch)}}, nil
			}
			return edit.Change{Patch: WithoutLeftover(d, append(made, quiz.Set(branch+"/go", v.Go)))}, nil
		}
	}
	if v.Go == "" {
		return edit.Change{}, nil
	}
	added := AddTo(at+"/branches", quiz.Branch{When: kind.Gave(q, v.Choice), Go: v.Go})
	return edit.Change{Patch: WithoutLeftover(d, append(made, added))}, nil
}

// AnswerOf returns the position of the one answer that a branch belongs to: its condition is just that answer.
func AnswerOf(q *quiz.Question, b *quiz.Branch) (int, bool) {
	w := &b.When
	if !kind.Of(q).About().Picks || w.Value == nil || w.Value.IsList || len(w.Value.List) != 1 {
		return 0, false
	}
	given := kind.Gave(q, w.Value.List[0].String())
	if w.Fact != given.Fact || w.Op != given.Op {
		return 0, false
	}
	j := q.Choice(w.Value.List[0].String())
	return j, j >= 0
}
