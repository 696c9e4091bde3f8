package quiz

import (
	"errors"
	"slices"
	"strings"

	"omphalos/core/fact"
	"omphalos/core/kind"
	"omphalos/core/rule"
	"omphalos/core/say"
)

func (c *check) condition(at string, cond *rule.Condition) {
	forms := 0
	compares := cond.Fact != "" || cond.Op != "" || cond.Value != nil
	for _, set := range []bool{cond.All != nil, cond.Any != nil, cond.None != nil, cond.Counts(), compares} {
		if set {
			forms++
		}
	}
	if forms != 1 {
		c.ps.add(
			at,
			writeAllAnyNoneAt.With(), conditionExactlyOneAllAny.With(),
		)
		return
	}
	if cond.Counts() && (cond.AtLeast < 1 || cond.AtLeast > len(cond.Of)) {
		c.ps.add(at+"/at_least", useWholeNumberFromOr.With(max(1, len(cond.Of))), atLeastConditionsCantMet.With(cond.AtLeast, len(cond.Of)))
	}
	if cond.Fact == "" && cond.Op == "" {
		return
	}
	if cond.Fact == "" {
		c.ps.add(at+"/fact", chooseWhatCompareSuchAnswer.With(), comparisonHasNoFact.With())
		return
	}
	shape, known := cond.Op.Takes()
	if !known {
		c.ps.add(at+"/op", addComparisonSuch.With(), comparisonHasNoOp.With())
		return
	}
	if !c.fact(at+"/fact", cond.Fact) {
		return
	}
	if cond.Op.OfDays() {
		c.days(at, cond)
		return
	}
	switch {
	case shape == rule.ShapeNone:
		return
	case cond.Value == nil:
		c.ps.add(at, addAValue.With(), needsValueCompareWith.With(cond.Op))
		return
	case shape == rule.ShapeOne && cond.Value.IsList:
		c.ps.add(at+"/value", useOneValueOrUse.With(), needsSingleValueNotList.With(cond.Op))
	case shape == rule.ShapePair && len(cond.Value.List) != 2:
		c.ps.add(at+"/value", useListTwoNumbers.With(), betweenNeedsTwoValues.With())
	case shape == rule.ShapeList && !cond.Value.IsList:
		c.ps.add(at+"/value", putInList.With(), needsAList.With(cond.Op))
	}
	if shape == rule.ShapeOne || shape == rule.ShapeList {
		for i, v := range cond.Value.List {
			place := at + "/value"
			if cond.Value.IsList {
				place += Pointer(i)
			}
			c.constant(place, cond.Fact, cond.Op, v)
		}
	}
}

// days checks a comparison with the day on which a date is looked at: it is for date questions, and takes a number.
func (c *check) days(at string, cond *rule.Condition) {
	if _, f := c.d.AnswerFact(cond.Fact); f == nil || f.Type != rule.DayType {
		c.ps.add(at+"/op", useOnAnswerDateQuestion.With(), datesOnly.With(cond.Op))
	}
	if cond.Value == nil || cond.Value.IsList || len(cond.Value.List) != 1 || !cond.Value.List[0].IsNum {
		c.ps.add(at+"/value", giveNumberYearsOrDays.With(), takesANumber.With(cond.Op))
	}
}

// fact reports whether the fact exists, and adds a problem when not.
func (c *check) fact(at, name string) bool {
	if c.d.Knows(name) || c.atEnd && c.d.KnowsAtEnd(name) {
		return true
	}
	mend := "Use answer.ID, scale.ID, percent.ID, percentile.ID, keyword.ID, leader, computed.ID, " +
		"visitor.country, param.NAME, today, time.weekday or time.hour."
	if strings.HasPrefix(name, "answer.") {
		mend = "Use the id of a question (for a grid: answer.ID.ROW)."
	}
	c.ps.add(at, say.Plain(mend), isntSomethingConditionsCanCompare.With(name))
	return false
}

// constant checks that a value compared with a choice or with the leader exists.
func (c *check) constant(at, name string, op rule.Op, v rule.Scalar) {
	switch op {
	case rule.OpIs, rule.OpIsNot, rule.OpIn, rule.OpNotIn, rule.OpHas:
	default:
		return
	}
	switch f, _ := fact.FamilyOf(name); f.Class {
	case fact.Outcome:
		c.outcome(at, v.String())
	case fact.Leader:
		if c.d.Keyword(v.String()) == nil {
			c.ps.add(at, useIDExistingKeyword.With(), keywordDoesntExist.With(v))
		}
	case fact.Answer:
		if q, _ := c.d.AnswerFact(name); q != nil && len(q.Choices) > 0 && q.Choice(v.String()) < 0 {
			c.ps.add(at, useIDAnswerQuestion.With(), questionHasNoAnswer.With(q.ID, v))
		}
	}
}

// AnswerFact returns the question of a fact answer.ID or answer.ID.PART, and what the fact is; nil where there is none.
func (d *Document) AnswerFact(name string) (*Question, *kind.Fact) {
	id, ok := strings.CutPrefix(name, "answer.")
	if !ok {
		return nil, nil
	}
	id, part, _ := strings.Cut(id, ".")
	i := d.Question(id)
	if i < 0 {
		return nil, nil
	}
	q := &d.Questions[i]
	if f := kind.FactOf(q, part); f != nil {
		return q, f
	}
	return nil, nil
}

// IsNumberFact reports whether a fact is a number that comes of the answers: a scale, its percent or standing, the
// votes for a keyword, or a formula.
func IsNumberFact(name string) bool {
	f, _ := fact.FamilyOf(name)
	return f.Number
}

// Knows reports whether the document has the fact of this name before the walk has ended.
func (d *Document) Knows(name string) bool {
	f, id := fact.FamilyOf(name)
	switch f.Class {
	case fact.Answer:
		q, _ := d.AnswerFact(name)
		return q != nil
	case fact.Score, fact.Percent, fact.Percentile:
		return d.Scale(id) != nil
	case fact.Votes:
		return d.Keyword(id) != nil
	case fact.Formula:
		return d.Value(id) != nil
	}
	return f.Class == fact.Before || f.Class == fact.Leader
}

// Value returns the computed value with this id, or nil.
func (d *Document) Value(id string) *Computed {
	return find(d.Computed, func(c *Computed) bool { return c.ID == id })
}

// FactType is the type of a fact: what values it has, and which comparisons fit.
func (d *Document) FactType(name string) rule.Type {
	if q, f := d.AnswerFact(name); q != nil {
		return f.Type
	}
	if k := fact.Find(name); k != nil {
		return k.Type
	}
	f, _ := fact.FamilyOf(name)
	return f.Type
}

func (c *check) formula(i int) {
	known := func(fact string) bool { return c.d.Knows(fact) && !c.d.laterComputed(fact, i) }
	_, err := rule.NewFormula(c.d.Computed[i].Formula, known)
	var unknown *rule.UnknownNames
	if err != nil && !errors.As(err, &unknown) { // unknown names are findings: the value is blank
		c.ps.add(Pointer("computed", i, "formula"), say.Text{}, say.Of(err))
	}
}

// laterComputed reports whether the fact is a computed value declared at position i or after it.
func (d *Document) laterComputed(fact string, i int) bool {
	id, ok := strings.CutPrefix(fact, "computed.")
	return ok && slices.ContainsFunc(d.Computed[i:], func(c Computed) bool { return c.ID == id })
}

// Formulas compiles the computed values in order; nil stands for one that names what does not exist.
func (d *Document) Formulas() []*rule.Formula {
	out := make([]*rule.Formula, len(d.Computed))
	for i, c := range d.Computed {
		knows := func(fact string) bool { return d.Knows(fact) && !d.laterComputed(fact, i) }
		if f, err := rule.NewFormula(c.Formula, knows); err == nil {
			out[i] = f
		}
	}
	return out
}

// EachComparison calls f with every comparison that decides a walk: those of conditions, and of lines that are on.
func (d *Document) EachComparison(f func(fact string, op rule.Op, value *rule.Operand)) {
	d.EachCondition(func(_ string, c *rule.Condition) {
		if c.Fact != "" {
			f(c.Fact, c.Op, c.Value)
		}
	})
	for i := range d.Verdicts {
		if line := d.Verdicts[i].Line(); line != nil && !d.Verdicts[i].Off {
			line.Compares(f)
		}
	}
}
