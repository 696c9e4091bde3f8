package reach

import (
	"fmt"
	"maps"
	"math/bits"
	"slices"
	"strconv"
	"strings"
)

// A pass counts for one purpose: its state holds only what that purpose can still depend on.
type pass struct {
	m     *model
	lines bool         // whether the verdicts are taken at the end
	last  int          // with lines: how many of them are taken
	exact map[int]bool // forms whose very value is wanted at the end

	roots    []root
	rootOf   []int   // by question: its visibility's root, or -1
	branchAt [][]int // by question and branch: root
	lineAt   []int   // by line: root
	bySlot   [][]int // roots that wait for a slot

	// Components of a state: roots, scales, earned and most of percents, votes, and what breaks ties.
	nScales, nKeys        int
	scale0, earn0, most0  int
	key0, positive, tie0  int
	recent0, answer0, end int
	tieQuestions          []int
	latest                bool

	uses       [][]*uses // by form and threshold
	exactUses  []*uses   // by form
	answerUses []*uses   // by slot
	leadUses   *uses
	led        []bool   // by keyword: compared with others
	dominates  [][]bool // whether falling behind j for good makes i irrelevant
	pinned     bool     // votes are needed as they are: they are not compared with others only

	layers  []layer
	effects [][]effect // by question
	starts  []start
	lane    *lane
}

// root is a condition with its place.
type root struct {
	tree  int32
	where useAt
	sets  [][]int32 // by layer: the trees that it can have become
	all   []int32   // all of these
	index []int32   // by tree: its position in all
}

// useAt is where something is looked at: when a question is about to be asked, after its answer, or at the end.
type useAt struct {
	kind useKind
	q    int
}

type useKind uint8

const (
	useVisible useKind = iota
	useBranch
	useFinal
)

// uses is a set of such places.
type uses struct {
	visible, branch []bool
	final           bool
}

func (p *pass) newUses() *uses {
	return &uses{visible: make([]bool, p.m.n()), branch: make([]bool, p.m.n())}
}

func (p *pass) mark(u **uses, at useAt) {
	if *u == nil {
		*u = p.newUses()
	}
	switch at.kind {
	case useVisible:
		(*u).visible[at.q] = true
	case useBranch:
		(*u).branch[at.q] = true
	default:
		(*u).final = true
	}
}

// token marks a component whose every future comparison is settled: token + how many thresholds it meets.
const token int64 = 1 << 50

// field is where a component stands in a packed state.
type field struct {
	comp  int
	min   int64
	span  int64 // values; tokens follow them
	word  int
	shift uint
	mask  uint64
}

// limit is a threshold that can still matter at a layer, with the least and most that the form can still gain before it is
// looked at.
type limit struct {
	j        int
	at       int64
	lo, hi   int64
	mlo, mhi int64 // of a percent: of what could have been earned
}

// layer is the states that are about to be asked a question (the last: that are at the end).
type layer struct {
	fields []field
	blank  []int64   // a state with every component that is not a field
	limits [][]limit // by form
	free   []bool    // by form: its very value is wanted
	dead   []bool    // by form
	led    bool      // keywords can still be compared
	gain   [][]int64 // by keywords i, j: the most that i can still gain on j
	keyLo  []int64   // by keyword: the least that it can still gain
	keyHi  []int64
	ranks  []int // components to be compressed to ranks: first of a group of nKeys
}

// effect is what an answer does in a pass, or several answers that do the same.
type effect struct {
	p       float64
	sample  int // option
	o       *option
	class   int
	options []int // all that are merged in it
}

// start is one combination of visitor facts.
type start struct {
	options []int
	p       float64
}

type purpose struct {
	lines bool
	last  int          // lines taken; with 0 and lines, all
	exact map[int]bool // forms
}

func newPass(m *model, want purpose) (*pass, error) {
	p := &pass{m: m, lines: want.lines, last: len(m.lines), exact: want.exact, nScales: len(m.d.Scales), nKeys: len(m.d.Keywords)}
	if want.last > 0 {
		p.last = want.last
	}
	if !p.lines {
		p.last = 0
	}
	p.plantRoots()
	p.findUses()
	p.placeComponents()
	if err := p.grow(); err != nil {
		return nil, err
	}
	p.mergeOptions()
	if err := p.planLayers(); err != nil {
		return nil, err
	}
	p.lane = p.planLane()
	return p, nil
}

func (p *pass) plantRoots() {
	add := func(tree int32, at useAt) int {
		p.roots = append(p.roots, root{tree: tree, where: at})
		return len(p.roots) - 1
	}
	for q := range p.m.n() {
		p.rootOf = append(p.rootOf, -1)
		if p.m.visible[q] != trueNode {
			p.rootOf[q] = add(p.m.visible[q], useAt{useVisible, q})
		}
		var at []int
		for _, tree := range p.m.branches[q] {
			at = append(at, add(tree, useAt{useBranch, q}))
		}
		p.branchAt = append(p.branchAt, at)
	}
	for _, l := range p.m.lines[:p.last] {
		p.lineAt = append(p.lineAt, add(l.when, useAt{kind: useFinal}))
	}
}

// findUses collects which numbers are looked at where.
func (p *pass) findUses() {
	m := p.m
	p.uses = make([][]*uses, len(m.forms))
	for f := range m.forms {
		p.uses[f] = make([]*uses, len(m.forms[f].thresholds))
	}
	p.exactUses = make([]*uses, len(m.forms))
	p.answerUses = make([]*uses, len(m.slots))
	p.led = make([]bool, p.nKeys)
	var lists [][]bool
	lead := func(listed []bool, at useAt) {
		p.mark(&p.leadUses, at)
		lists = append(lists, listed)
		for k, in := range listed {
			p.led[k] = p.led[k] || in
		}
	}
	everyone := make([]bool, p.nKeys)
	for k := range everyone {
		everyone[k] = true
	}
	for _, r := range p.roots {
		m.each(r.tree, func(id int) {
			a := &m.atoms[id]
			switch a.kind {
			case atomRange:
				for _, s := range a.ranges {
					for _, j := range []int{s.from, s.to} {
						if j >= 0 {
							p.mark(&p.uses[a.form][j], r.where)
						}
					}
				}
			case atomLeader:
				lead(everyone, r.where)
			case atomComputed:
				p.useFormula(a.formula, r.where)
			}
		})
	}
	final := useAt{kind: useFinal}
	for _, l := range m.lines[:p.last] {
		switch {
		case l.bands != nil && l.bands.form < 0:
			p.useFormula(l.bands.computed, final)
		case l.bands != nil:
			for _, j := range l.bands.at {
				if j >= 0 {
					p.mark(&p.uses[l.bands.form][j], final)
				}
			}
		case l.leader != nil:
			lead(l.leader.listed, final)
			p.latest = p.latest || l.leader.latest
			if q := l.leader.question; q >= 0 && !slices.Contains(p.tieQuestions, q) {
				p.tieQuestions = append(p.tieQuestions, q)
			}
		}
	}
	for f := range p.exact {
		p.mark(&p.exactUses[f], final)
	}
	for _, l := range lists {
		p.pinned = p.pinned || !slices.Equal(l, lists[0]) // one list's lead says nothing of another's
	}
	p.dominates = make([][]bool, p.nKeys)
	for i := range p.nKeys {
		p.dominates[i] = make([]bool, p.nKeys)
		for j := range p.nKeys {
			ok := i != j && p.led[i]
			for _, l := range lists {
				ok = ok && (!l[i] || l[j])
			}
			p.dominates[i][j] = ok
		}
	}
	for k := range p.nKeys {
		f := 2*p.nScales + k
		if p.exactUses[f] != nil || slices.ContainsFunc(p.uses[f], func(u *uses) bool { return u != nil }) {
			p.pinned = true
		}
	}
}

// useFormula marks everything that a formula looks at as wanted exactly.
func (p *pass) useFormula(i int, at useAt) {
	if i < 0 || p.m.formulas[i] == nil {
		return
	}
	for _, name := range p.m.formulas[i].Names() {
		rootName, id, _ := strings.Cut(name, ".")
		switch rootName {
		case "answer":
			if s := p.m.slotOf(name); s >= 0 {
				p.mark(&p.answerUses[s], at)
			}
		case "scale":
			p.mark(&p.exactUses[slices.IndexFunc(p.m.forms, func(f form) bool { return f.kind == formScale && p.m.d.Scales[f.at].ID == id })], at)
		case "percent":
			p.mark(&p.exactUses[slices.IndexFunc(p.m.forms, func(f form) bool { return f.kind == formPercent && p.m.d.Scales[f.at].ID == id })], at)
		case "keyword":
			p.mark(&p.exactUses[slices.IndexFunc(p.m.forms, func(f form) bool { return f.kind == formKeyword && p.m.d.Keywords[f.at].ID == id })], at)
		case "computed":
			for k, c := range p.m.d.Computed[:i] {
				if c.ID == id {
					p.useFormula(k, at)
				}
			}
		}
	}
}

func (p *pass) placeComponents() {
	at := len(p.roots)
	take := func(n int) int { at += n; return at - n }
	p.scale0, p.earn0, p.most0 = take(p.nScales), take(p.nScales), take(p.nScales)
	p.key0, p.positive = take(p.nKeys), take(1)
	p.tie0 = take(p.nKeys * len(p.tieQuestions))
	p.recent0 = take(p.nKeys)
	p.answer0 = take(len(p.m.slots))
	p.end = at
}

// maxTrees bounds what a condition may become.
const maxTrees = 1 << 14

var errManyConditions = fmt.Errorf("the conditions hang together in too many ways")

// grow finds, for every layer, what each condition can have become by then.
func (p *pass) grow() error {
	m := p.m
	p.bySlot = make([][]int, len(m.slots))
	for r := range p.roots {
		waits := map[int]bool{}
		m.each(p.roots[r].tree, func(id int) {
			if m.atoms[id].kind == atomSlot {
				waits[m.atoms[id].slot] = true
			}
		})
		for s := range m.slots {
			if waits[s] {
				p.bySlot[s] = append(p.bySlot[s], r)
			}
		}
		set := []int32{p.roots[r].tree}
		seen := map[int32]bool{p.roots[r].tree: true}
		for s := range m.slots {
			if s >= m.visitors {
				p.roots[r].sets = append(p.roots[r].sets, set)
			}
			if !waits[s] {
				continue
			}
			next := map[int32]bool{}
			for _, tree := range set {
				next[p.settle(tree, s, 0)] = true
				for c := range m.classes(s) {
					next[p.settle(tree, s, c+1)] = true
				}
			}
			set = nil
			for tree := range next {
				set = append(set, tree)
				seen[tree] = true
			}
			slices.Sort(set)
			if len(seen) > maxTrees {
				return errManyConditions
			}
		}
		p.roots[r].sets = append(p.roots[r].sets, set)
		if m.n() == 0 {
			p.roots[r].sets = [][]int32{set}
		}
		p.roots[r].all = slices.Sorted(maps.Keys(seen))
	}
	for r := range p.roots {
		p.roots[r].index = make([]int32, len(m.forest.nodes))
		for i, tree := range p.roots[r].all {
			p.roots[r].index[tree] = int32(i)
		}
	}
	return nil
}

// classes are the different truths that the options of a slot give its atoms.
func (m *model) classes(s int) [][]bool {
	if m.classList == nil {
		m.classList = make([][][]bool, len(m.slots))
		m.classOf = make([][]int, len(m.slots))
		for s := range m.slots {
			for k := range m.slots[s].options {
				truth := m.slots[s].options[k].truth
				c := slices.IndexFunc(m.classList[s], func(t []bool) bool { return slices.Equal(t, truth) })
				if c < 0 {
					c = len(m.classList[s])
					m.classList[s] = append(m.classList[s], truth)
				}
				m.classOf[s] = append(m.classOf[s], c+1)
			}
		}
	}
	return m.classList[s]
}

// settle is what is left of a tree after slot s gave its atoms the truths of a class; class 0 is a slot passed over.
func (p *pass) settle(tree int32, s, class int) int32 {
	m := p.m
	if m.forest.nodes[tree].last < s {
		return tree
	}
	key := int64(tree)<<24 | int64(class)
	if out, ok := m.settled[s][key]; ok {
		return out
	}
	truths := m.slots[s].blank
	if class > 0 {
		truths = m.classList[s][class-1]
	}
	out := m.settle(tree, s, func(atom int) bool { return truths[slices.Index(m.slots[s].atoms, atom)] })
	m.settled[s][key] = out
	return out
}

// mergeOptions joins options that do the same in this pass.
func (p *pass) mergeOptions() {
	m := p.m
	wanted := func(f int) bool {
		return p.exactUses[f] != nil || slices.ContainsFunc(p.uses[f], func(u *uses) bool { return u != nil })
	}
	for q := range m.n() {
		s := m.visitors + q
		index := make(map[string]int, len(m.slots[s].options))
		list := make([]effect, 0, len(m.slots[s].options))
		for k := range m.slots[s].options {
			o := &m.slots[s].options[k]
			class := 0
			if len(p.bySlot[s]) > 0 {
				class = m.classOf[s][k]
			}
			key := make([]byte, 0, 64)
			for i := range p.nScales {
				if wanted(i) || wanted(p.nScales+i) {
					key = append(strconv.AppendInt(key, o.points[i], 10), ' ')
				}
			}
			for i := range p.nKeys {
				if p.led[i] || wanted(2*p.nScales+i) {
					key = append(strconv.AppendInt(key, o.votes[i], 10), ' ')
				}
			}
			value := 0
			if p.answerUses[s] != nil {
				value = o.value
			}
			key = strconv.AppendInt(append(strconv.AppendInt(key, int64(class), 10), ' '), int64(value), 10)
			if at, ok := index[string(key)]; ok {
				list[at].p += o.p
				list[at].options = append(list[at].options, k)
				continue
			}
			index[string(key)] = len(list)
			list = append(list, effect{p: o.p, sample: k, o: o, class: class, options: []int{k}})
		}
		p.effects = append(p.effects, list)
	}
	p.starts = []start{{p: 1}}
	for s := range m.visitors {
		var next []start
		for _, st := range p.starts {
			for k := range m.slots[s].options {
				next = append(next, start{append(slices.Clone(st.options), k), st.p * m.slots[s].options[k].p})
			}
		}
		p.starts = next
	}
}

// bounds returns, for each layer, the least and most that a sum can still gain until one of its uses, given what each
// question can add; it reports false where no use can be reached.
func (p *pass) bounds(low, high func(q int) int64, u *uses) (lo, hi []int64, ok []bool) {
	n := p.m.n()
	type reach struct {
		lo, hi int64
		ok     bool
	}
	join := func(a, b reach) reach {
		if !a.ok {
			return b
		}
		if !b.ok {
			return a
		}
		return reach{min(a.lo, b.lo), max(a.hi, b.hi), true}
	}
	lo, hi, ok = make([]int64, n+1), make([]int64, n+1), make([]bool, n+1)
	arrive := make([]reach, n+1)
	arrive[n] = reach{ok: u.final}
	ok[n] = u.final
	for q := n - 1; q >= 0; q-- {
		after := reach{ok: u.branch[q]}
		for _, to := range p.m.steps[q] {
			after = join(after, arrive[to])
		}
		ask := after
		if ask.ok {
			ask.lo += low(q)
			ask.hi += high(q)
		}
		lo[q], hi[q], ok[q] = ask.lo, ask.hi, ask.ok
		arrive[q] = join(reach{ok: u.visible[q]}, ask)
		if p.rootOf[q] >= 0 {
			arrive[q] = join(arrive[q], arrive[q+1])
		}
	}
	return lo, hi, ok
}

// span of values that a sum can have at each layer, from its value before the first question.
func (p *pass) spread(begin int64, low, high func(q int) int64) (lo, hi []int64) {
	n := p.m.n()
	lo, hi = make([]int64, n+1), make([]int64, n+1)
	lo[0], hi[0] = begin, begin
	seen := make([]bool, n+1)
	seen[0] = true
	meet := func(t int, a, b int64) {
		if !seen[t] {
			lo[t], hi[t], seen[t] = a, b, true
			return
		}
		lo[t], hi[t] = min(lo[t], a), max(hi[t], b)
	}
	for q := range n {
		if !seen[q] {
			continue
		}
		if p.rootOf[q] >= 0 {
			meet(q+1, lo[q], hi[q])
		}
		for _, to := range p.m.steps[q] {
			meet(to, lo[q]+low(q), hi[q]+high(q))
		}
	}
	return lo, hi
}

// extremes over the options of each question of what f adds.
func (p *pass) extremes(f func(q int, o *option) int64) (low, high func(q int) int64) {
	n := p.m.n()
	lo, hi := make([]int64, n), make([]int64, n)
	for q := range n {
		for k := range p.m.slots[p.m.visitors+q].options {
			v := f(q, &p.m.slots[p.m.visitors+q].options[k])
			if k == 0 || v < lo[q] {
				lo[q] = v
			}
			if k == 0 || v > hi[q] {
				hi[q] = v
			}
		}
	}
	return func(q int) int64 { return lo[q] }, func(q int) int64 { return hi[q] }
}

// percentForm is 100 × earned − c × most as a whole number: positive where the percent is over c (10⁻⁴ percent).
func percentForm(earned, most, key int64) int64 { return 1_000_000*earned - (key>>1)*most }

func (p *pass) planLayers() error {
	m, n := p.m, p.m.n()
	p.layers = make([]layer, n+1)
	for t := range p.layers {
		l := &p.layers[t]
		l.blank = make([]int64, p.end)
		l.limits, l.free, l.dead = make([][]limit, len(m.forms)), make([]bool, len(m.forms)), make([]bool, len(m.forms))
		for f := range m.forms {
			l.dead[f] = true
		}
		for r := range p.roots {
			set := p.roots[r].sets[min(t, len(p.roots[r].sets)-1)]
			l.blank[r] = int64(set[0])
			live := p.roots[r].where.kind == useFinal || p.roots[r].where.q > t || p.roots[r].where.kind == useBranch && p.roots[r].where.q == t
			if live && len(set) > 1 {
				l.fields = append(l.fields, field{comp: r, span: int64(len(p.roots[r].all))})
			} else if !live {
				l.blank[r] = int64(falseNode)
			}
		}
	}
	for f := range m.forms {
		if err := p.planForm(f); err != nil {
			return err
		}
	}
	p.planLeader()
	for s := range m.slots {
		if p.answerUses[s] == nil {
			continue
		}
		none := func(int) int64 { return 0 }
		_, _, ok := p.bounds(none, none, p.answerUses[s])
		for t := max(0, s-m.visitors+1); t <= n; t++ {
			if ok[t] {
				p.layers[t].fields = append(p.layers[t].fields, field{comp: p.answer0 + s, span: int64(len(m.slots[s].values))})
			}
		}
	}
	for t := range p.layers {
		word, used := 0, uint(0)
		for i := range p.layers[t].fields {
			f := &p.layers[t].fields[i]
			width := uint(bits.Len64(uint64(max(1, f.span-1))))
			if width > 60 {
				return errTooLarge
			}
			if used+width > 64 {
				word, used = word+1, 0
			}
			if word >= len(key{}) {
				return errManyConditions
			}
			f.word, f.shift, f.mask = word, used, 1<<width-1
			used += width
		}
	}
	return nil
}

// planForm decides at which layers a form is a field, and which of its thresholds can still matter there.
func (p *pass) planForm(f int) error {
	m, frm := p.m, &p.m.forms[f]
	begin := int64(0)
	var add func(q int, o *option) int64
	switch frm.kind {
	case formScale:
		v, err := m.scale[frm.at].of(m.d.Scales[frm.at].Start)
		if err != nil {
			return err
		}
		begin = v
		add = func(_ int, o *option) int64 { return o.points[frm.at] }
	case formPercent:
		add = func(_ int, o *option) int64 { return o.points[frm.at] }
	case formKeyword:
		add = func(_ int, o *option) int64 { return o.votes[frm.at] }
	}
	low, high := p.extremes(add)
	most := func(q int) int64 { return m.slots[m.visitors+q].most[frm.at] }
	for j, u := range p.uses[f] {
		if u == nil {
			continue
		}
		at := limit{j: j, at: frm.thresholds[j]}
		a, b := low, high
		if frm.kind == formPercent {
			a, b = p.extremes(func(q int, o *option) int64 { return percentForm(o.points[frm.at], most(q), at.at) })
		}
		lo, hi, ok := p.bounds(a, b, u)
		var mlo, mhi []int64
		if frm.kind == formPercent {
			mlo, mhi, _ = p.bounds(most, most, u)
		}
		for t := range p.layers {
			if !ok[t] {
				continue
			}
			here := at
			here.lo, here.hi = lo[t], hi[t]
			if mlo != nil {
				here.mlo, here.mhi = mlo[t], mhi[t]
			}
			p.layers[t].limits[f] = append(p.layers[t].limits[f], here)
			p.layers[t].dead[f] = false
		}
	}
	if u := p.exactUses[f]; u != nil {
		_, _, ok := p.bounds(low, high, u)
		for t := range p.layers {
			if ok[t] {
				p.layers[t].free[f], p.layers[t].dead[f] = true, false
			}
		}
	}
	if frm.kind == formKeyword {
		return nil
	}
	lo, hi := p.spread(begin, low, high)
	var mlo, mhi []int64
	if frm.kind == formPercent {
		mlo, mhi = p.spread(0, most, most)
	}
	for t := range p.layers {
		l := &p.layers[t]
		if l.dead[f] {
			continue
		}
		tokens := int64(len(frm.thresholds)) + 1
		comp := p.scale0 + frm.at
		if frm.kind == formPercent {
			comp = p.earn0 + frm.at
			l.fields = append(l.fields, field{comp: p.most0 + frm.at, min: min(0, mlo[t]), span: mhi[t] - min(0, mlo[t]) + 1})
		}
		l.fields = append(l.fields, field{comp: comp, min: lo[t], span: hi[t] - lo[t] + 1 + tokens})
	}
	return nil
}

// planLeader prepares the comparison of keywords.
func (p *pass) planLeader() {
	if p.nKeys == 0 {
		return
	}
	m := p.m
	first := 2 * p.nScales
	any := p.leadUses != nil
	var lows, highs [][]int64
	for k := range p.nKeys {
		low, high := p.extremes(func(_ int, o *option) int64 { return o.votes[k] })
		lo, hi := p.spread(0, low, high)
		lows, highs = append(lows, lo), append(highs, hi)
	}
	gain := make([][][]int64, p.nKeys)
	var reached []bool
	keyLo, keyHi := make([][]int64, p.nKeys), make([][]int64, p.nKeys)
	if any {
		for i := range p.nKeys {
			gain[i] = make([][]int64, p.nKeys)
			low, high := p.extremes(func(_ int, o *option) int64 { return o.votes[i] })
			keyLo[i], keyHi[i], reached = p.bounds(low, high, p.leadUses)
			for j := range p.nKeys {
				low, high := p.extremes(func(_ int, o *option) int64 { return o.votes[i] - o.votes[j] })
				_, gain[i][j], _ = p.bounds(low, high, p.leadUses)
			}
		}
	}
	for t := range p.layers {
		l := &p.layers[t]
		l.led = any && reached[t]
		least, most := int64(0), int64(0)
		for k := range p.nKeys {
			least, most = min(least, lows[k][t]), max(most, highs[k][t])
		}
		for k := range p.nKeys {
			if !(l.led && p.led[k]) && l.dead[first+k] {
				continue
			}
			l.fields = append(l.fields, field{comp: p.key0 + k, min: least, span: most - least - least + 1 + int64(len(m.forms[first+k].thresholds)) + 2})
		}
		if !l.led {
			continue
		}
		l.fields = append(l.fields, field{comp: p.positive, span: 2})
		for i := range p.nKeys {
			row := make([]int64, p.nKeys)
			for j := range row {
				row[j] = gain[i][j][t]
			}
			l.gain = append(l.gain, row)
			l.keyLo, l.keyHi = append(l.keyLo, keyLo[i][t]), append(l.keyHi, keyHi[i][t])
		}
		rank := func(at int) {
			l.ranks = append(l.ranks, at)
			for k := range p.nKeys {
				l.fields = append(l.fields, field{comp: at + k, span: int64(p.nKeys) + 1})
			}
		}
		for i, q := range p.tieQuestions {
			if t > q {
				rank(p.tie0 + i*p.nKeys)
			}
		}
		if p.latest {
			rank(p.recent0)
		}
	}
}
