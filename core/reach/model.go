package reach

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// model is a document made ready for counting.
type model struct {
	d      *quiz.Document
	c      *walk.Compiled
	assume *Assumption

	slots    []slot // visitor facts first, then one for each question
	visitors int    // how many slots are visitor facts
	scale    []unit
	keyword  []unit
	forms    []form
	atoms    []atom
	atomKey  map[string]int
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
	err      error
}

// line is one verdict line, or one row of a table, made flat.
type line struct {
	number int // 1-based
	row    int
	when   int32
	// One of these decides.
	outcome string
	bands   *bandsLine
	leader  *leaderLine
}

type bandsLine struct {
	cuts     []quiz.Cut
	form     int   // -1 for a computed value
	at       []int // position of each cut's threshold in the form
	computed int
	on       string
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

// newModel compiles a document for counting under an assumption (nil is even).
func newModel(d *quiz.Document, assume *Assumption) (*model, error) {
	c, err := walk.New(d)
	if err != nil {
		return nil, err
	}
	if err := assume.check(d); err != nil {
		return nil, err
	}
	m := &model{d: d, c: c, assume: assume, forest: newForest(), atomKey: map[string]int{}, formulas: d.Formulas()}
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
		return m, nil
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
	m.fillTruths()
	return m, nil
}

func (m *model) n() int { return len(m.d.Questions) }

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
	return slices.ContainsFunc(m.formulas, func(f *rule.Formula) bool { return f != nil && slices.Contains(f.Names(), fact) })
}

// fillSlots lists the options of every slot and finds the units of scales and keywords.
func (m *model) fillSlots() error {
	var facts []string
	see := func(fact string) {
		if root, _, _ := strings.Cut(fact, "."); (root == "visitor" || root == "param" || root == "today") && !slices.Contains(facts, fact) {
			facts = append(facts, fact)
		}
	}
	m.d.EachCondition(func(_ string, c *rule.Condition) { see(c.Fact) })
	for _, v := range m.d.Verdicts {
		if v.Table != nil {
			for _, f := range v.Table.Facts {
				see(f)
			}
		}
	}
	sort.Strings(facts)
	m.visitors = len(facts)
	for _, fact := range facts {
		m.slots = append(m.slots, slot{fact: fact, q: -1, options: m.visitorOptions(fact)})
	}
	all := make([][]raw, m.n())
	points := make([][]rule.Number, len(m.d.Scales))
	votes := make([][]rule.Number, len(m.d.Keywords))
	for i := range m.d.Scales {
		points[i] = append(make([]rule.Number, 0, 8*m.n()), m.d.Scales[i].Start)
	}
	for i := range m.d.Questions {
		list, assumed, err := m.rawOptions(i, m.teller(i))
		if err != nil {
			return err
		}
		all[i] = list
		m.slots = append(m.slots, slot{q: i, assumed: assumed})
		if assumed {
			m.assumed = append(m.assumed, m.d.Questions[i].ID)
		}
		for _, r := range list {
			for s, n := range r.effect.Points {
				points[s] = append(points[s], n)
			}
			for k, n := range r.effect.Votes {
				votes[k] = append(votes[k], n)
			}
		}
		for s, n := range m.c.Most(i) {
			points[s] = append(points[s], n)
		}
	}
	var everyVote []rule.Number // keywords are compared with each other: one unit for all
	for k := range votes {
		everyVote = append(everyVote, votes[k]...)
	}
	for s := range points {
		m.scale = append(m.scale, findUnit(points[s]))
	}
	common := findUnit(everyVote)
	for range votes {
		m.keyword = append(m.keyword, common)
	}
	for i := range m.d.Questions {
		s := &m.slots[m.visitors+i]
		s.options = make([]option, 0, len(all[i]))
		sums := make([]int64, len(all[i])*(len(m.scale)+len(m.keyword))) // one piece for all options of the question
		take := func(n int) []int64 {
			piece := sums[:n:n]
			sums = sums[n:]
			return piece
		}
		for k := range all[i] {
			r := &all[i][k]
			o := option{p: r.p, n: r.n, answer: r.answer, points: take(len(m.scale)), votes: take(len(m.keyword))}
			for k, n := range r.effect.Points {
				v, err := m.scale[k].of(n)
				if err != nil {
					return err
				}
				o.points[k] = v
			}
			for k, n := range r.effect.Votes {
				v, err := m.keyword[k].of(n)
				if err != nil {
					return err
				}
				o.votes[k] = v
			}
			s.options = append(s.options, o)
		}
		for k, n := range m.c.Most(i) {
			v, err := m.scale[k].of(n)
			if err != nil {
				return err
			}
			s.most = append(s.most, v)
		}
	}
	return nil
}

// teller returns what conditions, tables and formulas see of an answer to question i: the truth of each of their
// comparisons, and the value itself where a formula uses it.
func (m *model) teller(i int) func(walk.Answer) string {
	q := &m.d.Questions[i]
	own := "answer." + q.ID
	mine := func(fact string) bool { return fact == own || strings.HasPrefix(fact, own+".") }
	type comparison struct {
		fact string
		op   rule.Op
		v    *rule.Operand
	}
	var list []comparison
	m.d.EachCondition(func(_ string, c *rule.Condition) {
		if mine(c.Fact) {
			list = append(list, comparison{c.Fact, c.Op, c.Value})
		}
	})
	for _, v := range m.d.Verdicts {
		if v.Table == nil {
			continue
		}
		for col, f := range v.Table.Facts {
			for _, row := range v.Table.Rows {
				if mine(f) && row.Cells[col] != nil {
					list = append(list, comparison{f, rule.OpIn, &rule.Operand{IsList: true, List: row.Cells[col]}})
				}
			}
		}
	}
	exact := m.formulaUses(own)
	for _, r := range q.Rows {
		exact = exact || m.formulaUses(own+"."+r.ID)
	}
	return func(a walk.Answer) string {
		b := make([]byte, len(list))
		for k, c := range list {
			b[k] = '0'
			if rule.Compare(valueOf(q, a, c.fact), c.op, c.v) {
				b[k] = '1'
			}
		}
		if exact {
			return string(b) + fmt.Sprint(a.Value(q).String(), a.Rows)
		}
		return string(b)
	}
}

// valueOf is what a fact of the question is for an answer: the answer, or one row of a grid.
func valueOf(q *quiz.Question, a walk.Answer, fact string) rule.Value {
	if row, ok := strings.CutPrefix(fact, "answer."+q.ID+"."); ok {
		return rule.TextValue(a.Rows[row])
	}
	return a.Value(q)
}

// atomOf finds or makes the atom of a comparison; it may come out as always true or always false.
func (m *model) atomOf(fact string, op rule.Op, operand *rule.Operand) int {
	key := fmt.Sprint(fact, "|", op, "|")
	if operand != nil {
		key += fmt.Sprintf("%v %q", operand.IsList, operand.List)
	}
	if id, ok := m.atomKey[key]; ok {
		return id
	}
	a := atom{fact: fact, op: op, operand: operand, slot: -1}
	root, id, _ := strings.Cut(fact, ".")
	put := func() int {
		m.atoms = append(m.atoms, a)
		m.atomKey[key] = len(m.atoms) - 1
		return len(m.atoms) - 1
	}
	index := func(n int, is func(int) bool) int {
		for i := range n {
			if is(i) {
				return i
			}
		}
		return -1
	}
	switch root {
	case "answer", "visitor", "param", "today":
		a.kind, a.slot = atomSlot, m.slotOf(fact)
		return put()
	case "leader":
		a.kind = atomLeader
		return put()
	case "computed":
		a.kind = atomComputed
		a.formula = index(len(m.d.Computed), func(i int) bool { return m.d.Computed[i].ID == id })
		return put()
	case "scale", "percent":
		a.form = index(len(m.d.Scales), func(i int) bool { return m.d.Scales[i].ID == id })
		if root == "percent" {
			a.form += len(m.d.Scales)
		}
	case "keyword":
		a.form = 2*len(m.d.Scales) + index(len(m.d.Keywords), func(i int) bool { return m.d.Keywords[i].ID == id })
	}
	a.kind = atomRange
	ranges, constant := m.rangesOf(a.form, op, operand)
	if constant != 0 {
		m.atomKey[key] = constant
		return constant
	}
	a.ranges = ranges
	return put()
}

// threshold turns "value ≥ n" (or > n) into a whole number that the form is compared with. A percent is never below 0, so
// it may come out as always met.
func (m *model) threshold(f int, n rule.Number, strict bool) (v int64, always bool) {
	frm := &m.forms[f]
	if frm.kind == formPercent {
		c, ok := n.Scaled(rule.MaxPlaces)
		if !ok {
			m.err = errTooLarge
		}
		v = 2 * c
		if strict {
			v++
		}
		return v, v <= 0
	}
	u := m.keywordUnit(f)
	ratio := rule.Ratio(n, u.number(1))
	if strict {
		ratio = ratio.Floor().Add(rule.Int(1))
	}
	v, ok := ratio.Ceil().Scaled(0)
	if !ok || v > 1<<45 || v < -1<<45 {
		m.err = errTooLarge
	}
	return v, false
}

func (m *model) keywordUnit(f int) unit {
	if m.forms[f].kind == formKeyword {
		return m.keyword[m.forms[f].at]
	}
	return m.scale[m.forms[f].at]
}

// rangesOf says where a comparison of a form holds. Thresholds are kept by their value until sortThresholds.
func (m *model) rangesOf(f int, op rule.Op, operand *rule.Operand) ([]span, int) {
	type ends struct {
		lo, hi       int64
		hasLo, hasHi bool
	}
	var list []ends
	var numbers []rule.Number
	if operand != nil {
		for _, s := range operand.List {
			if n, err := rule.ParseNumber(s.String()); err == nil {
				numbers = append(numbers, n)
			} else if op != rule.OpIs && op != rule.OpIsNot && op != rule.OpIn && op != rule.OpNotIn {
				return nil, atomFalse
			}
		}
	}
	from := func(n rule.Number, strict bool) ends {
		v, always := m.threshold(f, n, strict)
		return ends{lo: v, hasLo: !always}
	}
	until := func(e ends, n rule.Number, strict bool) (ends, bool) {
		v, always := m.threshold(f, n, strict)
		e.hi, e.hasHi = v, true
		return e, !always
	}
	put := func(e ends, ok bool) {
		if ok && !(e.hasLo && e.hasHi && e.lo >= e.hi) {
			list = append(list, e)
		}
	}
	slices.SortFunc(numbers, func(a, b rule.Number) int { return a.Cmp(b) })
	numbers = slices.CompactFunc(numbers, func(a, b rule.Number) bool { return a.Cmp(b) == 0 })
	switch op {
	case rule.OpBlank:
		return nil, atomFalse
	case rule.OpAnswered:
		return nil, atomTrue
	case rule.OpIs, rule.OpIn, rule.OpHas:
		for _, n := range numbers {
			put(until(from(n, false), n, true))
		}
	case rule.OpIsNot, rule.OpNotIn:
		open := ends{}
		for _, n := range numbers {
			put(until(open, n, false))
			open = from(n, true)
		}
		put(open, true)
	case rule.OpGe:
		put(from(numbers[0], false), true)
	case rule.OpGt:
		put(from(numbers[0], true), true)
	case rule.OpLt:
		put(until(ends{}, numbers[0], false))
	case rule.OpLe:
		put(until(ends{}, numbers[0], true))
	case rule.OpBetween:
		if operand.List[0].String() != numbers[0].String() && len(numbers) == 2 { // given the wrong way round: nothing is between
			if lo, err := rule.ParseNumber(operand.List[0].String()); err == nil && lo.Cmp(numbers[0]) != 0 {
				return nil, atomFalse
			}
		}
		put(until(from(numbers[0], false), numbers[len(numbers)-1], true))
	default: // contains: of a number's text; not a comparison of size
		m.err = fmt.Errorf("%s on a number cannot be counted", op)
		return nil, atomFalse
	}
	if len(list) == 0 {
		return nil, atomFalse
	}
	if len(list) == 1 && !list[0].hasLo && !list[0].hasHi {
		return nil, atomTrue
	}
	out := make([]span, len(list))
	for i, e := range list {
		out[i] = span{-1, -1}
		if e.hasLo {
			out[i].from = m.rawThreshold(f, e.lo)
		}
		if e.hasHi {
			out[i].to = m.rawThreshold(f, e.hi)
		}
	}
	return out, 0
}

// rawThreshold adds a threshold to a form and returns its position, which sortThresholds puts right later.
func (m *model) rawThreshold(f int, v int64) int {
	if i := slices.Index(m.forms[f].thresholds, v); i >= 0 {
		return i
	}
	m.forms[f].thresholds = append(m.forms[f].thresholds, v)
	return len(m.forms[f].thresholds) - 1
}

// sortThresholds orders the thresholds of every form, and the positions that atoms and bands hold.
func (m *model) sortThresholds() {
	place := make([][]int, len(m.forms))
	for f := range m.forms {
		before := m.forms[f].thresholds
		sorted := slices.Sorted(slices.Values(before))
		place[f] = make([]int, len(before))
		for i, v := range before {
			place[f][i], _ = slices.BinarySearch(sorted, v)
		}
		m.forms[f].thresholds = sorted
	}
	fix := func(f int, at *int) {
		if *at >= 0 {
			*at = place[f][*at]
		}
	}
	for i := range m.atoms {
		for j := range m.atoms[i].ranges {
			fix(m.atoms[i].form, &m.atoms[i].ranges[j].from)
			fix(m.atoms[i].form, &m.atoms[i].ranges[j].to)
		}
	}
	for i := range m.lines {
		if b := m.lines[i].bands; b != nil && b.form >= 0 {
			for j := range b.at {
				fix(b.form, &b.at[j])
			}
		}
	}
}

// fillLines flattens the verdict lines.
func (m *model) fillLines() {
	for i := range m.d.Verdicts {
		v := &m.d.Verdicts[i]
		l := line{number: i + 1, when: m.plant(v.When)}
		switch {
		case v.Table != nil:
			for r, row := range v.Table.Rows {
				all := []int32{l.when}
				for k, cell := range row.Cells {
					if cell != nil {
						all = append(all, m.plant(&rule.Condition{Fact: v.Table.Facts[k], Op: rule.OpIn, Value: &rule.Operand{IsList: true, List: cell}}))
					}
				}
				m.lines = append(m.lines, line{number: i + 1, row: r, when: m.forest.group(nodeAll, all), outcome: row.Outcome})
			}
			continue
		case v.Bands != nil:
			l.bands = m.bandsOf(v.Bands)
		case v.Leader != nil:
			l.leader = m.leaderOf(v.Leader)
		default:
			l.outcome = v.Outcome
		}
		m.lines = append(m.lines, l)
	}
}

func (m *model) bandsOf(b *quiz.Bands) *bandsLine {
	out := &bandsLine{cuts: b.Cuts, form: -1, on: b.On}
	root, id, _ := strings.Cut(b.On, ".")
	if root == "computed" {
		out.computed = slices.IndexFunc(m.d.Computed, func(c quiz.Computed) bool { return c.ID == id })
		return out
	}
	switch root {
	case "scale":
		out.form = slices.IndexFunc(m.d.Scales, func(s quiz.Scale) bool { return s.ID == id })
	case "percent":
		out.form = len(m.d.Scales) + slices.IndexFunc(m.d.Scales, func(s quiz.Scale) bool { return s.ID == id })
	case "keyword":
		out.form = 2*len(m.d.Scales) + slices.IndexFunc(m.d.Keywords, func(k quiz.Keyword) bool { return k.ID == id })
	}
	for _, c := range b.Cuts {
		v, always := m.threshold(out.form, c.From, false)
		if always {
			out.at = append(out.at, -1)
		} else {
			out.at = append(out.at, m.rawThreshold(out.form, v))
		}
	}
	return out
}

func (m *model) leaderOf(l *quiz.Leader) *leaderLine {
	out := &leaderLine{listed: make([]bool, len(m.d.Keywords)), outcomes: make([]string, len(m.d.Keywords)), latest: l.Ties == "latest", question: -1}
	for k := range m.d.Keywords {
		out.outcomes[k], out.listed[k] = l.Outcomes[m.d.Keywords[k].ID], false
		if _, ok := l.Outcomes[m.d.Keywords[k].ID]; ok {
			out.listed[k] = true
		}
	}
	if id, ok := strings.CutPrefix(l.Ties, "question:"); ok {
		out.question = m.d.Question(id)
	}
	return out
}

// fillTruths settles every slot's atoms for each of its options.
func (m *model) fillTruths() {
	m.settled = make([]map[int64]int32, len(m.slots))
	for i := range m.slots {
		s := &m.slots[i]
		m.settled[i] = map[int64]int32{}
		for id := range m.atoms {
			if m.atoms[id].kind == atomSlot && m.atoms[id].slot == i {
				s.atoms = append(s.atoms, id)
				s.blank = append(s.blank, rule.Compare(rule.Value{}, m.atoms[id].op, m.atoms[id].operand))
			}
		}
		s.values = []walk.Answer{{}}
		for k := range s.options {
			o := &s.options[k]
			for _, id := range s.atoms {
				a := &m.atoms[id]
				v := rule.TextValue(o.text)
				if s.q >= 0 {
					v = valueOf(&m.d.Questions[s.q], o.answer, a.fact)
				}
				o.truth = append(o.truth, rule.Compare(v, a.op, a.operand))
			}
			if s.q >= 0 {
				q := &m.d.Questions[s.q]
				if rows := len(q.Rows) > 0 && slices.ContainsFunc(q.Rows, func(r quiz.Row) bool { return m.formulaUses("answer." + q.ID + "." + r.ID) }); rows || m.formulaUses("answer."+q.ID) {
					o.value = len(s.values)
					s.values = append(s.values, o.answer)
				}
			}
		}
	}
}
