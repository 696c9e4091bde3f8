package kind

import (
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"

	"omphalos/core/rule"
)

// FirstPart is what stands behind the id of a ranking where its first place is meant.
const FirstPart = ".first"

// Ranking is the kind of a question whose choices are put in order, the best first.
const Ranking Name = "ranking"

// ranking gives the points and votes of what stands at place i times the i-th of its places; those past the list give
// nothing.
type ranking struct{ common }

func (ranking) About() *About { return &aboutRanking }

var aboutRanking = About{
	Name: Ranking, Words: "ranking", Hints: []string{"ranking", "order"},
	Choices: true, Picks: true, Many: true, Ordered: true,
}

// maxOrderings is how many orderings a question may have, the blank answer not counted.
const maxOrderings = 50_000

// Picks are the least and most choices that are put in order; by default all are.
func (ranking) Picks(q *Question) (least, most int) {
	most = q.most()
	if least = q.Least; least == 0 {
		least = most
	}
	return least, most
}

func (k ranking) Check(q *Question, report Report) {
	if q.ChoicesFrom != nil || len(q.Choices) == 0 {
		report("/choices", addAnAnswer.With(), questionHasNoAnswersChoose.With(q.Title()))
		return
	}
	least, most := k.Picks(q)
	if q.Least < 0 || q.Most < 0 || q.Most > len(q.Choices) || least > most {
		report("/least", setAtLeastNoHigher.With(), impossibleChooseAnswers.With(q.Least, q.Most, len(q.Choices)))
		return
	}
	if k.orderings(q).Cmp(big.NewInt(maxOrderings)) > 0 {
		report("", rankFewerAnswers.With(), rankingHasMoreOrderings.With(q.Title(), maxOrderings))
	}
}

// Read reads choices in the order in which they are given.
func (ranking) Read(q *Question, values func(string) []string) (Answer, error) {
	var a Answer
	for _, v := range values(q.ID) {
		id, err := choiceOf(q, q.ID, v)
		if err != nil {
			return Answer{}, err
		}
		if slices.Contains(a.Picks, id) {
			return Answer{}, fault(q.ID, "twice", q.Choices[q.Choice(id)].Title())
		}
		a.Picks = append(a.Picks, id)
	}
	if len(a.Picks) == 0 {
		return a, nil
	}
	a.Ordered = true
	if err := allowedSize(q, len(a.Picks)); err != nil {
		return Answer{}, err
	}
	return other(q, a, values)
}

func (ranking) Missing(q *Question, a Answer) *FieldError { return blank(q, a, "order_some") }

func (ranking) Take(q *Question, g Given) (Answer, error) { return take(q, g) }

func (ranking) JSON(a Answer) any { return slices.Concat([]string{}, a.Picks) }

func (ranking) Facts(*Question) []Fact {
	return []Fact{
		{Type: rule.OrderType, Whole: true},
		{Part: "first", Words: "first place", Type: rule.ChoiceType, Whole: true},
	}
}

func (ranking) Value(_ *Question, a Answer, part string) rule.Value {
	switch {
	case part == "":
		return rule.SetValue(a.Picks)
	case part == "first" && len(a.Picks) > 0:
		return rule.TextValue(a.Picks[0])
	}
	return rule.Value{}
}

// Picked asks what stands first.
func (ranking) Picked() (part string, one, several rule.Op) { return "first", rule.OpIs, rule.OpIn }

func ordered(picks []string) Answer { return Answer{Picks: picks, Ordered: true} }

// place is what the place at a position counts.
func (q *Question) place(i int) rule.Number {
	switch {
	case len(q.Places) == 0:
		return once
	case i < len(q.Places):
		return q.Places[i]
	}
	return rule.Number{}
}

func (ranking) Counts(q *Question, a Answer, f func(int, rule.Number)) {
	for i, id := range a.Picks {
		if j := q.Choice(id); j >= 0 {
			f(j, q.place(i))
		}
	}
}

// Best tries which choice stands at each place. Between two choices that are both in the list, the one with more points
// stands where more is counted; so the choices that stand at places sorted by what they count are sorted by points too,
// and the best sum is found place by place, with how many choices were left out.
func (k ranking) Best(q *Question, points func(int) rule.Number, _ func() []rule.Number) rule.Number {
	least, most := k.Picks(q)
	gives := make([]rule.Number, len(q.Choices))
	for j := range gives {
		gives[j] = points(j)
	}
	slices.SortFunc(gives, func(a, b rule.Number) int { return b.Cmp(a) })
	best, found := rule.Number{}, !q.Required
	for n := least; n <= most; n++ {
		places := make([]rule.Number, n)
		for i := range places {
			places[i] = q.place(i)
		}
		slices.SortFunc(places, func(a, b rule.Number) int { return b.Cmp(a) })
		if sum := bestMatch(gives, places); !found || sum.Cmp(best) > 0 {
			best, found = sum, true
		}
	}
	return best
}

// bestMatch is the greatest sum of products of places and different ones of gives, both in descending order.
func bestMatch(gives, places []rule.Number) rule.Number {
	sums := make([]rule.Number, len(places)+1) // of the first places, with the choices so far
	known := make([]bool, len(places)+1)
	known[0] = true
	for _, g := range gives {
		for i := len(places); i > 0; i-- {
			if !known[i-1] {
				continue
			}
			if sum := sums[i-1].Add(g.Mul(places[i-1])); !known[i] || sum.Cmp(sums[i]) > 0 {
				sums[i], known[i] = sum, true
			}
		}
	}
	return sums[len(places)]
}

func (k ranking) First(q *Question) Answer {
	if !q.Required {
		return Answer{}
	}
	least, _ := k.Picks(q)
	return ordered(choiceIDs(q)[:min(least, len(q.Choices))])
}

// Near are the orderings in which two neighbours have changed places, or one at the end has come, gone, or been
// replaced.
func (k ranking) Near(q *Question, a Answer) []Answer {
	if a.Blank() {
		required := *q
		required.Required = true
		return []Answer{k.First(&required)}
	}
	least, most := k.Picks(q)
	var out []Answer
	for i := 1; i < len(a.Picks); i++ {
		picks := slices.Clone(a.Picks)
		picks[i-1], picks[i] = picks[i], picks[i-1]
		out = append(out, ordered(picks))
	}
	if n := len(a.Picks); n > least {
		out = append(out, Answer{Picks: a.Picks[: n-1 : n-1]})
	}
	for _, c := range q.Choices {
		if slices.Contains(a.Picks, c.ID) {
			continue
		}
		replaced := slices.Clone(a.Picks)
		replaced[len(replaced)-1] = c.ID
		out = append(out, ordered(replaced))
		if len(a.Picks) < most {
			out = append(out, ordered(append(slices.Clone(a.Picks), c.ID)))
		}
	}
	return out
}

// orderings is how many there are, the blank one not counted.
func (k ranking) orderings(q *Question) *big.Int {
	least, most := k.Picks(q)
	total, ways := new(big.Int), big.NewInt(1)
	for n := 1; n <= most; n++ {
		ways.Mul(ways, big.NewInt(int64(len(q.Choices)-n+1)))
		if n >= least {
			total.Add(total, ways)
		}
	}
	return total
}

func (k ranking) Count(l *Listing) *big.Int {
	n := k.orderings(l.Question)
	return n.Add(n, big.NewInt(l.blanks()))
}

// Options goes through all orderings, place by place. All are equally likely, but for shares that are assumed of some,
// named by their ids with "|" between them.
func (k ranking) Options(l *Listing) ([]Option, bool, error) {
	o := orderer{Listing: l, index: map[string]int{}}
	o.least, o.most = k.Picks(l.Question)
	o.effects = make([]Effect, len(l.Choices))
	for j := range o.effects {
		o.effects[j] = l.Choice(j)
	}
	if !l.Required {
		o.put(Answer{}, l.Gives(Answer{}))
	}
	if err := o.extend(nil, make([]bool, len(l.Choices)), l.Gives(Answer{})); err != nil {
		return nil, false, err
	}
	total := 0.0
	for i := range o.out {
		total += o.out[i].P
	}
	for i := range o.out {
		if total > 0 {
			o.out[i].P /= total
		} else { // none of the shares is one of an ordering
			o.out[i].P = 1 / float64(len(o.out))
		}
	}
	return o.out, false, nil
}

// orderer lists orderings.
type orderer struct {
	*Listing
	least, most int
	effects     []Effect // by choice
	out         []Option
	index       map[string]int // of out, by what tells options apart
}

// put adds an ordering to those like it.
func (o *orderer) put(a Answer, e Effect) {
	p := 1.0
	if share, assumed := o.Share(o.ID, a.one()); assumed {
		p = share
	}
	bits := o.Tell(a)
	key := e.key() + "|" + bits
	if at, known := o.index[key]; known {
		o.out[at].P += p
		o.out[at].N = new(big.Int).Add(o.out[at].N, one)
		return
	}
	o.index[key] = len(o.out)
	given := Answer{Picks: slices.Clone(a.Picks), Ordered: len(a.Picks) > 0}
	o.out = append(o.out, Option{P: p, N: one, Effect: e, Answer: given, Bits: bits})
}

// extend puts an ordering, where it is long enough, and all that begin with it.
func (o *orderer) extend(picks []string, taken []bool, e Effect) error {
	if n := len(picks); n >= o.least && n > 0 {
		o.put(Answer{Picks: picks}, e)
	}
	if len(picks) == o.most {
		return nil
	}
	if err := o.Room(len(o.out)); err != nil {
		return err
	}
	for j := range o.Choices {
		if taken[j] {
			continue
		}
		taken[j] = true
		next := append(picks, o.Choices[j].ID)
		if err := o.extend(next, taken, e.plus(o.effects[j], o.place(len(picks)))); err != nil {
			return err
		}
		taken[j] = false
	}
	return nil
}

func (k ranking) Draw(l *Listing, r *rand.Rand) func() Answer {
	if shares := l.Shares(l.ID); shares != nil {
		var answers []Answer
		var weights []float64
		for _, text := range sortedKeys(shares) {
			a, err := k.Read(l.Question, func(string) []string { return strings.Split(text, "|") })
			if text == "" {
				a, err = Answer{}, nil
			}
			if err == nil && (text != "" || !l.Required) {
				answers, weights = append(answers, a), append(weights, shares[text])
			}
		}
		if len(answers) > 0 {
			return among(answers, weights, r)
		}
	}
	least, most := k.Picks(l.Question)
	weights := make([]float64, most+1)
	ways := 1.0
	for n := 1; n <= most; n++ {
		if ways *= float64(len(l.Choices) - n + 1); n >= least {
			weights[n] = ways
		}
	}
	weights[0] = float64(l.blanks())
	sizes := NewWheel(weights)
	return func() Answer {
		n := sizes.Turn(r)
		if n == 0 {
			return Answer{}
		}
		a := Answer{Ordered: true}
		for _, j := range r.Perm(len(l.Choices))[:n] {
			a.Picks = append(a.Picks, l.Choices[j].ID)
		}
		return a
	}
}

func (ranking) Fresh() []Fresh {
	return []Fresh{form("Ranking", freshChoices(Ranking, "", "a1", "a2", "a3"))}
}
