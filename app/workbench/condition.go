package workbench

import (
	"slices"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
)

// Condition is a condition as it is edited: the same builder in every room.
type Condition struct {
	Path     string
	Label    string // names it for who cannot see where it stands
	Nested   bool
	Group    string // all, any, none; "" for a comparison
	Groups   []Option
	Items    []*Condition
	Add      string // patches: one more comparison
	AddGroup string // … one more group within
	Drop     string // … without it; "" where it cannot go
	Facts    []Option
	Ops      []Option
	Value    ValueControl
	Sentence string
}

// ValueControl is what a comparison's value is typed or chosen with.
type ValueControl struct {
	Kind    string // choice, choices, countries, number, pair, text, list, date, dates, or "" for none
	Path    string
	Options []Option
	Text    string
	Text2   string
	Number  bool // of a list: of numbers
}

// NewCondition makes the builder of the condition at path. before is how many questions can have been answered when it is
// looked at; drop is the patch that takes it away, or "".
func NewCondition(d *quiz.Document, path string, c *rule.Condition, before int, label, drop string) *Condition {
	b := builder{d, before}
	out := b.condition(path, c, 0, drop)
	out.Label, out.Sentence = label, d.Sentence(c)
	return out
}

// DefaultCondition is the comparison that a new condition starts as: about the last question that can have been answered.
func DefaultCondition(d *quiz.Document, before int) rule.Condition {
	b := builder{d, before}
	for i := min(before, len(d.Questions)) - 1; i >= 0; i-- {
		if q := &d.Questions[i]; q.Kind != quiz.Statement && q.Kind != quiz.Grid {
			return b.fresh("answer." + q.ID)
		}
	}
	if len(d.Scales) > 0 {
		return b.fresh("scale." + d.Scales[0].ID)
	}
	return b.fresh("visitor.device")
}

type builder struct {
	d      *quiz.Document
	before int
}

// maxNesting is how deep groups can be made with the builder.
const maxNesting = 3

func (b builder) condition(path string, c *rule.Condition, depth int, drop string) *Condition {
	v := &Condition{Path: path, Nested: depth > 0, Drop: drop}
	fresh := DefaultCondition(b.d, b.before)
	list, name := group(c)
	v.Group = name
	if name == "" {
		b.comparison(v, c)
		v.Add = quiz.JSON(quiz.Set(path, rule.Condition{All: []rule.Condition{*c, fresh}}))
		if depth < maxNesting {
			v.AddGroup = quiz.JSON(quiz.Set(path, rule.Condition{Any: []rule.Condition{*c, fresh}}))
		}
		return v
	}
	for _, g := range []struct{ id, name string }{{"all", "all of these hold"}, {"any", "any of these holds"}, {"none", "none of these holds"}} {
		v.Groups = append(v.Groups, Option{Name: g.name, Value: g.id, Selected: g.id == name, Patch: quiz.JSON(quiz.Set(path, groupOf(g.id, list)))})
	}
	for i := range list {
		at := path + quiz.Pointer(name, i)
		remove := quiz.JSON(quiz.Remove(at))
		if len(list) == 2 { // one that is left needs no group
			remove = quiz.JSON(quiz.Set(path, list[1-i]))
			if name == "none" {
				remove = quiz.JSON(quiz.Remove(at))
			}
		}
		v.Items = append(v.Items, b.condition(at, &list[i], depth+1, remove))
	}
	v.Add = quiz.JSON(quiz.Add(path+"/"+name+"/-", fresh))
	if depth < maxNesting {
		other := "any"
		if name == "any" {
			other = "all"
		}
		v.AddGroup = quiz.JSON(quiz.Add(path+"/"+name+"/-", groupOf(other, []rule.Condition{fresh})))
	}
	return v
}

func group(c *rule.Condition) ([]rule.Condition, string) {
	switch {
	case c.All != nil:
		return c.All, "all"
	case c.Any != nil:
		return c.Any, "any"
	case c.None != nil:
		return c.None, "none"
	}
	return nil, ""
}

func groupOf(name string, list []rule.Condition) rule.Condition {
	if list == nil {
		list = []rule.Condition{}
	}
	switch name {
	case "any":
		return rule.Condition{Any: list}
	case "none":
		return rule.Condition{None: list}
	}
	return rule.Condition{All: list}
}

// fact types, by which comparisons and values are offered.
type factType int

const (
	typeNumber factType = iota
	typeChoice          // one of several
	typeSet             // several of several
	typeText
	typeDate
	typeConsent
	typeKeyword
	typeCountry
	typeLanguage
	typeDevice
)

func (b builder) typeOf(fact string) (factType, *quiz.Question) {
	root, id, _ := strings.Cut(fact, ".")
	switch root {
	case "answer":
		id, _, _ = strings.Cut(id, ".")
		i := b.d.Question(id)
		if i < 0 {
			return typeText, nil
		}
		q := &b.d.Questions[i]
		switch q.Kind {
		case quiz.Single, quiz.Grid:
			if len(q.Choices) == 0 {
				return typeText, q
			}
			return typeChoice, q
		case quiz.Multiple:
			return typeSet, q
		case quiz.Rating, quiz.NumberQ:
			return typeNumber, q
		case quiz.Date:
			return typeDate, q
		case quiz.Consent:
			return typeConsent, q
		}
		return typeText, q
	case "leader":
		return typeKeyword, nil
	case "today":
		return typeDate, nil
	case "param":
		return typeText, nil
	case "visitor":
		switch id {
		case "country":
			return typeCountry, nil
		case "device":
			return typeDevice, nil
		}
		return typeLanguage, nil
	}
	return typeNumber, nil
}

// Devices are the values of visitor.device.
var Devices = []string{"phone", "tablet", "desktop"}

var opsOf = map[factType][]rule.Op{
	typeNumber: {rule.OpGe, rule.OpGt, rule.OpLe, rule.OpLt, rule.OpIs, rule.OpIsNot, rule.OpBetween},
	typeChoice: {rule.OpIs, rule.OpIsNot, rule.OpIn, rule.OpNotIn}, typeSet: {rule.OpHas, rule.OpIs},
	typeText: {rule.OpIs, rule.OpIsNot, rule.OpContains, rule.OpIn, rule.OpNotIn}, typeDate: {rule.OpIs, rule.OpLt, rule.OpLe, rule.OpGt, rule.OpGe, rule.OpBetween},
	typeConsent: {rule.OpAnswered, rule.OpBlank}, typeKeyword: {rule.OpIs, rule.OpIsNot, rule.OpIn, rule.OpNotIn},
	typeCountry: {rule.OpIs, rule.OpIsNot, rule.OpIn, rule.OpNotIn}, typeLanguage: {rule.OpIs, rule.OpIsNot, rule.OpIn, rule.OpNotIn}, typeDevice: {rule.OpIs, rule.OpIsNot, rule.OpIn, rule.OpNotIn},
}

// ops lists the comparisons of a fact. Only an answer, the visitor and a parameter can be blank.
func (b builder) ops(fact string) []rule.Op {
	t, _ := b.typeOf(fact)
	list := slices.Clone(opsOf[t])
	if root, _, _ := strings.Cut(fact, "."); t != typeConsent && root != "scale" && root != "percent" && root != "keyword" && root != "today" {
		list = append(list, rule.OpAnswered, rule.OpBlank)
	}
	return list
}

func text(s string) rule.Scalar          { return rule.Scalar{Text: s} }
func number(n rule.Number) rule.Scalar   { return rule.Scalar{IsNum: true, Num: n} }
func operand(s rule.Scalar) rule.Operand { return rule.Operand{List: []rule.Scalar{s}} }

// fresh is the comparison that a fact starts with.
func (b builder) fresh(fact string) rule.Condition {
	op := b.ops(fact)[0]
	c := rule.Condition{Fact: fact, Op: op}
	if shape, _ := op.Takes(); shape != rule.ShapeNone {
		o := operand(b.first(fact))
		c.Value = &o
	}
	return c
}

// first is a value that a fact can have.
func (b builder) first(fact string) rule.Scalar {
	t, q := b.typeOf(fact)
	switch t {
	case typeChoice, typeSet:
		if len(q.Choices) > 0 {
			return text(q.Choices[0].ID)
		}
	case typeKeyword:
		if len(b.d.Keywords) > 0 {
			return text(b.d.Keywords[0].ID)
		}
	case typeNumber:
		if q != nil && q.From != nil {
			return number(*q.From)
		}
		return number(rule.Int(1))
	case typeCountry:
		return text("IE")
	case typeLanguage:
		return text("en")
	case typeDevice:
		return text(Devices[0])
	case typeDate:
		return text("2027-01-01")
	}
	return text("")
}

func (b builder) comparison(v *Condition, c *rule.Condition) {
	v.Facts = b.facts(v.Path, c.Fact)
	ops := b.ops(c.Fact)
	if !slices.Contains(ops, c.Op) {
		ops = append(ops, c.Op)
	}
	for _, op := range ops {
		v.Ops = append(v.Ops, Option{Name: opName(op, c.Fact, b), Value: string(op), Selected: op == c.Op, Patch: quiz.JSON(quiz.Set(v.Path, b.withOp(c, op)))})
	}
	b.value(v, c)
}

func opName(op rule.Op, fact string, b builder) string {
	if t, q := b.typeOf(fact); t == typeConsent || q != nil && q.Kind == quiz.Consent {
		return map[rule.Op]string{rule.OpAnswered: "is given", rule.OpBlank: "is not given"}[op]
	}
	if t, _ := b.typeOf(fact); t == typeSet && op == rule.OpIs {
		return "is only"
	}
	if t, _ := b.typeOf(fact); t == typeDate {
		if name := map[rule.Op]string{rule.OpLt: "is before", rule.OpLe: "is until", rule.OpGt: "is after", rule.OpGe: "is from"}[op]; name != "" {
			return name
		}
	}
	return quiz.OpName(op)
}

// withOp changes the comparison and keeps as much of its value as the new one takes.
func (b builder) withOp(c *rule.Condition, op rule.Op) rule.Condition {
	next := rule.Condition{Fact: c.Fact, Op: op}
	values := []rule.Scalar{b.first(c.Fact)}
	if c.Value != nil && len(c.Value.List) > 0 {
		values = c.Value.List
	}
	switch shape, _ := op.Takes(); shape {
	case rule.ShapeOne:
		next.Value = &rule.Operand{List: values[:1]}
	case rule.ShapeList:
		next.Value = &rule.Operand{IsList: true, List: values}
	case rule.ShapePair:
		pair := []rule.Scalar{values[0], values[0]}
		if len(values) > 1 {
			pair[1] = values[1]
		}
		next.Value = &rule.Operand{IsList: true, List: pair}
	}
	return next
}

// facts lists everything that a condition here can look at.
func (b builder) facts(path, current string) []Option {
	var out []Option
	found := false
	offer := func(group, name, fact string) {
		found = found || fact == current
		out = append(out, Option{Name: name, Value: fact, Group: group, Selected: fact == current, Patch: quiz.JSON(quiz.Set(path, b.fresh(fact)))})
	}
	for i := range b.d.Questions {
		q := &b.d.Questions[i]
		if i >= b.before || q.Kind == quiz.Statement {
			continue
		}
		name := quiz.Shorten(q.Title(), 48)
		if q.Kind == quiz.Grid {
			for _, row := range q.Rows {
				offer("Answers", name+", "+quiz.FirstOf(row.Label, row.ID), "answer."+q.ID+"."+row.ID)
			}
			continue
		}
		offer("Answers", name, "answer."+q.ID)
	}
	for i := range b.d.Scales {
		s := &b.d.Scales[i]
		offer("Scores", s.Title()+", points", "scale."+s.ID)
		offer("Scores", s.Title()+", percent", "percent."+s.ID)
	}
	for i := range b.d.Keywords {
		offer("Keywords", "votes for "+b.d.Keywords[i].Title(), "keyword."+b.d.Keywords[i].ID)
	}
	if len(b.d.Keywords) > 0 {
		offer("Keywords", "the leading keyword", "leader")
	}
	for _, c := range b.d.Computed {
		offer("Computed values", quiz.FirstOf(c.Name, c.ID), "computed."+c.ID)
	}
	offer("The visitor", "country", "visitor.country")
	offer("The visitor", "language", "visitor.language")
	offer("The visitor", "device", "visitor.device")
	for _, p := range b.d.Params {
		offer("The link", "parameter "+p, "param."+p)
	}
	offer("The day", "today’s date", "today")
	if !found {
		out = append([]Option{{Name: b.d.FactName(current) + b.late(current), Value: current, Selected: true}}, out...)
	}
	return out
}

func (b builder) late(fact string) string {
	if b.d.Knows(fact) {
		return " (asked later)"
	}
	return " (gone)"
}

func (b builder) value(v *Condition, c *rule.Condition) {
	shape, _ := c.Op.Takes()
	if shape == rule.ShapeNone {
		return
	}
	at := v.Path + "/value"
	v.Value.Path = at
	var values []string
	if c.Value != nil {
		for _, s := range c.Value.List {
			values = append(values, s.String())
		}
	}
	first := func() string {
		if len(values) == 0 {
			return ""
		}
		return values[0]
	}
	t, q := b.typeOf(c.Fact)
	known := b.known(t, q)
	switch {
	case known != nil && shape == rule.ShapeOne:
		v.Value.Kind, v.Value.Options = "choice", mark(known, values)
	case known != nil && shape == rule.ShapeList && t == typeCountry:
		v.Value.Kind, v.Value.Text = "countries", at
		for i, code := range values {
			v.Value.Options = append(v.Value.Options, Option{Name: quiz.CountryName(code), Value: code, Patch: quiz.JSON(TakeFrom(at, i, code)...)})
		}
	case known != nil && shape == rule.ShapeList:
		v.Value.Kind = "choices"
		for _, o := range mark(known, values) {
			o.Patch = Toggle(at, values, o.Value)
			v.Value.Options = append(v.Value.Options, o)
		}
	case shape == rule.ShapePair:
		v.Value.Kind = "pair"
		if t == typeDate {
			v.Value.Kind = "dates"
		}
		if len(values) == 2 {
			v.Value.Text, v.Value.Text2 = values[0], values[1]
		}
	case shape == rule.ShapeList:
		v.Value.Kind, v.Value.Text, v.Value.Number = "list", strings.Join(values, ", "), t == typeNumber
	case t == typeNumber:
		v.Value.Kind, v.Value.Text = "number", first()
	case t == typeDate:
		v.Value.Kind, v.Value.Text = "date", first()
	default:
		v.Value.Kind, v.Value.Text = "text", first()
	}
}

// known lists the values that a fact can have, where they can be listed.
func (b builder) known(t factType, q *quiz.Question) []Option {
	var out []Option
	switch t {
	case typeChoice, typeSet:
		for i := range q.Choices {
			out = append(out, Option{Name: q.Choices[i].Title(), Value: q.Choices[i].ID})
		}
	case typeKeyword:
		for i := range b.d.Keywords {
			out = append(out, Option{Name: b.d.Keywords[i].Title(), Value: b.d.Keywords[i].ID})
		}
	case typeCountry:
		return Countries
	case typeDevice:
		for _, d := range Devices {
			out = append(out, Option{Name: d, Value: d})
		}
	}
	return out
}

// mark selects what is chosen of the known values, and shows one that is gone.
func mark(known []Option, values []string) []Option {
	out := slices.Clone(known)
	for _, v := range values {
		i := slices.IndexFunc(out, func(o Option) bool { return o.Value == v })
		if i < 0 {
			out = append(out, Option{Name: v + " (gone)", Value: v})
			i = len(out) - 1
		}
		out[i].Selected = true
	}
	return out
}

// FactOptions lists the facts that a condition or table can look at; without one chosen.
func FactOptions(d *quiz.Document, path string, before int) []Option {
	list := builder{d, before}.facts(path, "")
	return list[1:] // the first stands for the one chosen
}

// KnownValues lists the values that a fact can have, or nothing where they cannot be listed.
func KnownValues(d *quiz.Document, fact string) []Option {
	b := builder{d, len(d.Questions)}
	t, q := b.typeOf(fact)
	if t == typeNumber && q != nil { // a short range can be listed
		var out []Option
		for _, v := range reach.Values(d, q) {
			if v != "" {
				out = append(out, Option{Name: v, Value: v})
			}
		}
		return out
	}
	return b.known(t, q)
}

// IsNumber reports whether a fact is a number.
func IsNumber(d *quiz.Document, fact string) bool {
	t, _ := builder{d, len(d.Questions)}.typeOf(fact)
	return t == typeNumber
}
