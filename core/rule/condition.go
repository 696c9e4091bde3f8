package rule

import (
	"slices"
	"strings"
)

// Op is a comparison of a condition.
type Op string

// The comparisons. Every one of them is false for a blank fact, except OpBlank.
const (
	OpIs       Op = "is"
	OpIsNot    Op = "is_not"
	OpIn       Op = "in"
	OpNotIn    Op = "not_in"
	OpLt       Op = "lt"
	OpLe       Op = "le"
	OpGt       Op = "gt"
	OpGe       Op = "ge"
	OpBetween  Op = "between" // both ends included
	OpContains Op = "contains"
	OpHas      Op = "has"
	OpBlank    Op = "blank"
	OpAnswered Op = "answered"
)

// Ops lists every comparison, in the order in which menus show them.
var Ops = []Op{
	OpIs,
	OpIsNot,
	OpIn,
	OpNotIn,
	OpLt,
	OpLe,
	OpGt,
	OpGe,
	OpBetween,
	OpContains,
	OpHas,
	OpBlank,
	OpAnswered,
	OpAgeGe,
	OpAgeLt,
	OpWithin,
	OpInDaysGe,
	OpInDaysLt,
}

// Shape says what value a comparison takes.
type Shape uint8

// The shapes of a comparison's value.
const (
	ShapeNone Shape = iota // no value
	ShapeOne               // one constant
	ShapePair              // a list of two
	ShapeList              // a list of any length
)

// Takes returns the shape of the value that op needs, and false for an unknown op.
func (op Op) Takes() (Shape, bool) {
	switch op {
	case OpIn, OpNotIn:
		return ShapeList, true
	case OpBetween:
		return ShapePair, true
	case OpBlank, OpAnswered:
		return ShapeNone, true
	}
	return ShapeOne, slices.Contains(Ops, op)
}

// Condition is one of: all, any, none or at least so many of a list; or a fact compared with a value.
// An empty All or None holds, an empty Any does not.
type Condition struct {
	All     []Condition `json:"all,omitzero"`
	Any     []Condition `json:"any,omitzero"`
	None    []Condition `json:"none,omitzero"`
	AtLeast int         `json:"at_least,omitempty"` // how many of Of must hold: from 1 to their number
	Of      []Condition `json:"of,omitzero"`
	Fact    string      `json:"fact,omitempty"`
	Op      Op          `json:"op,omitempty"`
	Value   *Operand    `json:"value,omitempty"`
}

// Counts reports whether the condition is one of at least so many.
func (c *Condition) Counts() bool { return c.Of != nil || c.AtLeast != 0 }

// Facts looks up what a fact is for one respondent; unknown and unreached ones are blank.
type Facts func(name string) Value

// Holds evaluates the condition.
func (c *Condition) Holds(facts Facts) bool {
	holds := func(sub Condition) bool { return sub.Holds(facts) }
	switch {
	case c.All != nil:
		return !slices.ContainsFunc(c.All, func(sub Condition) bool { return !sub.Holds(facts) })
	case c.Any != nil:
		return slices.ContainsFunc(c.Any, holds)
	case c.None != nil:
		return !slices.ContainsFunc(c.None, holds)
	case c.Counts():
		left := c.AtLeast
		for i := 0; i < len(c.Of) && left > 0; i++ {
			if c.Of[i].Holds(facts) {
				left--
			}
		}
		return left <= 0
	}
	return Compare(facts(c.Fact), c.Op, c.Value)
}

// Compare evaluates one comparison.
func Compare(v Value, op Op, o *Operand) bool {
	if v.Kind == Blank || op == OpBlank || op == OpAnswered {
		return (v.Kind == Blank) == (op == OpBlank) && (op == OpBlank || op == OpAnswered)
	}
	if o == nil || len(o.List) == 0 {
		return op == OpNotIn && o != nil
	}
	first := o.List[0]
	switch op {
	case OpIs, OpIn:
		return slices.ContainsFunc(o.List, v.Is)
	case OpIsNot, OpNotIn:
		return !slices.ContainsFunc(o.List, v.Is)
	case OpHas:
		return v.has(first)
	case OpContains:
		if v.Kind == Set {
			return v.has(first)
		}
		return strings.Contains(v.String(), first.String())
	case OpBetween:
		if len(o.List) != 2 {
			return false
		}
		lo, lok := v.compare(first)
		hi, hok := v.compare(o.List[1])
		return lok && hok && lo >= 0 && hi <= 0
	}
	sign, ok := v.compare(first)
	switch op {
	case OpLt:
		return ok && sign < 0
	case OpLe:
		return ok && sign <= 0
	case OpGt:
		return ok && sign > 0
	case OpGe:
		return ok && sign >= 0
	}
	return compareDays(v, op, first)
}

func (v Value) has(s Scalar) bool {
	if v.Kind == Set {
		return slices.Contains(v.Picks, s.String())
	}
	return v.Is(s)
}

// Each calls f for the condition and every condition within it, with the JSON Pointer of each below at.
func (c *Condition) Each(at string, f func(at string, c *Condition)) {
	f(at, c)
	for _, group := range []struct {
		name string
		list []Condition
	}{{"all", c.All}, {"any", c.Any}, {"none", c.None}, {"of", c.Of}} {
		for i := range group.list {
			group.list[i].Each(at+"/"+group.name+"/"+Int(int64(i)).String(), f)
		}
	}
}

// Names returns the facts that the condition looks at, each once, in reading order.
func (c *Condition) Names() []string {
	var names []string
	c.Each("", func(_ string, c *Condition) {
		if c.Fact != "" && !slices.Contains(names, c.Fact) {
			names = append(names, c.Fact)
		}
	})
	return names
}
