package kind

import (
	"cmp"
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"

	"omphalos/core/rule"
)

// Multiple is the kind of a question with choices of which several are given.
const Multiple Name = "multiple"

type multiple struct{ common }

func (multiple) About() *About { return &aboutMultiple }

var aboutMultiple = About{
	Name: Multiple, Words: "multiple choice", Hints: []string{"several"},
	Choices: true, Picks: true, Many: true, Alone: true,
}

func (multiple) Check(q *Question, report Report) {
	checkChoices(q, report)
	least, most := q.Picks()
	open := 0
	for _, choice := range q.Choices {
		if !choice.Exclusive {
			open++
		}
	}
	if q.Least < 0 || q.Most < 0 || least > 1 && open < least || least > most || q.Most > 0 && q.Most < q.Least ||
		q.Least > len(q.Choices) {
		report("/least", setAtLeastNoHigher.With(), impossibleChooseAnswers.With(q.Least, q.Most, len(q.Choices)))
	}
}

func (multiple) Read(q *Question, values func(string) []string) (Answer, error) {
	given := values(q.ID)
	switch {
	case len(given) == 0:
		return Answer{}, nil
	case q.ChoicesFrom != nil:
		return Answer{Text: given[0]}, nil
	}
	picked := map[string]bool{}
	for _, v := range given {
		id, err := choiceOf(q, q.ID, v)
		if err != nil {
			return Answer{}, err
		}
		picked[id] = true
	}
	var a Answer
	for _, c := range q.Choices {
		if !picked[c.ID] {
			continue
		}
		if c.Exclusive && len(picked) > 1 {
			return Answer{}, fault(q.ID, "alone", c.Title())
		}
		a.Picks = append(a.Picks, c.ID)
	}
	if err := allowedSize(q, len(a.Picks)); err != nil {
		return Answer{}, err
	}
	return other(q, a, values)
}

// allowedSize refuses answers with too few or too many choices.
func allowedSize(q *Question, n int) error {
	least, most := q.Picks()
	switch {
	case n > most:
		return fault(q.ID, "choose_most", most, n)
	case n < least:
		return fault(q.ID, "choose_least", least, n)
	}
	return nil
}

func (multiple) Missing(q *Question, a Answer) *FieldError { return blank(q, a, "choose_some") }

func (multiple) Take(q *Question, g Given) (Answer, error) { return take(q, g) }

func (multiple) JSON(a Answer) any { return slices.Concat([]string{}, a.Picks) }

func (multiple) Facts(*Question) []Fact { return answerFact(rule.SetType) }

func (multiple) Value(_ *Question, a Answer, part string) rule.Value {
	if part != "" {
		return rule.Value{}
	}
	return rule.SetValue(a.Picks)
}

func (multiple) Picked() (part string, one, several rule.Op) { return "", rule.OpHas, "" }

func (multiple) Counts(q *Question, a Answer, f func(int, rule.Number)) { countPicks(q, a, f) }

// Best is the best sum of least to most picks without an exclusive choice, or of one exclusive choice alone, or 0 of a
// permitted blank.
func (multiple) Best(q *Question, points func(int) rule.Number, _ func() []rule.Number) rule.Number {
	least, most := q.Picks()
	best, found := rule.Number{}, !q.Required
	offer := func(n rule.Number) {
		if !found || n.Cmp(best) > 0 {
			best, found = n, true
		}
	}
	var open []rule.Number
	for j, choice := range q.Choices {
		p := points(j)
		if !choice.Exclusive {
			open = append(open, p)
		} else if least == 1 {
			offer(p)
		}
	}
	slices.SortFunc(open, func(a, b rule.Number) int { return b.Cmp(a) })
	sum := rule.Number{}
	for n, p := range open {
		sum = sum.Add(p)
		if n+1 >= least && n+1 <= most {
			offer(sum)
		}
	}
	return best
}

func (multiple) First(q *Question) Answer {
	if !q.Required {
		return Answer{}
	}
	least, _ := q.Picks()
	return Answer{Picks: choiceIDs(q)[:min(least, len(q.Choices))]}
}

func (multiple) Near(q *Question, a Answer) []Answer {
	var out []Answer
	for _, c := range q.Choices {
		picks := slices.Clone(a.Picks)
		if i := slices.Index(picks, c.ID); i >= 0 {
			picks = slices.Delete(picks, i, i+1)
		} else {
			picks = append(picks, c.ID)
		}
		next, err := Read(q, func(string) []string { return picks })
		if err == nil && !next.Blank() {
			out = append(out, next)
		}
	}
	return out
}

func (multiple) Listed(q *Question) []string { return withBlank(q, choiceIDs(q)) }

// Options builds the allowed sets of picks choice by choice. Sets that end alike, with as many picks, are kept as one:
// of 8 choices the 218 sets of at most 5 become about 20.
func (multiple) Options(l *Listing) ([]Option, bool, error) {
	b := newPicker(l)
	for j := range l.Choices {
		if l.Choices[j].Exclusive {
			b.exclude(j)
		} else {
			b.offer(j)
		}
		if b.err != nil {
			return nil, false, b.err
		}
	}
	out := b.allowed()
	b.shareOut(out)
	return merge(out), false, nil
}

// picker builds sets of picks.
type picker struct {
	*Listing
	least     int
	most      int
	mentioned map[string]bool // choices that conditions ask for
	sets      []pickSet       // of the choices so far
	alone     []pickSet       // exclusive ones
	err       error           // they are too many
}

// pickSet is a set of picks, or several that end alike.
type pickSet struct {
	Option
	picks int
}

func newPicker(l *Listing) *picker {
	b := &picker{Listing: l, mentioned: map[string]bool{}}
	b.least, b.most = l.Question.Picks()
	// Conditions see which of the choices they mention are picked, how many are, and, of one pick, which it is.
	for _, id := range l.Mentioned() {
		b.mentioned[id] = true
	}
	b.sets = []pickSet{{Option: Option{P: 1, N: one, Effect: l.Gives(Answer{})}}}
	return b
}

// chance is the weight of picking a choice, and of not picking it: even, or as assumed.
func (b *picker) chance(j int) (in, out float64) {
	if p, ok := b.Share(b.ID, b.Choices[j].ID); ok {
		return p, max(0, 1-p)
	}
	return 1, 1
}

// key is the same for sets that nothing can tell apart.
func (b *picker) key(s pickSet) string {
	if b.Exact {
		return strings.Join(s.Answer.Picks, "|")
	}
	var seen []string
	for _, id := range s.Answer.Picks {
		if b.mentioned[id] {
			seen = append(seen, id)
		}
	}
	return fmt.Sprint(s.Effect.key(), s.picks, seen)
}

// exclude takes an exclusive choice: it makes a set of its own, and no other one has it.
func (b *picker) exclude(j int) {
	in, out := b.chance(j)
	if b.least == 1 {
		for k := range b.Choices {
			if k != j {
				_, not := b.chance(k)
				in *= not
			}
		}
		answer := Answer{Picks: []string{b.Choices[j].ID}}
		b.alone = append(b.alone, pickSet{Option{P: in, N: one, Effect: b.Choice(j), Answer: answer}, 1})
	}
	for k := range b.sets {
		b.sets[k].P *= out
	}
}

// looksUpFrom is how many sets go by between two looks at how much room there is.
const looksUpFrom = 1 << 10

// offer makes of each set one without a choice and one with it.
func (b *picker) offer(j int) {
	in, out := b.chance(j)
	effect := b.Choice(j)
	index := map[string]int{}
	var next []pickSet
	put := func(s pickSet) {
		k := b.key(s)
		if at, ok := index[k]; ok {
			next[at].P += s.P
			next[at].N = new(big.Int).Add(next[at].N, s.N)
			return
		}
		index[k] = len(next)
		next = append(next, s)
	}
	for n, s := range b.sets {
		if n%looksUpFrom == 0 {
			if b.err = cmp.Or(b.Room(len(next)), b.Late()); b.err != nil {
				return
			}
		}
		without := s
		without.P *= out
		put(without)
		if s.picks < b.most {
			with := s
			with.P *= in
			with.picks++
			with.Effect = s.Effect.plus(effect, once)
			with.Answer = Answer{Picks: append(slices.Clone(s.Answer.Picks), b.Choices[j].ID)}
			put(with)
		}
	}
	b.sets = next
}

// allowed are the sets that the question takes as an answer, the blank one among them.
func (b *picker) allowed() []Option {
	var out []Option
	for _, s := range append(b.sets, b.alone...) {
		if s.picks == 0 && b.Required || s.picks > 0 && s.picks < b.least {
			continue
		}
		// An even blank counts as one answer more; an assumed one has its own share.
		if p, ok := b.Share(b.ID, ""); ok && s.picks == 0 {
			s.P = p
		}
		s.Bits = b.Tell(s.Answer)
		out = append(out, s.Option)
	}
	return out
}

// shareOut makes weights probabilities. The picks share what an assumed blank leaves.
func (b *picker) shareOut(list []Option) {
	total := 0.0
	for k := range list {
		total += list[k].P
	}
	if blank, ok := b.Share(b.ID, ""); ok && !b.Required && blank < 1 {
		rest := total - blank
		for k := range list {
			if !list[k].Answer.Blank() && rest > 0 {
				list[k].P *= (1 - blank) / rest
			}
		}
		if total = 1; rest <= 0 {
			total = blank
		}
	}
	for k := range list {
		if total > 0 {
			list[k].P /= total
		} else {
			list[k].P = 1 / float64(len(list))
		}
	}
}

// Count is how many allowed sets of picks there are.
func (multiple) Count(l *Listing) *big.Int {
	least, most := l.Question.Picks()
	sets, open := big.NewInt(l.blanks()), int64(0)
	for j := range l.Choices {
		switch {
		case !l.Choices[j].Exclusive:
			open++
		case least == 1:
			sets.Add(sets, one)
		}
	}
	for n := int64(max(1, least)); n <= min(int64(most), open); n++ {
		sets.Add(sets, new(big.Int).Binomial(open, n))
	}
	return sets
}

// Draw draws an allowed set: even sets by their size first, assumed ones choice by choice.
func (multiple) Draw(l *Listing, r *rand.Rand) func() Answer {
	even := evenPicks(l.Question, r)
	if _, assumed := l.Share(l.ID, ""); !assumed {
		return even
	}
	p := newPickOdds(l)
	return func() Answer {
		if !l.Required && r.Float64() < p.share("") {
			return Answer{}
		}
		kind := p.kinds.Turn(r)
		switch {
		case p.none:
			return even()
		case kind > 0:
			return Answer{Picks: []string{p.alone[kind-1]}}
		}
		var picks []string
		for j, id := range p.open {
			share := min(1, p.share(id))
			with := share * p.rest[j+1][len(picks)+1]
			if without := (1 - share) * p.rest[j+1][len(picks)]; r.Float64()*(with+without) < with {
				picks = append(picks, id)
			}
		}
		return Answer{Picks: picks}
	}
}

// pickOdds are the chances by which picks are drawn one after the other, given that they come to an allowed set: each
// choice is picked or not by its own share, and sets that are not allowed do not happen.
type pickOdds struct {
	share func(id string) float64
	open  []string // choices that go with others
	alone []string // exclusive ones
	kinds Wheel    // a set of open choices, or one of the exclusive ones
	none  bool     // no allowed set has a chance
	// rest[j][n] is the chance that n picks among the open choices before j, with what is picked from j on, make a set
	// of an allowed size.
	rest [][]float64
}

func newPickOdds(l *Listing) *pickOdds {
	p := &pickOdds{share: func(id string) float64 { share, _ := l.Share(l.ID, id); return share }}
	least, most := l.Question.Picks()
	for j := range l.Choices {
		if !l.Choices[j].Exclusive {
			p.open = append(p.open, l.Choices[j].ID)
		} else if least == 1 {
			p.alone = append(p.alone, l.Choices[j].ID)
		}
	}
	p.rest = make([][]float64, len(p.open)+1)
	for j := len(p.open); j >= 0; j-- {
		p.rest[j] = make([]float64, len(p.open)+2)
		for n := 0; n <= j; n++ {
			switch {
			case j < len(p.open):
				share := min(1, p.share(p.open[j]))
				p.rest[j][n] = share*p.rest[j+1][n+1] + (1-share)*p.rest[j+1][n]
			case n >= least && n <= most:
				p.rest[j][n] = 1
			}
		}
	}
	p.weighKinds(l.Question)
	return p
}

// weighKinds weighs sets of open choices against each exclusive choice alone.
func (p *pickOdds) weighKinds(q *Question) {
	nobody := func(but string, exclusive bool) float64 {
		product := 1.0
		for j := range q.Choices {
			if c := &q.Choices[j]; c.ID != but && (c.Exclusive || !exclusive) {
				product *= max(0, 1-p.share(c.ID))
			}
		}
		return product
	}
	weights := []float64{nobody("", true) * p.rest[0][0]}
	total := weights[0]
	for _, id := range p.alone {
		w := p.share(id) * nobody(id, false)
		weights, total = append(weights, w), total+w
	}
	p.kinds, p.none = NewWheel(weights), total <= 0
}

// evenPicks draws how many are picked, by how many sets there are of each size, and then which.
func evenPicks(q *Question, r *rand.Rand) func() Answer {
	least, most := q.Picks()
	var open, alone []int
	for j := range q.Choices {
		if !q.Choices[j].Exclusive {
			open = append(open, j)
		} else if least == 1 {
			alone = append(alone, j)
		}
	}
	weights := make([]float64, most+1, most+2)
	ways := 1.0
	for n := 0; n <= most && n <= len(open); n++ {
		if n >= least {
			weights[n] = ways
		}
		ways = ways * float64(len(open)-n) / float64(n+1)
	}
	if !q.Required {
		weights[0] = 1
	}
	sizes := NewWheel(append(weights, float64(len(alone))))
	return func() Answer {
		n := sizes.Turn(r)
		switch {
		case n == 0:
			return Answer{}
		case n > most:
			return Answer{Picks: []string{q.Choices[alone[r.IntN(len(alone))]].ID}}
		}
		for i := range n { // the first n of a shuffle
			j := i + r.IntN(len(open)-i)
			open[i], open[j] = open[j], open[i]
		}
		set := slices.Sorted(slices.Values(open[:n]))
		picks := make([]string, n)
		for i, j := range set {
			picks[i] = q.Choices[j].ID
		}
		return Answer{Picks: picks}
	}
}

func (multiple) Fresh() []Fresh {
	return []Fresh{{Words: "Multiple choice", Usual: true, Make: freshChoices(Multiple, "", "a1", "a2")}}
}
