package workbench

import (
	"slices"

	"omphalos/core/fact"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
)

// typeOf is the type of a fact, and of an answer the question.
func (b builder) typeOf(name string) (rule.Type, *quiz.Question) {
	q, _ := b.d.AnswerFact(name)
	return b.d.FactType(name), q
}

// dateOps are what comparisons are called of a date, where it is not as of anything else.
var dateOps = map[rule.Op]string{
	rule.OpLt: "is before",
	rule.OpLe: "is on or before",
	rule.OpGt: "is after",
	rule.OpGe: "is on or after",
}

// ops lists the comparisons of a fact. Only an answer, the visitor and a parameter can be blank.
func (b builder) ops(name string) []rule.Op {
	t, _ := b.typeOf(name)
	list := slices.Clone(t.Ops())
	family, _ := fact.FamilyOf(name)
	k := fact.Find(name)
	always := t == rule.ConsentType || family.Always || k != nil && (k.Usual != "" || k.Values != nil)
	if !always {
		list = append(list, rule.OpAnswered, rule.OpBlank)
	}
	return list
}

func opName(op rule.Op, fact string, b builder) string {
	if t, _ := b.typeOf(fact); t == rule.ConsentType {
		return map[rule.Op]string{rule.OpAnswered: "is answered", rule.OpBlank: "is not answered"}[op]
	}
	if t, _ := b.typeOf(fact); t == rule.SetType && op == rule.OpIs {
		return "is exactly"
	}
	if t, _ := b.typeOf(fact); t.Day() {
		if name := dateOps[op]; name != "" {
			return name
		}
	}
	return quiz.OpName(op)
}

// usualDays are the years and days that comparisons with the day begin with.
var usualDays = map[rule.Op]int64{
	rule.OpAgeGe: 18, rule.OpAgeLt: 18, rule.OpWithin: 30, rule.OpInDaysGe: 7, rule.OpInDaysLt: 7,
}

// withOp changes the comparison and keeps as much of its value as the new one takes.
func (b builder) withOp(c *rule.Condition, op rule.Op) rule.Condition {
	next := rule.Condition{Fact: c.Fact, Op: op}
	values := []rule.Scalar{b.first(c.Fact)}
	if c.Value != nil && len(c.Value.List) > 0 && c.Op.OfDays() == op.OfDays() {
		values = c.Value.List
	} else if op.OfDays() {
		values = []rule.Scalar{number(rule.Int(usualDays[op]))}
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
func (b builder) facts(current string) []Option {
	var out []Option
	found := false
	offer := func(group, name, fact string) {
		found = found || fact == current
		out = append(out, Option{Name: name, Value: fact, Group: group, Selected: fact == current})
	}
	if b.atEnd {
		offer("Result", "outcome", quiz.FactOutcome)
	}
	b.answers(offer)
	b.numbers(offer)
	for _, k := range Before(b.d) {
		offer(k.Group, k.Menu, k.Name)
	}
	if !found {
		own := Option{Name: b.d.FactName(current) + b.late(current), Value: current, Selected: true}
		out = append([]Option{own}, out...)
	}
	return out
}

// Before lists the facts that are known before the first question, in the order in which menus show them.
func Before(d *quiz.Document) []*fact.Known {
	var out []*fact.Known
	for _, group := range []string{"Respondent", "Link", "Date"} {
		if group == "Link" {
			for _, p := range d.Params {
				out = append(out, fact.Find(fact.Param(p)))
			}
		}
		for _, k := range fact.All() {
			if k.Group == group {
				out = append(out, k)
			}
		}
	}
	return out
}

// answers offers the answers to the questions before.
func (b builder) answers(offer func(group, name, fact string)) {
	for i := range b.d.Questions {
		q := &b.d.Questions[i]
		if i >= b.before {
			continue
		}
		name := quiz.Shorten(q.Title(), 48)
		for _, f := range kind.Of(q).Facts(q) {
			switch {
			case f.Whole && f.Part == "":
				offer("Answers", name, "answer."+q.ID)
			case f.Whole:
				offer("Answers", name+", "+f.Words, "answer."+q.ID+"."+f.Part)
			}
		}
	}
}

// numbers offers what answers add up to.
func (b builder) numbers(offer func(group, name, fact string)) {
	for i := range b.d.Scales {
		s := &b.d.Scales[i]
		offer("Scores", s.Title()+", points", "scale."+s.ID)
		offer("Scores", s.Title()+", percent", "percent."+s.ID)
		if len(s.Norm) > 0 {
			offer("Scores", s.Title()+", percentile", "percentile."+s.ID)
		}
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
}

func (b builder) late(fact string) string {
	if b.d.Knows(fact) {
		return " (asked later)"
	}
	return " (deleted)"
}

// listValues lists the values that a fact can have, where they can be listed.
func (b builder) listValues(t rule.Type, q *quiz.Question) []Option {
	var out []Option
	switch t {
	case rule.ChoiceType, rule.SetType, rule.OrderType:
		for i := range q.Choices {
			out = append(out, Option{Name: q.Choices[i].Title(), Value: q.Choices[i].ID})
		}
	case rule.KeywordType:
		for i := range b.d.Keywords {
			out = append(out, Option{Name: b.d.Keywords[i].Title(), Value: b.d.Keywords[i].ID})
		}
	case rule.OutcomeType:
		for i := range b.d.Outcomes {
			out = append(out, Option{Name: b.d.Outcomes[i].Title(), Value: b.d.Outcomes[i].ID})
		}
	case rule.CountryType:
		return Countries
	case rule.DeviceType:
		for _, d := range fact.Devices {
			out = append(out, Option{Name: d, Value: d})
		}
	case rule.WeekdayType:
		for _, day := range fact.Find("time.weekday").Values {
			out = append(out, Option{Name: fact.WeekdayName(day), Value: day})
		}
	}
	return out
}

// FactOptions lists the facts that a condition or table can look at; without one chosen.
func FactOptions(d *quiz.Document, before int) []Option {
	list := builder{d: d, before: before}.facts("")
	return list[1:] // the first stands for the one chosen
}

// KnownValues lists the values that a fact can have, or nothing where they cannot be listed.
func KnownValues(d *quiz.Document, fact string) []Option {
	b := builder{d: d, before: len(d.Questions)}
	t, q := b.typeOf(fact)
	if t.Number() && q != nil { // a short range can be listed
		var out []Option
		for _, v := range reach.Values(d, q) {
			if v != "" {
				out = append(out, Option{Name: v, Value: v})
			}
		}
		return out
	}
	return b.listValues(t, q)
}

// IsNumber reports whether a fact is a number.
func IsNumber(d *quiz.Document, fact string) bool {
	t, _ := builder{d: d, before: len(d.Questions)}.typeOf(fact)
	return t.Number()
}
