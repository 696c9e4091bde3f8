package reach

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
)

// A pass counts for one purpose: its state holds only what that purpose can still depend on. It is planned in this
// order, each part from those before it.
type pass struct {
	m      *model
	within context.Context // the time for counting, while the pass is planned

	aim
	conditions
	demands
	components
	course
}

// aim is what a pass counts for.
type aim struct {
	lines      bool         // whether the verdicts are taken at the end
	wantsBelow bool         // whether values below all cut points of a line are wanted
	wide       bool         // any question may turn out to give nothing
	shifted    bool         // and may have given nothing: see shifts
	like       *pass        // the pass that this one is next to; it has no conditions of its own
	last       int          // with lines: how many of them are taken
	exact      map[int]bool // forms whose very value is wanted at the end
	below      []int        // by form: the threshold below which its very value is wanted at the end; -1 for none
}

// conditions are those that wait for answers, by what they decide.
type conditions struct {
	roots    []root
	rootOf   []int   // by question: its visibility's root, or -1
	branchAt [][]int // by question and branch: root
	lineAt   []int   // by line: root
	bySlot   [][]int // roots that wait for a slot
}

// demands are what conditions and lines still want to know of sums, votes and answers, and until where.
type demands struct {
	uses       [][]*uses // by form and threshold
	exactUses  []*uses   // by form
	answerUses []*uses   // by slot
	leadUses   *uses
	led        []bool   // by keyword: compared with others
	compared   []int    // those keywords
	lists      [][]bool // of keywords that are compared, as often as they are
	dominates  [][]bool // whether falling behind j permanently makes i irrelevant
	steady     bool     // no vote is below 0
	pinned     bool     // votes are needed as they are: they are not compared with others only
	voting     bool     // keywords have starts, so that which of them got a vote is kept next to what they are ahead
}

// components are where a state holds what: roots, scales, earned and most of percents, votes, and what breaks ties.
type components struct {
	nScales, nKeys        int
	scale0, earn0, most0  int
	key0, positive, tie0  int
	voted0                int   // of a pass that is voting: by keyword, whether it got a vote
	recent0, latest0, end int   // how recent votes are; or, where that is enough, whose was the latest
	voter                 int   // the one keyword that the answer votes for, counted from 1; 0 for none
	answerAt              []int // by slot: the answer that a formula looks at, or -1
	tieQuestions          []int
	latest                bool
}

// course is the way through the questions: what each layer holds, and what each answer does to a state.
type course struct {
	layers   []layer
	planned  []room     // by scale: what the questions may give
	seen     []bool     // by form: whether the pass looks at it
	effects  [][]effect // by question
	effectOf [][]int32  // by question and option
	starts   []start
	wired    settledTable // of a plain pass, else nil
}

// root is a condition with its place.
type root struct {
	tree  int32
	where useAt
	sets  [][]int32 // by layer: the trees that it can have become
	all   []int32   // all of these
	index []int32   // by tree: its position in all
}

// token marks a component whose every future comparison is settled: token + how many thresholds it meets.
const token int64 = 1 << 50

// field is where a component stands in a packed state.
type field struct {
	comp  int
	root  bool
	min   int64
	span  int64 // how many packed values there are: of numbers, and behind them of tokens
	first int64 // the packed value of the first token
	word  int
	shift uint
	mask  uint64
}

// noTokens is where the tokens of a field begin that has none.
const noTokens int64 = 1 << 62

// packed is the packed value of a component that is not a root.
func (f *field) packed(v int64) int64 {
	switch {
	case v < token/2:
		return v - f.min
	case v == dropped:
		return f.span - 1
	}
	return v - token + f.first
}

// limit is a threshold that can still matter at a layer, with the least and most that the form can still gain before
// it is looked at.
type limit struct {
	j        int
	at       int64
	lo, hi   int64
	mlo, mhi int64 // of a percent: of what could have been earned
}

// layer is the states that are about to be asked a question (the last: that are at the end).
type layer struct {
	fields     []field
	conditions uint64    // the bits of the first word in which conditions stand
	width      uint      // bits of a key
	blank      []int64   // a state with every component that is not a field
	limits     [][]limit // by form
	live       []int     // forms that can still matter, but keywords that are only compared with others
	free       []bool    // by form: its very value is wanted
	dead       []bool    // by form
	led        bool      // keywords can still be compared
	gain       [][]int64 // by keywords i, j: the most that i can still gain on j
	leastGain  []int64   // by keyword: the least of these for those that it may be dropped for
	keyLo      []int64   // by keyword: the least that it can still gain
	keyHi      []int64
	ranks      []int // components to be compressed to ranks: first of a group of nKeys
}

// effect is what an answer does in a pass, or several answers that do the same.
type effect struct {
	p     float64
	o     *option // one of those that are merged in it
	class int     // of what conditions see of it
}

// start is one combination of visitor facts.
type start struct {
	options []int
	p       float64
}

type purpose struct {
	lines   bool
	last    int          // lines taken; with 0 and lines, all
	exact   map[int]bool // forms
	below   bool         // with lines: the values that are below all cut points of a line are wanted too
	wide    bool         // any question may turn out to give nothing
	shifted bool         // wide, and a question before may have given nothing: see shifts
	like    *pass        // the numbers of the verdicts alone, next to the states of another pass: see shadow
}

// newPass plans a pass. It fails where the plan itself would be too large, and with the error of within.
func newPass(within context.Context, m *model, want purpose) (*pass, error) {
	if m.err != nil {
		return nil, m.err // not all of the model is there
	}
	p := &pass{
		m:      m,
		within: within,
		aim: aim{
			lines:      want.lines,
			wantsBelow: want.below,
			wide:       want.wide || want.shifted,
			shifted:    want.shifted,
			like:       want.like,
			last:       len(m.lines),
			exact:      want.exact,
		},
		components: components{nScales: len(m.d.Scales), nKeys: len(m.d.Keywords)},
	}
	if want.last > 0 {
		p.last = want.last
	}
	if !p.lines {
		p.last = 0
	}
	p.plantRoots()
	p.findUses()
	p.placeComponents()
	for _, step := range []func() error{p.grow, p.mergeOptions, p.fitsMemory, p.planLayers} {
		if err := cmp.Or(step(), within.Err()); err != nil {
			return nil, err
		}
	}
	if p.like == nil {
		p.wired = p.wire()
	}
	return p, nil
}

func (p *pass) plantRoots() {
	add := func(tree int32, at useAt) int {
		p.roots = append(p.roots, root{tree: tree, where: at})
		return len(p.roots) - 1
	}
	if p.like != nil {
		p.rootOf, p.branchAt = slices.Repeat([]int{-1}, p.m.n()), make([][]int, p.m.n())
		return
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

func (p *pass) placeComponents() {
	at := len(p.roots)
	take := func(n int) int { at += n; return at - n }
	p.scale0, p.earn0, p.most0 = take(p.nScales), take(p.nScales), take(p.nScales)
	p.key0, p.positive = take(p.nKeys), take(1)
	p.tie0 = take(p.nKeys * len(p.tieQuestions))
	p.recent0, p.latest0, p.voter = take(p.nKeys), take(1), take(1)
	p.voted0 = take(p.nKeys)
	for s := range p.m.slots {
		p.answerAt = append(p.answerAt, -1)
		if p.answerUses[s] != nil {
			p.answerAt[s] = take(1)
		}
	}
	p.end = at
}

// maxTrees bounds what a condition may become.
const maxTrees = 1 << 14

var errManyConditions = fmt.Errorf("the conditions depend on each other in too many ways")

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
			if err := p.within.Err(); err != nil {
				return err
			}
			set = nil
			for tree := range next {
				set = append(set, tree)
				seen[tree] = true
			}
			slices.Sort(set)
			if len(seen) > maxTrees || len(m.forest.nodes) > maxNodes {
				return errManyConditions
			}
		}
		p.roots[r].sets = append(p.roots[r].sets, set)
		if m.n() == 0 {
			p.roots[r].sets = [][]int32{set}
		}
		p.roots[r].all = slices.Sorted(maps.Keys(seen))
	}
	if len(p.roots)*len(m.forest.nodes) > maxPlanned/4 {
		return errManyConditions
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
			m.classOf[s] = m.classesOf(s, m.slots[s].options)
		}
	}
	return m.classList[s]
}

// classesOf numbers the classes of options, and lists those that are new.
func (m *model) classesOf(s int, options []option) []int {
	out := make([]int, len(options))
	for k := range options {
		c := slices.IndexFunc(m.classList[s], func(t []bool) bool { return slices.Equal(t, options[k].truth) })
		if c < 0 {
			c = len(m.classList[s])
			m.classList[s] = append(m.classList[s], options[k].truth)
		}
		out[k] = c + 1
	}
	return out
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

// fitsMemory fails where layers, with each threshold that can matter at them, would be larger than what they count.
func (p *pass) fitsMemory() error {
	const limitBytes = 56
	perLayer := 8 * p.end
	for f := range p.uses {
		perLayer += limitBytes * len(p.uses[f])
	}
	if perLayer*(p.m.n()+1) > maxPlanned {
		return errManyConditions
	}
	return nil
}
