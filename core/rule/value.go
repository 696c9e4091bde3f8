package rule

import (
	"encoding/json"
	"strings"
)

// Kind tells what a Value holds.
type Kind uint8

// The kinds of value that a fact can have.
const (
	Blank Kind = iota // not asked, not answered, or not known
	Num               // an exact number
	Text              // a choice's id, a country code, typed text, a date as YYYY-MM-DD
	Set               // the picks of a multiple choice, in the order of its choices
)

// Value is what a fact is for one respondent. The zero Value is blank.
type Value struct {
	Kind  Kind
	Num   Number
	Text  string
	Picks []string
	Today string // of a date: the day on which it is looked at, as YYYY-MM-DD; "" is unknown
}

// NumValue, TextValue and SetValue make values; empty text and an empty set are blank.
func NumValue(n Number) Value { return Value{Kind: Num, Num: n} }

// TextValue makes a value of text; empty text is blank.
func TextValue(s string) Value {
	if s == "" {
		return Value{}
	}
	return Value{Kind: Text, Text: s}
}

// SetValue makes a value of picks; no picks are blank.
func SetValue(picks []string) Value {
	if len(picks) == 0 {
		return Value{}
	}
	return Value{Kind: Set, Picks: picks}
}

// String writes the value as tables and exports show it: picks joined by "|", blank as "".
func (v Value) String() string {
	switch v.Kind {
	case Num:
		return v.Num.String()
	case Text:
		return v.Text
	case Set:
		return strings.Join(v.Picks, "|")
	}
	return ""
}

// Scalar is one constant of a condition: text or a number.
type Scalar struct {
	Text  string
	Num   Number
	IsNum bool
}

// String writes the constant without quotes.
func (s Scalar) String() string {
	if s.IsNum {
		return s.Num.String()
	}
	return s.Text
}

// MarshalJSON writes a JSON string or number.
func (s Scalar) MarshalJSON() ([]byte, error) {
	if s.IsNum {
		return s.Num.MarshalJSON()
	}
	return json.Marshal(s.Text)
}

// UnmarshalJSON reads a JSON string or number.
func (s *Scalar) UnmarshalJSON(b []byte) error {
	if len(b) > 0 && b[0] == '"' {
		*s = Scalar{}
		return json.Unmarshal(b, &s.Text)
	}
	n, err := ParseNumber(string(b))
	if err != nil {
		return valueTextInQuotesOr.Error()
	}
	*s = Scalar{Num: n, IsNum: true}
	return nil
}

// Operand is the "value" of a condition: one constant, or a list of them.
type Operand struct {
	IsList bool
	List   []Scalar // exactly one when not a list
}

// One makes an operand of a single constant.
func One(s Scalar) *Operand { return &Operand{List: []Scalar{s}} }

// MarshalJSON writes one constant or an array.
func (o Operand) MarshalJSON() ([]byte, error) {
	if !o.IsList && len(o.List) == 1 {
		return o.List[0].MarshalJSON()
	}
	return json.Marshal(append([]Scalar{}, o.List...))
}

// UnmarshalJSON reads one constant or an array.
func (o *Operand) UnmarshalJSON(b []byte) error {
	if len(b) > 0 && b[0] == '[' {
		*o = Operand{IsList: true}
		return json.Unmarshal(b, &o.List)
	}
	var s Scalar
	if err := s.UnmarshalJSON(b); err != nil {
		return err
	}
	*o = Operand{List: []Scalar{s}}
	return nil
}

// number reads a value or a constant as a number where it is one or is text that spells one.
func (v Value) number() (Number, bool) {
	switch v.Kind {
	case Num:
		return v.Num, true
	case Text:
		n, err := ParseNumber(v.Text)
		return n, err == nil
	}
	return Number{}, false
}

func (s Scalar) number() (Number, bool) {
	if s.IsNum {
		return s.Num, true
	}
	n, err := ParseNumber(s.Text)
	return n, err == nil
}

// Is reports whether a value that is not blank equals the constant. Text equals text to the letter; a number equals a
// number, also one spelled as text; picks equal a choice when it is the only one picked.
func (v Value) Is(s Scalar) bool {
	switch v.Kind {
	case Text:
		if !s.IsNum {
			return v.Text == s.Text
		}
	case Set:
		return len(v.Picks) == 1 && v.Picks[0] == s.String()
	}
	a, aok := v.number()
	b, bok := s.number()
	return aok && bok && a.Cmp(b) == 0
}

// compare orders a value against a constant: numbers by size, dates (YYYY-MM-DD) by day. It reports false for
// what has no order, such as a blank or a word.
func (v Value) compare(s Scalar) (int, bool) {
	if a, ok := v.number(); ok {
		if b, ok := s.number(); ok {
			return a.Cmp(b), true
		}
		return 0, false
	}
	if v.Kind == Text && isDate(v.Text) && !s.IsNum && isDate(s.Text) {
		return strings.Compare(v.Text, s.Text), true
	}
	return 0, false
}

func isDate(s string) bool {
	if len(s) != 10 || s[4] != '-' || s[7] != '-' {
		return false
	}
	for i, c := range []byte(s) {
		if i != 4 && i != 7 && (c < '0' || c > '9') {
			return false
		}
	}
	return true
}
