package kind

import (
	"maps"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"

	"omphalos/core/rule"
)

// Effect is what one answer adds: points by position of the scale, votes by position of the keyword.
// Weights are already multiplied in.
type Effect struct {
	Points []rule.Number
	Votes  []rule.Number
}

// Add adds another effect, times a factor.
func (e Effect) Add(o Effect, times rule.Number) {
	once := times.Cmp(rule.Int(1)) == 0
	for i, n := range o.Points {
		if !once {
			n = n.Mul(times)
		}
		e.Points[i] = e.Points[i].Add(n)
	}
	for i, n := range o.Votes {
		if !once {
			n = n.Mul(times)
		}
		e.Votes[i] = e.Votes[i].Add(n)
	}
}

// plus is the sum of an effect and another one, times a factor, as a new one.
func (e Effect) plus(o Effect, times rule.Number) Effect {
	out := Effect{slices.Clone(e.Points), slices.Clone(e.Votes)}
	out.Add(o, times)
	return out
}

// key is the same for effects that are equal.
func (e Effect) key() string {
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

// Option is one answer to a question with its weight, or several that nothing tells apart.
type Option struct {
	P      float64  // the weights of a question sum to 1
	N      *big.Int // how many answers it stands for
	Effect Effect
	Answer Answer // an example
	Bits   string // what conditions and formulas see of it
}

// Listing is a question whose answers are listed or drawn, with what that depends on.
type Listing struct {
	*Question
	Gives  func(Answer) Effect // what an answer gives
	Choice func(j int) Effect  // what choice j gives by itself
	// Tell is the same for answers that no condition, table or formula tells apart.
	Tell func(Answer) string
	// Shares are the assumed shares of a field by value; nil where nothing is assumed of it.
	Shares func(field string) map[string]float64
	// Room fails when so many different answers are too many, or when the time is up; Late only when it is.
	Room func(answers int) error
	Late func() error

	Exact     bool                              // a formula sees the very answer
	Mentioned func() []string                   // the texts that conditions compare the answer with
	Numbers   func() []rule.Number              // the numbers that they do
	Days      func(mentioned []string) []string // a day of each class that they tell apart
}

// Share is the assumed share of a value of a field, and whether the field has assumed shares at all.
func (l *Listing) Share(field, value string) (float64, bool) {
	shares := l.Shares(field)
	return shares[value], shares != nil
}

var one = big.NewInt(1)

var once = rule.Int(1)

// option is an answer that stands for itself.
func (l *Listing) option(a Answer) Option {
	return Option{N: one, Effect: l.Gives(a), Answer: a, Bits: l.Tell(a)}
}

// blanks is how many blank answers the question takes: one or none.
func (l *Listing) blanks() int64 {
	if l.Required {
		return 0
	}
	return 1
}

// spread adds the blank answer to those to a question where it may be left blank, and gives each its share of a field:
// assumed, else even, and sums to 1.
func (l *Listing) spread(field string, tell func(Answer) string, out []Option) []Option {
	if !l.Required {
		out = append(out, Option{N: one, Effect: l.Gives(Answer{}), Bits: tell(Answer{})})
	}
	total := 0.0
	for k := range out {
		out[k].P = 1
		if p, ok := l.Share(field, out[k].Answer.one()); ok {
			out[k].P = p
		}
		total += out[k].P
	}
	if total == 0 {
		for k := range out {
			out[k].P = 1
		}
		total = float64(len(out))
	}
	for k := range out {
		out[k].P /= total
	}
	return out
}

// one is the one value that an answer has, as it is named in an assumption; "" is blank.
func (a Answer) one() string {
	switch {
	case len(a.Picks) == 1:
		return a.Picks[0]
	case len(a.Picks) > 0:
		return strings.Join(a.Picks, "|")
	case a.Number != nil:
		return a.Number.String()
	}
	for _, id := range a.Rows {
		return id
	}
	return a.Text
}

// oneChoice lists the choices of a field, of which one is given.
func (l *Listing) oneChoice(field string, tell func(Answer) string, answer func(ids []string) Answer) []Option {
	out, ids := make([]Option, 0, len(l.Choices)+1), make([]string, len(l.Choices))
	for j := range l.Choices {
		ids[j] = l.Choices[j].ID
		a := answer(ids[j : j+1 : j+1])
		out = append(out, Option{N: one, Effect: l.Choice(j), Answer: a, Bits: tell(a)})
	}
	return merge(l.spread(field, tell, out))
}

// open lists stand-ins for answers that cannot be listed: each text that a condition mentions, and one that is none of
// them. Which of them come how often is a guess.
func (l *Listing) open(texts []string, standIn string) ([]Option, bool) {
	var out []Option
	for _, text := range texts {
		out = append(out, l.option(Answer{Text: text}))
	}
	if !slices.Contains(texts, standIn) {
		out = append(out, l.option(Answer{Text: standIn}))
	}
	guessed := len(out) > 1
	return merge(l.spread(l.ID, l.Tell, out)), guessed
}

// apart is the listing with every answer told apart from the others.
func (l *Listing) apart() *Listing {
	out := *l
	out.Tell = func(a Answer) string { return a.Value(l.Question).String() }
	return &out
}

// drawn draws from listed options.
func drawn(list []Option, r *rand.Rand) func() Answer {
	answers, weights := make([]Answer, len(list)), make([]float64, len(list))
	for k := range list {
		answers[k], weights[k] = list[k].Answer, list[k].P
	}
	return among(answers, weights, r)
}

// fewAnswers is up to how many answers are compared one by one.
const fewAnswers = 12

// merge joins options with the same effect that nothing tells apart, in place.
func merge(list []Option) []Option {
	var index map[string]int
	if len(list) > fewAnswers {
		index = make(map[string]int, len(list))
	}
	out := list[:0]
	for i := range list {
		o, at, known := &list[i], -1, false
		if index == nil {
			for at = len(out) - 1; at >= 0 && !o.like(&out[at]); {
				at--
			}
			known = at >= 0
		} else {
			key := o.Effect.key() + "|" + o.Bits
			if at, known = index[key]; !known {
				index[key] = len(out)
			}
		}
		switch {
		case known:
			out[at].P += o.P
			out[at].N = new(big.Int).Add(out[at].N, o.N)
		case len(out) == i:
			out = list[:i+1]
		default:
			out = append(out, *o)
		}
	}
	return out
}

// like reports whether nothing tells two answers apart.
func (o *Option) like(other *Option) bool {
	same := func(a, b rule.Number) bool { return a.Cmp(b) == 0 }
	return o.Bits == other.Bits && slices.EqualFunc(o.Effect.Points, other.Effect.Points, same) &&
		slices.EqualFunc(o.Effect.Votes, other.Effect.Votes, same)
}

// Wheel draws a position with given weights: it holds their running sums.
type Wheel []float64

// NewWheel makes a wheel; with no weight above 0 it is even.
func NewWheel(weights []float64) Wheel {
	w := make(Wheel, len(weights))
	total := 0.0
	for i := range weights {
		total += weights[i]
		w[i] = total
	}
	if total <= 0 {
		for i := range w {
			w[i] = float64(i + 1)
		}
	}
	return w
}

// Turn draws a position.
func (w Wheel) Turn(r *rand.Rand) int {
	f := r.Float64() * w[len(w)-1]
	for i, sum := range w {
		if f < sum {
			return i
		}
	}
	return len(w) - 1
}

// among draws one of some answers.
func among(answers []Answer, weights []float64, r *rand.Rand) func() Answer {
	w := NewWheel(weights)
	return func() Answer { return answers[w.Turn(r)] }
}

// choiceWeights are the weights of the choices of a field, and last that of a blank, where it may be one.
func (l *Listing) choiceWeights(field string) []float64 {
	names := make([]string, 0, len(l.Choices)+1)
	for i := range l.Choices {
		names = append(names, l.Choices[i].ID)
	}
	if !l.Required {
		names = append(names, "")
	}
	weights := make([]float64, len(names))
	for i, name := range names {
		weights[i] = 1
		if share, ok := l.Share(field, name); ok {
			weights[i] = share
		}
	}
	return weights
}

func sortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }
