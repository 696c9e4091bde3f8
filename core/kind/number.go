package kind

import (
	"encoding/json"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"

	"omphalos/core/rule"
)

// Kinds whose answers are numbers.
const (
	Rating  Name = "rating" // shown as steps from one end to the other; it must have both
	NumberQ Name = "number" // typed; without a range it cannot give points
)

// rating is a number that is picked.
type rating struct{ number }

func (rating) About() *About { return &aboutRating }

var aboutRating = About{Name: Rating, Words: "rating", Hints: []string{"rating"}, Range: true, Scale: true}

func (r rating) Check(q *Question, report Report) {
	if !q.Bounded() {
		report("", setFromSuch.With(), ratingHasNoLowestHighest.With(q.Title()))
		return
	}
	checkRange(q, true, report)
}

func (rating) Missing(q *Question, a Answer) *FieldError { return blank(q, a, "choose") }

func (rating) Fresh() []Fresh {
	steps := func(from, to int64) func() Question {
		return func() Question {
			q := asked(Rating)
			q.From, q.To = whole(from), whole(to)
			return q
		}
	}
	return []Fresh{
		{Words: "Rating", Usual: true, Make: steps(1, 5)},
		{Words: "Rating 0–10", Usual: true, Preset: true, Make: steps(0, 10)},
	}
}

// number is a number that is typed.
type number struct{ common }

func (number) About() *About { return &aboutNumber }

var aboutNumber = About{Name: NumberQ, Words: "number", Hints: []string{"number"}, Range: true, Typed: true}

func (number) Check(q *Question, report Report) { checkRange(q, false, report) }

// maxValues is how many values a scored range may have.
const maxValues = 1_000_000

// checkRange checks the range of numbers; all of them are listed where they give points, or always.
func checkRange(q *Question, always bool, report Report) {
	if q.Step != nil && q.Step.Sign() <= 0 {
		report("/step", useNumberAbove.With(), stepSizeIsntPossible.With(q.Step))
	}
	scored := len(q.Linear) > 0 || len(q.Steps) > 0
	switch {
	case q.Bounded() && q.From.Cmp(*q.To) > 0:
		report("/to", makeAtLeastHighFrom.With(), rangeEndsBeforeStarts.With(q.Title()))
	case !q.Bounded() && scored:
		report("", setFrom.With(), numberQuestionGivesPointsSo.With(q.Title()))
	case q.Bounded() && (scored || always) && q.Last().Cmp(rule.Int(maxValues)) > 0:
		report("/to", useLargerStepOrSmaller.With(), rangeHasMoreThanValues.With(q.Title(), maxValues))
	}
}

func (number) Read(q *Question, values func(string) []string) (Answer, error) {
	given, err := only(q, values)
	if err != nil || given == "" {
		return Answer{}, err
	}
	n, err := rule.ParseNumber(strings.Replace(given, "−", "-", 1))
	if err != nil {
		example := "12"
		if q.From != nil {
			example = q.From.String()
		}
		return Answer{}, fault(q.ID, "number_such", example)
	}
	if err := offRange(q, n); err != nil {
		return Answer{}, err
	}
	return Answer{Number: &n}, nil
}

// offRange says why n is not a value of the question; nil when it is one.
func offRange(q *Question, n rule.Number) error {
	bound := func(n *rule.Number) string { return strings.TrimSpace(n.String() + " " + q.Unit) }
	low, high := q.From != nil && n.Cmp(*q.From) < 0, q.To != nil && n.Cmp(*q.To) > 0
	switch {
	case (low || high) && q.Bounded():
		return fault(q.ID, "number_range", q.From, bound(q.To))
	case low:
		return fault(q.ID, "number_least", bound(q.From))
	case high:
		return fault(q.ID, "number_most", bound(q.To))
	}
	switch {
	case n.Cmp(rule.Largest) > 0:
		return fault(q.ID, "number_most", rule.Largest)
	case n.Cmp(rule.Largest.Neg()) < 0:
		return fault(q.ID, "number_least", rule.Largest.Neg())
	}
	base := rule.Int(0)
	if q.From != nil {
		base = *q.From
	}
	if step := q.Increment(); !rule.Ratio(n.Sub(base), step).IsInt() {
		if step.Cmp(rule.Int(1)) == 0 && base.IsInt() {
			return fault(q.ID, "number_whole")
		}
		return fault(q.ID, "number_steps", step, base)
	}
	if places, ok := n.Places(); !ok || places > rule.MaxPlaces {
		return fault(q.ID, "decimals", rule.MaxPlaces)
	}
	return nil
}

func (number) Missing(q *Question, a Answer) *FieldError { return blank(q, a, "type_number") }

func (number) Take(q *Question, g Given) (Answer, error) {
	switch {
	case g.Number != nil:
		return Read(q, func(string) []string { return []string{g.Number.String()} })
	case g.Text == "" && g.List == nil && g.Rows == nil:
		return Answer{}, nil
	}
	return Answer{}, errForm
}

func (number) JSON(a Answer) any {
	if a.Number == nil {
		return ""
	}
	return json.Number(a.Number.String())
}

func (number) Facts(*Question) []Fact { return answerFact(rule.NumberType) }

func (number) Value(_ *Question, a Answer, part string) rule.Value {
	if part != "" || a.Number == nil {
		return rule.Value{}
	}
	return rule.NumValue(*a.Number)
}

// Best tries the ends of the range and of each step: a linear function is greatest at an end.
func (number) Best(q *Question, _ func(int) rule.Number, values func() []rule.Number) rule.Number {
	best, found := rule.Number{}, !q.Required
	for _, p := range values() {
		if !found || p.Cmp(best) > 0 {
			best, found = p, true
		}
	}
	return best
}

func (number) First(q *Question) Answer {
	if !q.Required || q.From == nil {
		return Answer{}
	}
	n := *q.From
	return Answer{Number: &n}
}

// maxNear is how many values of a range are near one, on either side of it.
const maxNear = 20

func (number) Near(q *Question, a Answer) []Answer {
	if !q.Bounded() {
		return nil
	}
	base := *q.From
	if a.Number != nil {
		base = *a.Number
	}
	var out []Answer
	for k := -maxNear; k <= maxNear; k++ {
		n := base.Add(q.Increment().Mul(rule.Int(int64(k))))
		if k != 0 && n.Cmp(*q.From) >= 0 && n.Cmp(*q.To) <= 0 {
			out = append(out, Answer{Number: &n})
		}
	}
	return out
}

// maxListed is how many values of a range can be given shares one by one.
const maxListed = 21

func (number) Listed(q *Question) []string {
	if !q.Bounded() {
		return nil
	}
	var out []string
	for v := *q.From; v.Cmp(*q.To) <= 0; v = v.Add(q.Increment()) {
		if out = append(out, v.String()); len(out) > maxListed {
			return nil
		}
	}
	return withBlank(q, out)
}

// Options are the values of the range; without one those that conditions mention, or any one.
func (number) Options(l *Listing) ([]Option, bool, error) {
	var out []Option
	if l.Bounded() {
		for n := *l.From; n.Cmp(*l.To) <= 0; n = n.Add(l.Increment()) {
			out = append(out, l.option(Answer{Number: &n}))
			if err := l.Room(len(out)); err != nil {
				return nil, false, err
			}
		}
		return merge(l.spread(l.ID, l.Tell, out)), false, nil
	}
	for _, n := range l.Numbers() {
		if l.From != nil && n.Cmp(*l.From) < 0 || l.To != nil && n.Cmp(*l.To) > 0 {
			continue
		}
		out = append(out, l.option(Answer{Number: &n}))
	}
	if len(out) == 0 {
		n := rule.Int(1)
		if l.From != nil {
			n = *l.From
		} else if l.To != nil {
			n = *l.To
		}
		out = append(out, l.option(Answer{Number: &n}))
	}
	guessed := len(out) > 1
	return merge(l.spread(l.ID, l.Tell, out)), guessed, nil
}

func (k number) Count(l *Listing) *big.Int {
	if l.Bounded() {
		last, _ := l.Last().Scaled(0)
		return big.NewInt(last + 1 + l.blanks())
	}
	list, _, _ := k.Options(l.apart())
	return big.NewInt(int64(len(list)))
}

func (k number) Draw(l *Listing, r *rand.Rand) func() Answer {
	if !l.Bounded() {
		list, _, _ := k.Options(l.apart())
		return drawn(list, r)
	}
	step := l.Increment()
	last, _ := l.Last().Scaled(0)
	at := func(k int64) Answer {
		n := l.From.Add(step.Mul(rule.Int(k)))
		return Answer{Number: &n}
	}
	if answers, weights := assumedNumbers(l, last, at); len(answers) > 0 {
		return among(answers, weights, r)
	}
	return func() Answer {
		if k := r.Int64N(last + 1 + l.blanks()); k <= last {
			return at(k)
		}
		return Answer{}
	}
}

// assumedNumbers are the numbers of the range that have an assumed share, in ascending order, and the blank.
func assumedNumbers(l *Listing, last int64, at func(int64) Answer) (answers []Answer, weights []float64) {
	shares := l.Shares(l.ID)
	for _, text := range sortedKeys(shares) {
		n, err := rule.ParseNumber(text)
		if err != nil || shares[text] <= 0 {
			continue
		}
		k, isWhole := rule.Ratio(n.Sub(*l.From), l.Increment()).Scaled(0)
		if isWhole && k >= 0 && k <= last {
			answers = append(answers, at(k))
		}
	}
	slices.SortFunc(answers, func(a, b Answer) int { return a.Number.Cmp(*b.Number) })
	for _, a := range answers {
		weights = append(weights, shares[a.Number.String()])
	}
	if len(shares) > 0 && !l.Required {
		answers, weights = append(answers, Answer{}), append(weights, shares[""])
	}
	return answers, weights
}

func (number) Fresh() []Fresh {
	return []Fresh{{Words: "Number", Usual: true, Make: func() Question {
		q := asked(NumberQ)
		q.From, q.To = whole(0), whole(100)
		return q
	}}}
}

func whole(n int64) *rule.Number { v := rule.Int(n); return &v }
