package reach

import (
	"encoding/json"
	"errors"
	"fmt"
	"math/big"
	"strings"

	"omphalos/core/fact"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Assumption says how likely answers and visitors are. What it does not name is even.
type Assumption struct {
	// Answers gives shares by question id (ID.ROW for a row of a grid), then by choice id or number; "" is blank. Of a
	// multiple choice they are the shares of respondents who pick each choice, independently.
	Answers map[string]map[string]float64 `json:"answers,omitempty"`
	// Visitor gives shares by country, language or device, then by value; "*" is any other.
	Visitor map[string]map[string]float64 `json:"visitor,omitempty"`
	// Time gives shares by weekday and hour, then by value, or the one value that is certain.
	Time map[string]Certain `json:"time,omitempty"`
}

// Certain are shares by value. In JSON a number alone is that value for sure.
type Certain map[string]float64

// UnmarshalJSON reads shares by value, or one value.
func (c *Certain) UnmarshalJSON(b []byte) error {
	var n json.Number
	if err := json.Unmarshal(b, &n); err == nil {
		*c = Certain{n.String(): 1}
		return nil
	}
	return json.Unmarshal(b, (*map[string]float64)(c))
}

// assume sets the shares of a fact that is known before the first question; others than those of visitor and time have
// none.
func (a *Assumption) assume(k *fact.Known, shares map[string]float64) {
	switch group, _, _ := strings.Cut(k.Name, "."); group {
	case "visitor":
		if a.Visitor == nil {
			a.Visitor = map[string]map[string]float64{}
		}
		set(a.Visitor, k.ID(), shares)
	case "time":
		if a.Time == nil {
			a.Time = map[string]Certain{}
		}
		set(a.Time, k.ID(), Certain(shares))
	}
}

// Change sets one share of a field of a group, by their names in JSON, or takes it away where it is below 0.
func (a *Assumption) Change(group, field, value string, share float64) {
	k := fact.Find(group + "." + field)
	shares := a.Answers[field]
	if k != nil {
		shares = a.Before(k)
	}
	if shares == nil {
		shares = map[string]float64{}
	}
	if delete(shares, value); share >= 0 {
		shares[value] = share
	}
	if k != nil {
		a.assume(k, shares)
		return
	}
	if a.Answers == nil {
		a.Answers = map[string]map[string]float64{}
	}
	set(a.Answers, field, shares)
}

// set puts shares into a group, or takes them out where there are none.
func set[S ~map[string]float64](group map[string]S, field string, shares S) {
	if len(shares) == 0 {
		delete(group, field)
	} else {
		group[field] = shares
	}
}

// Before are the assumed shares of a fact that is known before the first question; nil where nothing is assumed of it.
func (a *Assumption) Before(k *fact.Known) map[string]float64 {
	if a == nil {
		return nil
	}
	switch group, _, _ := strings.Cut(k.Name, "."); group {
	case "visitor":
		return a.Visitor[k.ID()]
	case "time":
		return a.Time[k.ID()]
	}
	return nil
}

// option is one answer to a slot, or several that nothing tells apart.
type option struct {
	p      float64
	n      *big.Int // how many answers it stands for
	points []int64  // by scale, in units
	votes  []int64  // by keyword, in units
	truth  []bool   // of the slot's atoms
	value  int      // position in the slot's values, where a formula needs them apart; else 0
	answer walk.Answer
	text   string // of a visitor fact or parameter
}

// slot is a question, or a fact known before the first one.
type slot struct {
	fact    string // of a visitor fact, a parameter or today; "" for a question
	q       int    // position of the question, else -1
	options []option
	atoms   []int // conditions' comparisons that this slot settles
	blank   []bool
	values  []walk.Answer // for formulas; values[0] is blank
	most    []int64       // by scale, in units: the greatest sum of the question
	assumed bool          // its values are a guess: text, or a number without a range
}

var errTooLarge = errors.New("a number in the quiz is too large to calculate with")

// units finds, for each scale and keyword, the largest unit of which all its points are whole multiples.
type unit struct {
	places int
	div    int64
}

func (u unit) integer(n rule.Number) (int64, error) {
	v, ok := n.Scaled(u.places)
	if !ok || v%u.div != 0 || v > 1<<40 || v < -1<<40 {
		return 0, errTooLarge
	}
	return v / u.div, nil
}

func (u unit) number(v int64) rule.Number { return rule.Unscaled(v*u.div, u.places) }

func findUnit(numbers []rule.Number) unit {
	u := unit{0, 0}
	for _, n := range numbers {
		if p, ok := n.Places(); ok {
			u.places = max(u.places, p)
		}
	}
	for i := 0; i < len(numbers) && u.div != 1; i++ {
		if v, ok := numbers[i].Scaled(u.places); ok {
			u.div = gcd(u.div, v)
		}
	}
	if u.div == 0 {
		u.div = 1
	}
	return u
}

func gcd(a, b int64) int64 {
	for b != 0 {
		a, b = b, a%b
	}
	if a < 0 {
		return -a
	}
	return a
}

// check finds shares that cannot be: negative, or all nothing.
func (a *Assumption) check(d *quiz.Document) error {
	if a == nil {
		return nil
	}
	known := map[string]bool{}
	for i := range d.Questions {
		for _, f := range kind.FieldNames(&d.Questions[i]) {
			known[f] = true
		}
	}
	for field, shares := range a.Answers {
		if !known[field] {
			return fmt.Errorf("the assumed shares name question %q, which doesn’t exist", field)
		}
		sum := 0.0
		for value, p := range shares {
			if p < 0 || p != p {
				return fmt.Errorf("the assumed share of %q in %q is %v; it can’t be negative", value, field, p)
			}
			sum += p
		}
		if sum <= 0 {
			return fmt.Errorf("the assumed shares of %q add up to 0", field)
		}
	}
	return nil
}

// listing is question i with what its answers depend on. tell is the same for answers that nothing tells apart.
func (m *model) listing(i int, tell func(walk.Answer) string) *kind.Listing {
	q := &m.d.Questions[i]
	own := "answer." + q.ID
	return &kind.Listing{
		Question:  q,
		Gives:     func(a walk.Answer) walk.Effect { return m.answerGives(i, a) },
		Choice:    func(j int) walk.Effect { return m.choiceGives(i, j) },
		Tell:      tell,
		Shares:    m.assume.shares,
		Room:      m.roomFor,
		Late:      m.within.Err,
		Exact:     m.formulaUses(own),
		Mentioned: func() []string { return m.mentioned(own) },
		Numbers:   func() []rule.Number { return m.numbersMentioned(own) },
		Days:      func(mentioned []string) []string { return m.daysTold(own, mentioned) },
	}
}

// shares are the assumed shares of a field; nil where nothing is assumed of it.
func (a *Assumption) shares(field string) map[string]float64 {
	if a == nil {
		return nil
	}
	return a.Answers[field]
}

var one = big.NewInt(1)

// fewAnswers is up to how many answers are compared one by one.
const fewAnswers = 12

var errManyAnswers = errors.New("one question has too many different answers")

// roomFor fails when a question's answers that can be told apart are too many, alone or with those of the questions
// before, or when the time for counting is up.
func (m *model) roomFor(answers int) error {
	if answers > maxRaw || m.numbers+answers*(1+len(m.d.Scales)+len(m.d.Keywords)) > maxNumbers {
		return errManyAnswers
	}
	if answers%looksUpFrom == 0 {
		return m.within.Err()
	}
	return nil
}
