package workbench

import (
	"encoding/json"
	"slices"
	"strconv"
	"strings"

	"omphalos/core/fact"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Condition is a condition as it is edited: the same builder in every room.
type Condition struct {
	Path     string
	Label    string // names it for who cannot see where it stands
	Nested   bool
	Group    string // all, any, none, of; "" for a comparison
	Need     *Need  // of a group of at least so many
	Groups   []Option
	Items    []*Condition
	Deep     bool // groups within cannot be made
	Fixed    bool // it can't be accepted away
	Facts    []Option
	Ops      []Option
	Value    ValueControl
	Sentence string
}

// Need is how many conditions of a group must hold.
type Need struct {
	Path    string
	Options []Option
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

// NewCondition makes the builder of the condition at path. before is how many questions can have been answered when
// it is looked at; one that is fixed can't be accepted away.
func NewCondition(d *quiz.Document, path string, c *rule.Condition, before int, label string, fixed bool) *Condition {
	b := builder{d: d, before: before}
	out := b.condition(path, c, 0)
	out.Label, out.Sentence, out.Fixed = label, d.Sentence(c), fixed
	return out
}

// defaultFact is what a condition looks at where the quiz has nothing else yet.
const defaultFact = "visitor.device"

// DefaultCondition is the comparison that a new condition starts as: about the last question that can have been
// answered and whose answers tell people apart, with its first answer; else about a score. What people type in is
// offered last.
func DefaultCondition(d *quiz.Document, before int) rule.Condition {
	b := builder{d: d, before: before}
	last := func(is func(q *quiz.Question) bool) string {
		for i := min(before, len(d.Questions)) - 1; i >= 0; i-- {
			if q := &d.Questions[i]; is(q) {
				return "answer." + q.ID
			}
		}
		return ""
	}
	fact := last(decides)
	if fact == "" && len(d.Scales) > 0 {
		fact = "scale." + d.Scales[0].ID
	}
	if fact == "" {
		fact = last(Whole)
	}
	return b.fresh(quiz.FirstOf(fact, defaultFact))
}

// decides reports whether a question's answers are few and known, so that an outcome can hang on them.
func decides(q *quiz.Question) bool {
	about := kind.Of(q).About()
	return about.Range || about.Picks && (len(q.Choices) > 0 || q.ChoicesFrom != nil)
}

// Whole reports whether the answer to a question can be compared and filled in as it is, not only part by part.
func Whole(q *quiz.Question) bool {
	return slices.ContainsFunc(kind.Of(q).Facts(q), func(f kind.Fact) bool { return f.Whole && f.Part == "" })
}

type builder struct {
	d      *quiz.Document
	before int
	atEnd  bool // it is looked at when the walk has ended: the outcome is known
}

// NewEndCondition is NewCondition for one that is looked at when the walk has ended.
func NewEndCondition(d *quiz.Document, path string, c *rule.Condition, label string) *Condition {
	b := builder{d, len(d.Questions), true}
	out := b.condition(path, c, 0)
	out.Label, out.Sentence = label, d.Sentence(c)
	return out
}

// EndCondition is what a new condition of that kind starts as: the first outcome that is a qualified lead.
func EndCondition(d *quiz.Document) rule.Condition {
	o := operand(text(firstOutcome(d)))
	return rule.Condition{Fact: quiz.FactOutcome, Op: rule.OpIs, Value: &o}
}

func firstOutcome(d *quiz.Document) string {
	i := slices.IndexFunc(d.Outcomes, func(o quiz.Outcome) bool { return o.Qualified })
	if i < 0 && len(d.Outcomes) == 0 {
		return ""
	}
	return d.Outcomes[max(i, 0)].ID
}

// maxNesting is how deep groups can be made with the builder.
const maxNesting = 3

// groupNames are what the groups of a condition are called.
var groupNames = []struct{ id, name string }{
	{"all", "all of these are true"},
	{"any", "any of these is true"},
	{"none", "none of these is true"},
	{"of", "at least this many are true"},
}

func (b builder) condition(path string, c *rule.Condition, depth int) *Condition {
	v := &Condition{Path: path, Nested: depth > 0, Deep: depth >= maxNesting}
	list, name := group(c)
	v.Group = name
	if name == "" {
		b.comparison(v, c)
		return v
	}
	for _, g := range groupNames {
		v.Groups = append(v.Groups, Option{Name: g.name, Value: g.id, Selected: g.id == name})
	}
	if name == "of" {
		v.Need = need(path, c)
	}
	for i := range list {
		v.Items = append(v.Items, b.condition(b.d.Below(path, name, i), &list[i], depth+1))
	}
	return v
}

// need offers how many of a group must hold, and what it is now, even where that cannot be.
func need(path string, c *rule.Condition) *Need {
	n := &Need{Path: path + "/at_least"}
	for i := 1; i <= max(len(c.Of), c.AtLeast); i++ {
		o := Option{Name: strconv.Itoa(i), Value: strconv.Itoa(i), Selected: i == c.AtLeast}
		o.Patch = quiz.JSON(quiz.Set(n.Path, i))
		n.Options = append(n.Options, o)
	}
	return n
}

func group(c *rule.Condition) ([]rule.Condition, string) {
	switch {
	case c.All != nil:
		return c.All, "all"
	case c.Any != nil:
		return c.Any, "any"
	case c.None != nil:
		return c.None, "none"
	case c.Counts():
		return c.Of, "of"
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
	case "of":
		return rule.Condition{AtLeast: max(1, min(2, len(list))), Of: list}
	}
	return rule.Condition{All: list}
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
func (b builder) first(name string) rule.Scalar {
	t, q := b.typeOf(name)
	switch t {
	case rule.ChoiceType, rule.SetType, rule.OrderType:
		if len(q.Choices) > 0 {
			return text(q.Choices[0].ID)
		}
	case rule.KeywordType:
		if len(b.d.Keywords) > 0 {
			return text(b.d.Keywords[0].ID)
		}
	case rule.OutcomeType:
		return text(firstOutcome(b.d))
	case rule.NumberType:
		if q != nil && q.From != nil {
			return number(*q.From)
		}
		return number(rule.Int(1))
	case rule.CountryType:
		return text("IE")
	case rule.LanguageType:
		return text("en")
	case rule.DeviceType:
		return text(fact.Devices[0])
	case rule.WeekdayType:
		return number(rule.Int(6)) // Saturday
	case rule.HourType:
		return number(rule.Int(18))
	case rule.DateType, rule.DayType:
		return text("2027-01-01")
	}
	return text("")
}

func (b builder) comparison(v *Condition, c *rule.Condition) {
	v.Facts = b.facts(c.Fact)
	ops := b.ops(c.Fact)
	if !slices.Contains(ops, c.Op) {
		ops = append(ops, c.Op)
	}
	for _, op := range ops {
		v.Ops = append(v.Ops, Option{Name: opName(op, c.Fact, b), Value: string(op), Selected: op == c.Op})
	}
	b.value(v, c)
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
	known := b.listValues(t, q)
	if t.Number() { // a number is sent as one
		for i := range known {
			known[i].Patch = quiz.JSON(quiz.Set(at, json.Number(known[i].Value)))
		}
	}
	switch {
	case known != nil && shape == rule.ShapeOne:
		v.Value.Kind, v.Value.Options = "choice", mark(known, values)
	case known != nil && shape == rule.ShapeList && t == rule.CountryType:
		v.Value.Kind, v.Value.Text = "countries", at
		for _, code := range values {
			v.Value.Options = append(v.Value.Options, Option{Name: quiz.CountryName(code), Value: code})
		}
	case known != nil && shape == rule.ShapeList:
		v.Value.Kind, v.Value.Options = "choices", mark(known, values)
	case shape == rule.ShapePair:
		v.Value.Kind = "pair"
		if t.Day() {
			v.Value.Kind = "dates"
		}
		if len(values) == 2 {
			v.Value.Text, v.Value.Text2 = values[0], values[1]
		}
	case shape == rule.ShapeList:
		v.Value.Kind, v.Value.Text, v.Value.Number = "list", strings.Join(values, ", "), t.Number()
	case t.Number() || c.Op.OfDays():
		v.Value.Kind, v.Value.Text = "number", first()
	case t.Day():
		v.Value.Kind, v.Value.Text = "date", first()
	default:
		v.Value.Kind, v.Value.Text = "text", first()
	}
}

// mark selects what is chosen of the known values, and shows one that no longer exists.
func mark(known []Option, values []string) []Option {
	out := slices.Clone(known)
	for _, v := range values {
		i := slices.IndexFunc(out, func(o Option) bool { return o.Value == v })
		if i < 0 {
			out = append(out, Option{Name: v + " (deleted)", Value: v})
			i = len(out) - 1
		}
		out[i].Selected = true
	}
	return out
}
