package reach

import (
	"context"
	"slices"
	"strings"

	"omphalos/core/fact"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// model is a document made ready for counting.
type model struct {
	d      *quiz.Document
	c      *walk.Compiled
	twin   *walk.Compiled // see newTwin; nil for none
	assume *Assumption

	slots    []slot // visitor facts first, then one for each question
	visitors int    // how many slots are visitor facts
	scale    []unit
	keyword  []unit
	forms    []form
	atoms    []atom
	atomKey  map[string]int
	compared []comparison // by conditions and tables
	forest   *forest
	formulas []*rule.Formula
	settled  []map[int64]int32 // by slot: tree and class of truths to what is left
	// Options of a slot that give its atoms the same truths are one class, numbered from 1.
	classList [][][]bool
	classOf   [][]int

	visible  []int32   // by question: its tree
	branches [][]int32 // by question
	lines    []line
	steps    [][]int // by question: the questions that can follow an answer; len(questions) is the end
	assumed  []string
	pinned   map[int]walk.Answer // by question: the one answer that it has
	former   map[int][]option    // by question that was edited: what it gave before
	numbers  int                 // points and votes of all answers that have been listed
	within   context.Context     // the time for counting, while the model is made
	err      error
}

// line is one verdict line, or one row of a table, made flat.
type line struct {
	number int // 1-based
	row    int
	when   int32
	body   compiled // what decides
	// The body, where it is of one of these kinds: much advice is about cut points and leaders alone.
	bands  *bandsLine
	leader *leaderLine
	matrix *matrixLine
}

// cutsIn are the cut points that a line looks at.
func (l *line) cutsIn() []*bandsLine {
	switch {
	case l.bands != nil:
		return []*bandsLine{l.bands}
	case l.matrix != nil:
		return []*bandsLine{l.matrix.across, l.matrix.down}
	}
	return nil
}

type bandsLine struct {
	cuts     []rule.Number
	outcomes []string  // by cut; of bands
	form     int       // -1 for a computed value
	norm     quiz.Norm // of a standing
	blank    bool      // a standing without a norm
	at       []int     // position of each cut's threshold in the form
	computed int
	on       string
}

// matrixLine is two lists of cut points crossed.
type matrixLine struct {
	across, down *bandsLine
	outcomes     [][]string // by band of down and of across; "" decides nothing
}

type leaderLine struct {
	listed   []bool // by keyword
	outcomes []string
	latest   bool
	question int // whose votes break ties, or -1
}

// form is a number that conditions and bands compare with thresholds: v ≥ threshold, all in whole units.
type form struct {
	kind       formKind
	at         int
	thresholds []int64
}

type formKind uint8

const (
	formScale formKind = iota
	formPercent
	formKeyword
)

const (
	atomFalse = -1
	atomTrue  = -2
)

// newModel compiles a document for counting under an assumption (nil is even). A document that is too much for that,
// or for the time that within gives, makes a model with err set: it can be simulated, and not counted.
func newModel(within context.Context, d *quiz.Document, assume *Assumption) (*model, error) {
	c, err := walk.New(d)
	if err != nil {
		return nil, err
	}
	return newTwin(within, c, assume, nil)
}

// newTwin is newModel for a document next to another one with the same questions, answers and conditions on them: its
// options are listed as finely as to tell apart what an answer gives in either, so that both models list the same.
func newTwin(within context.Context, c *walk.Compiled, assume *Assumption, twin *walk.Compiled) (*model, error) {
	d := c.Doc
	if err := assume.check(d); err != nil {
		return nil, err
	}
	m := &model{
		d: d, c: c, twin: twin, assume: assume, forest: newForest(), atomKey: map[string]int{}, formulas: d.Formulas(),
		compared: comparisons(d), within: within,
	}
	for i := range d.Scales {
		m.forms = append(m.forms, form{kind: formScale, at: i})
	}
	for i := range d.Scales {
		m.forms = append(m.forms, form{kind: formPercent, at: i})
	}
	for i := range d.Keywords {
		m.forms = append(m.forms, form{kind: formKeyword, at: i})
	}
	if m.err = m.fillSlots(); m.err != nil {
		return m.inTime(), nil
	}
	for i := range d.Questions {
		q := &d.Questions[i]
		m.visible = append(m.visible, m.plant(q.VisibleIf))
		var branches []int32
		next := []int{i + 1}
		for j := range q.Branches {
			branches = append(branches, m.plant(&q.Branches[j].When))
			if id, ok := strings.CutPrefix(q.Branches[j].Go, "question:"); ok {
				next = append(next, d.Question(id))
			} else if q.Branches[j].Go == "finish" {
				next = append(next, len(d.Questions))
			}
		}
		m.branches = append(m.branches, branches)
		slices.Sort(next)
		m.steps = append(m.steps, slices.Compact(next))
	}
	m.fillLines()
	m.sortThresholds()
	if m.err == nil && m.daysUnsure() {
		m.err = errBudget // what a date is today is not settled by either of the two
	}
	if m.err == nil {
		m.err = m.fillTruths()
	}
	if m.err == nil && len(m.forest.nodes) > maxNodes {
		m.err = errManyConditions
	}
	return m.inTime(), nil
}

// inTime takes the end of the time for counting for what it means to a model: it is too much to be counted.
func (m *model) inTime() *model {
	if m.err != nil && m.within.Err() != nil {
		m.err = errBudget
	}
	return m
}

func (m *model) n() int { return len(m.d.Questions) }

// turns reports whether walks can go different ways.
func (m *model) turns() bool {
	if m.err != nil {
		return true // not known
	}
	hidden := slices.ContainsFunc(m.visible, func(tree int32) bool { return tree != trueNode })
	return hidden || slices.ContainsFunc(m.branches, func(list []int32) bool { return len(list) > 0 })
}

// onlyScale is the one number that conditions and verdicts look at, where that is a scale; else -1.
func (m *model) onlyScale() int {
	only := -1
	for f := range m.forms {
		switch {
		case len(m.forms[f].thresholds) == 0:
		case only >= 0 || m.forms[f].kind != formScale:
			return -1
		default:
			only = f
		}
	}
	led := slices.ContainsFunc(m.lines, func(l line) bool {
		_, isRule := l.body.(ruleLine)
		return !isRule && len(l.cutsIn()) == 0
	})
	more := slices.ContainsFunc(m.atoms, func(a atom) bool { return a.kind == atomLeader || a.kind == atomComputed })
	computed := slices.ContainsFunc(m.lines, func(l line) bool {
		return slices.ContainsFunc(l.cutsIn(), func(b *bandsLine) bool { return b.form < 0 })
	})
	if led || more || computed {
		return -1
	}
	return only
}

// slotOf finds the slot of a fact, or -1.
func (m *model) slotOf(fact string) int {
	if id, ok := strings.CutPrefix(fact, "answer."); ok {
		id, _, _ = strings.Cut(id, ".")
		if i := m.d.Question(id); i >= 0 {
			return m.visitors + i
		}
		return -1
	}
	return slices.IndexFunc(m.slots[:m.visitors], func(s slot) bool { return s.fact == fact })
}

// formulaUses reports whether any formula looks at the fact.
func (m *model) formulaUses(fact string) bool {
	return slices.ContainsFunc(
		m.formulas,
		func(f *rule.Formula) bool { return f != nil && slices.Contains(f.Names(), fact) },
	)
}

// computedFrom reports whether any formula looks at the answer to a question, or at a part of it.
func (m *model) computedFrom(q *quiz.Question) bool {
	if len(m.formulas) == 0 {
		return false
	}
	own := "answer." + q.ID
	partUsed := func(f kind.Fact) bool { return m.formulaUses(own + "." + f.Part) }
	return m.formulaUses(own) || slices.ContainsFunc(kind.Of(q).Facts(q), partUsed)
}

// fillSlots lists the options of every slot and finds the units of scales and keywords.
func (m *model) fillSlots() error {
	facts := m.visitorFacts()
	m.visitors = len(facts)
	m.slots = make([]slot, 0, m.visitors+m.n())
	for _, fact := range facts {
		m.slots = append(m.slots, slot{fact: fact, q: -1, options: m.visitorOptions(fact)})
	}
	answers := make([][]kind.Option, m.n())
	for i := range m.d.Questions {
		list, assumed, err := kind.Of(&m.d.Questions[i]).Options(m.listing(i, m.teller(i)))
		if err == nil {
			err = m.within.Err()
		}
		if err != nil {
			return err
		}
		m.numbers += len(list) * (1 + len(m.d.Scales) + len(m.d.Keywords))
		answers[i] = list
		m.slots = append(m.slots, slot{q: i, assumed: assumed})
		if assumed {
			m.assumed = append(m.assumed, m.d.Questions[i].ID)
		}
	}
	m.findUnits(answers)
	options, units := 0, len(m.scale)+len(m.keyword)
	for _, list := range answers {
		options += len(list)
	}
	lists, numbers := roomOf[option](options), roomOf[int64](options*units+m.n()*len(m.scale))
	for i := range m.d.Questions {
		// All of them, also where the points cannot be counted: how many there are is known.
		m.listOptions(i, answers[i], lists, numbers)
	}
	for i := range m.d.Questions {
		if err := m.weighOptions(i, answers[i]); err != nil {
			return err
		}
	}
	return nil
}

// visitorFacts are the facts besides answers that conditions and tables look at, in the order of their names.
func (m *model) visitorFacts() []string {
	var facts []string
	see := func(name string) {
		if fact.ClassOf(name) == fact.Before {
			facts = append(facts, name)
		}
	}
	m.d.EachComparison(func(name string, _ rule.Op, _ *rule.Operand) { see(name) })
	if m.looksAtToday() {
		see(todayFact.Name)
	}
	slices.Sort(facts)
	return slices.Compact(facts)
}

// answerGives is what an answer to question i gives; next to a twin, what it gives there stands behind.
func (m *model) answerGives(i int, a walk.Answer) walk.Effect {
	if m.twin == nil {
		return m.c.Effect(i, a)
	}
	return joinEffects(m.c.Effect(i, a), m.twin.Effect(i, a))
}

// choiceGives is answerGives for choice j alone.
func (m *model) choiceGives(i, j int) walk.Effect {
	if m.twin == nil {
		return m.c.ChoiceEffect(i, j)
	}
	return joinEffects(m.c.ChoiceEffect(i, j), m.twin.ChoiceEffect(i, j))
}

func joinEffects(a, b walk.Effect) walk.Effect {
	return walk.Effect{Points: slices.Concat(a.Points, b.Points), Votes: slices.Concat(a.Votes, b.Votes)}
}

// findUnits finds the unit of each scale, in which all its points are whole numbers, and one for all keywords, since
// their votes are compared with each other.
func (m *model) findUnits(answers [][]kind.Option) {
	points := make([][]rule.Number, len(m.d.Scales))
	for i := range m.d.Scales {
		points[i] = append(make([]rule.Number, 0, 8*m.n()), m.d.Scales[i].Start)
	}
	var votes []rule.Number
	for i := range m.d.Keywords {
		votes = append(votes, m.d.Keywords[i].Start)
	}
	for i, list := range answers {
		for _, r := range list {
			for s, n := range r.Effect.Points[:len(points)] {
				points[s] = append(points[s], n)
			}
			votes = append(votes, r.Effect.Votes[:len(m.d.Keywords)]...)
		}
		for s, n := range m.c.Most(i) {
			points[s] = append(points[s], n)
		}
	}
	for s := range points {
		m.scale = append(m.scale, findUnit(points[s]))
	}
	common := findUnit(votes)
	for range m.d.Keywords {
		m.keyword = append(m.keyword, common)
	}
}

// listOptions gives question i its options, without points and votes, in room of these lists.
func (m *model) listOptions(i int, list []kind.Option, lists *pieces[option], numbers *pieces[int64]) {
	options := lists.take(len(list))
	for k := range list {
		r := &list[k]
		points, votes := numbers.take(len(m.scale)), numbers.take(len(m.keyword))
		options[k] = option{p: r.P, n: r.N, answer: r.Answer, points: points, votes: votes}
	}
	s := &m.slots[m.visitors+i]
	s.options, s.most = options, numbers.take(len(m.scale))
}

// weighOptions writes the points and votes of question i in the units. It fails where a number is too large for them.
func (m *model) weighOptions(i int, list []kind.Option) error {
	s := &m.slots[m.visitors+i]
	for k := range list {
		r := &list[k]
		if err := inUnits(s.options[k].points, m.scale, r.Effect.Points[:len(m.scale)]); err != nil {
			return err
		}
		if err := inUnits(s.options[k].votes, m.keyword, r.Effect.Votes[:len(m.keyword)]); err != nil {
			return err
		}
	}
	return inUnits(s.most, m.scale, m.c.Most(i))
}

// inUnits writes numbers as whole multiples of their units.
func inUnits(out []int64, units []unit, numbers []rule.Number) error {
	for k, n := range numbers {
		var err error
		if out[k], err = units[k].integer(n); err != nil {
			return err
		}
	}
	return nil
}
