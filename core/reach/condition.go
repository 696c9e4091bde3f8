package reach

import (
	"encoding/binary"
	"slices"

	"omphalos/core/rule"
)

// atomKind says what settles a comparison.
type atomKind uint8

const (
	atomSlot     atomKind = iota // an answer or a visitor fact: settled when its slot is passed
	atomRange                    // a scale, a percent or a keyword in ranges of its value
	atomLeader                   // the leading keyword
	atomComputed                 // a formula
)

// atom is one comparison of the document, once.
type atom struct {
	kind    atomKind
	slot    int
	form    int    // of atomRange
	ranges  []span // of atomRange: where it holds
	fact    string
	op      rule.Op
	operand *rule.Operand
	formula int // of atomComputed
}

// span is a range of a form's thresholds: from the one at position from (-1: no lower end) up to the one at position
// to (-1: no upper end).
type span struct{ from, to int }

// A condition that is partly settled is kept as what is left of it: a node of a forest in which equal trees are one.
type nodeKind uint8

const (
	nodeFalse nodeKind = iota
	nodeTrue
	nodeAtom
	nodeAll
	nodeAny
	nodeNone
	nodeSome // at least so many of its kids
)

type node struct {
	kind    nodeKind
	atom    int
	kids    []int32
	need    int  // of nodeSome: how many must hold, at least 2 and fewer than all
	last    int  // the last slot that it waits for; -1 when none
	numbers bool // it looks at scores, votes or formulas
}

type forest struct {
	nodes []node
	index map[string]int32
}

func newForest() *forest {
	f := &forest{index: map[string]int32{}}
	f.put(node{kind: nodeFalse})
	f.put(node{kind: nodeTrue})
	return f
}

const (
	falseNode int32 = 0
	trueNode  int32 = 1
)

func (f *forest) put(n node) int32 {
	key := make([]byte, 0, 13+4*len(n.kids))
	key = append(key, byte(n.kind))
	key = binary.LittleEndian.AppendUint32(key, uint32(n.need))
	key = binary.LittleEndian.AppendUint32(key, uint32(n.atom))
	for _, k := range n.kids {
		key = binary.LittleEndian.AppendUint32(key, uint32(k))
	}
	if id, ok := f.index[string(key)]; ok {
		return id
	}
	for i, k := range n.kids {
		kid := &f.nodes[k]
		if i == 0 || kid.last > n.last {
			n.last = kid.last
		}
		n.numbers = n.numbers || kid.numbers
	}
	id := int32(len(f.nodes))
	f.index[string(key)] = id
	f.nodes = append(f.nodes, n)
	return id
}

// group makes all, any or none of kids, simplified.
func (f *forest) group(kind nodeKind, kids []int32) int32 {
	absorbs, gives, empty := falseNode, falseNode, trueNode // all: a false kid makes it false
	switch kind {
	case nodeAny:
		absorbs, gives, empty = trueNode, trueNode, falseNode
	case nodeNone:
		absorbs, gives, empty = trueNode, falseNode, trueNode
	}
	var left []int32
	for _, k := range kids {
		if k == absorbs {
			return gives
		}
		if k == falseNode || k == trueNode || slices.Contains(left, k) {
			continue
		}
		left = append(left, k)
	}
	if len(left) == 0 {
		return empty
	}
	if len(left) == 1 && kind != nodeNone {
		return left[0]
	}
	slices.Sort(left)
	return f.put(node{kind: kind, kids: left})
}

// some makes "at least need of kids", simplified. A kid that stands twice counts twice.
func (f *forest) some(need int, kids []int32) int32 {
	var left []int32
	for _, k := range kids {
		switch k {
		case trueNode:
			need--
		case falseNode:
		default:
			left = append(left, k)
		}
	}
	switch {
	case need <= 0:
		return trueNode
	case need > len(left):
		return falseNode
	case need == 1:
		return f.group(nodeAny, left)
	case need == len(left):
		return f.group(nodeAll, left)
	}
	slices.Sort(left)
	return f.put(node{kind: nodeSome, need: need, kids: left})
}

// plant turns a condition into a tree; nil always holds.
func (m *model) plant(c *rule.Condition) int32 {
	if c == nil {
		return trueNode
	}
	list := func(kind nodeKind, subs []rule.Condition) int32 {
		kids := make([]int32, len(subs))
		for i := range subs {
			kids[i] = m.plant(&subs[i])
		}
		return m.forest.group(kind, kids)
	}
	switch {
	case c.All != nil:
		return list(nodeAll, c.All)
	case c.Any != nil:
		return list(nodeAny, c.Any)
	case c.None != nil:
		return list(nodeNone, c.None)
	case c.Counts():
		kids := make([]int32, len(c.Of))
		for i := range c.Of {
			kids[i] = m.plant(&c.Of[i])
		}
		return m.forest.some(c.AtLeast, kids)
	}
	id := m.atomOf(c.Fact, c.Op, c.Value)
	switch id {
	case atomFalse:
		return falseNode
	case atomTrue:
		return trueNode
	}
	last := -1
	if m.atoms[id].kind == atomSlot {
		last = m.atoms[id].slot
	}
	return m.forest.put(node{kind: nodeAtom, atom: id, last: last, numbers: m.atoms[id].kind != atomSlot})
}

// settle is what is left of a tree once a slot's comparisons are known.
func (m *model) settle(id int32, slot int, truth func(atom int) bool) int32 {
	n := &m.forest.nodes[id]
	switch n.kind {
	case nodeFalse, nodeTrue:
		return id
	case nodeAtom:
		if a := &m.atoms[n.atom]; a.kind == atomSlot && a.slot == slot {
			if truth(n.atom) {
				return trueNode
			}
			return falseNode
		}
		return id
	}
	kind, need, before := n.kind, n.need, n.kids // n may move: the forest grows
	kids := make([]int32, len(before))
	changed := false
	for i, k := range before {
		kids[i] = m.settle(k, slot, truth)
		changed = changed || kids[i] != k
	}
	if !changed {
		return id
	}
	if kind == nodeSome {
		return m.forest.some(need, kids)
	}
	return m.forest.group(kind, kids)
}

// each calls f for every atom of a tree.
func (m *model) each(id int32, f func(atom int)) {
	n := m.forest.nodes[id]
	if n.kind == nodeAtom {
		f(n.atom)
	}
	for _, k := range n.kids {
		m.each(k, f)
	}
}
