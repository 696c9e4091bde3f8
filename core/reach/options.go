// Package reach calculates all respondents of a quiz together. From a document alone it computes the share that reaches
// each outcome, by which line, over which questions and with which scores. It also finds what no one can reach, and
// gives an example for each claim.
//
// The calculation is forward dynamic programming over the questions. A state is everything that the rest of the quiz
// can still depend on, and equal states merge; layers.go describes what a state contains. For example, after three
// questions with points 0 to 2 on one scale, a quiz with only cut points has at most 7 states instead of 27
// combinations.
package reach

import (
	"errors"
	"fmt"
	"math/big"
	"slices"
	"strings"

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
}

// elsewhere is the value of a visitor fact or parameter that no condition mentions.
const elsewhere = "elsewhere"

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

// raw is an answer before units are known.
type raw struct {
	p      float64
	n      *big.Int
	effect walk.Effect
	answer walk.Answer
	bits   string // what conditions and formulas can tell apart
}

var one = big.NewInt(1)

// share returns the assumed share of a value, and whether the question has assumed shares at all.
func (a *Assumption) share(field, value string) (float64, bool) {
	if a == nil || a.Answers[field] == nil {
		return 0, false
	}
	return a.Answers[field][value], true
}

// check finds shares that cannot be: negative, or all nothing.
func (a *Assumption) check(d *quiz.Document) error {
	if a == nil {
		return nil
	}
	known := map[string]bool{}
	for i := range d.Questions {
		for _, f := range walk.FieldNames(&d.Questions[i]) {
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

// rawOptions lists the answers to a question, merged where nothing can tell them apart: tell returns what conditions
// and formulas see of an answer.
func (m *model) rawOptions(i int, tell func(walk.Answer) string) ([]raw, bool, error) {
	q := &m.d.Questions[i]
	switch q.Kind {
	case quiz.Single:
		if q.ChoicesFrom == nil {
			picked := func(ids []string) walk.Answer { return walk.Answer{Picks: ids} }
			return m.single(i, q.ID, tell, picked), false, nil
		}
	case quiz.Multiple:
		out, err := m.multiple(i, tell)
		return out, false, err
	case quiz.Grid:
		out, err := m.grid(i, tell)
		return out, false, err
	case quiz.Rating, quiz.NumberQ:
		if q.From != nil && q.To != nil {
			out, err := m.numberOptions(i, tell)
			return out, false, err
		}
	case quiz.Statement:
		return []raw{{p: 1, n: one, effect: m.answerGives(i, walk.Answer{})}}, false, nil
	}
	out, assumed := m.open(i, tell)
	return out, assumed, nil
}

// spread adds the blank answer to those to a question where it may be left blank, and gives each its share of a field:
// assumed, else even, and sums to 1.
func (m *model) spread(i int, field string, tell func(walk.Answer) string, out []raw) []raw {
	if !m.d.Questions[i].Required {
		out = append(out, raw{n: one, effect: m.answerGives(i, walk.Answer{}), bits: tell(walk.Answer{})})
	}
	total := 0.0
	for k := range out {
		out[k].p = 1
		if m.assume != nil {
			if p, ok := m.assume.share(field, oneValue(&out[k].answer)); ok {
				out[k].p = p
			}
		}
		total += out[k].p
	}
	if total == 0 {
		for k := range out {
			out[k].p = 1
		}
		total = float64(len(out))
	}
	for k := range out {
		out[k].p /= total
	}
	return out
}

// oneValue is the one value that an answer has, as it is named in an assumption; "" is blank.
func oneValue(a *walk.Answer) string {
	switch {
	case len(a.Picks) > 0:
		return a.Picks[0]
	case a.Number != nil:
		return a.Number.String()
	}
	for _, id := range a.Rows {
		return id
	}
	return a.Text
}

func (m *model) single(
	i int,
	field string,
	tell func(walk.Answer) string,
	answer func(ids []string) walk.Answer,
) []raw {
	q := &m.d.Questions[i]
	answers := len(q.Choices)
	if !q.Required {
		answers++
	}
	out, ids := make([]raw, 0, answers), make([]string, len(q.Choices))
	for j := range q.Choices {
		ids[j] = q.Choices[j].ID
		a := answer(ids[j : j+1 : j+1])
		out = append(out, raw{n: one, effect: m.choiceGives(i, j), answer: a, bits: tell(a)})
	}
	return merge(m.spread(i, field, tell, out))
}

// fewAnswers is up to how many answers are compared one by one.
const fewAnswers = 12

// merge joins raw answers with the same effect that nothing tells apart, in place.
func merge(list []raw) []raw {
	var index map[string]int
	if len(list) > fewAnswers {
		index = make(map[string]int, len(list))
	}
	out := list[:0]
	for i := range list {
		r, at, known := &list[i], -1, false
		if index == nil {
			for at = len(out) - 1; at >= 0 && !r.like(&out[at]); {
				at--
			}
			known = at >= 0
		} else {
			key := effectKey(r.effect) + "|" + r.bits
			if at, known = index[key]; !known {
				index[key] = len(out)
			}
		}
		switch {
		case known:
			out[at].p += r.p
			out[at].n = new(big.Int).Add(out[at].n, r.n)
		case len(out) == i:
			out = list[:i+1]
		default:
			out = append(out, *r)
		}
	}
	return out
}

// like reports whether nothing tells two answers apart.
func (r *raw) like(other *raw) bool {
	same := func(a, b rule.Number) bool { return a.Cmp(b) == 0 }
	return r.bits == other.bits && slices.EqualFunc(r.effect.Points, other.effect.Points, same) &&
		slices.EqualFunc(r.effect.Votes, other.effect.Votes, same)
}

func effectKey(e walk.Effect) string {
	var b strings.Builder
	for _, list := range [][]rule.Number{e.Points, e.Votes} {
		for _, n := range list {
			if n.Sign() != 0 {
				b.WriteString(n.String())
			}
			b.WriteByte(' ')
		}
	}
	return b.String()
}

func addEffects(a, b walk.Effect) walk.Effect {
	out := walk.Effect{Points: make([]rule.Number, len(a.Points)), Votes: make([]rule.Number, len(a.Votes))}
	for i := range a.Points {
		out.Points[i] = a.Points[i].Add(b.Points[i])
	}
	for i := range a.Votes {
		out.Votes[i] = a.Votes[i].Add(b.Votes[i])
	}
	return out
}

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

func (m *model) numberOptions(i int, tell func(walk.Answer) string) ([]raw, error) {
	q := &m.d.Questions[i]
	var out []raw
	for n := *q.From; n.Cmp(*q.To) <= 0; n = n.Add(q.Increment()) {
		a := walk.Answer{Number: &n}
		out = append(out, raw{n: one, effect: m.answerGives(i, a), answer: a, bits: tell(a)})
		if err := m.roomFor(len(out)); err != nil {
			return nil, err
		}
	}
	return merge(m.spread(i, q.ID, tell, out)), nil
}

// open lists stand-ins for answers that cannot be listed: each text or number that a condition mentions, and one that
// is none of them. Which of them come how often is a guess.
func (m *model) open(i int, tell func(walk.Answer) string) ([]raw, bool) {
	q := &m.d.Questions[i]
	var out []raw
	put := func(a walk.Answer) {
		out = append(out, raw{n: one, effect: m.answerGives(i, a), answer: a, bits: tell(a)})
	}
	mentioned := m.mentioned("answer." + q.ID)
	if q.Kind == quiz.NumberQ {
		for _, n := range m.numbersMentioned("answer." + q.ID) {
			if q.From != nil && n.Cmp(*q.From) < 0 || q.To != nil && n.Cmp(*q.To) > 0 {
				continue
			}
			put(walk.Answer{Number: &n})
		}
		if len(out) == 0 {
			n := rule.Int(1)
			if q.From != nil {
				n = *q.From
			} else if q.To != nil {
				n = *q.To
			}
			put(walk.Answer{Number: &n})
		}
	} else {
		if q.Kind == quiz.Consent {
			mentioned = nil
		}
		if q.Kind == quiz.Date {
			mentioned = m.daysTold("answer."+q.ID, mentioned)
		}
		for _, text := range mentioned {
			put(walk.Answer{Text: text})
		}
		if !slices.Contains(mentioned, standIn(q.Kind)) {
			put(walk.Answer{Text: standIn(q.Kind)})
		}
	}
	assumed := len(out) > 1
	return merge(m.spread(i, q.ID, tell, out)), assumed
}

func standIn(k quiz.Kind) string {
	switch k {
	case quiz.Email:
		return "name@example.org"
	case quiz.Phone:
		return "+31612345678"
	case quiz.Date:
		return "2026-03-31"
	case quiz.Consent:
		return "yes"
	}
	return "something else"
}
