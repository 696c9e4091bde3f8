package reach

import (
	"iter"
	"math/big"
	"slices"
)

// key is a packed state.
type key [4]uint64

// table is the states of one layer with their probabilities, and the way that one walk took to each.
type table struct {
	words int      // of a key, as they are kept
	keys  []uint64 // one behind the other
	p     []float64
	n     []*big.Int // how many combinations lead here, if wanted
	from  []origin
	slots []int32 // position + 1: by open addressing, or by the key itself where keys are short
	short bool
}

// origin is where a state was first come from: a state of an earlier layer and the effect of its question; for the
// first states the combination of visitor facts.
type origin struct {
	layer  int32 // -1: before the first question; or no one
	state  int32
	effect int32
}

// no one is the layer that no one comes from: that of a state whom no one comes to any more, in a count again.
const nobody = -2

// isDeserted reports whether no one comes to a state.
func (t *table) isDeserted(s int) bool { return t.from[s].layer == nobody }

// people are the states that someone comes to.
func (t *table) people() iter.Seq[int] {
	return func(yield func(int) bool) {
		for s := range t.from {
			if !t.isDeserted(s) && !yield(s) {
				return
			}
		}
	}
}

// anyone reports whether someone comes to a state of the layer.
func (t *table) anybody() bool {
	return slices.ContainsFunc(t.from, func(o origin) bool { return o.layer != nobody })
}

// deserted is how many states no one comes to.
func (t *table) deserted() int {
	n := 0
	for s := range t.from {
		if t.isDeserted(s) {
			n++
		}
	}
	return n
}

// desert leaves no one in any state.
func (t *table) desert() {
	clear(t.p)
	for s := range t.from {
		t.from[s].layer = nobody
	}
}

// come brings the share of some people to a state that is there.
func (t *table) come(s int32, share float64, from origin) {
	if t.p[s] += share; t.from[s].layer == nobody {
		t.from[s] = from
	}
}

// shortKey is how many bits a key may have to be its own place in the table.
const shortKey = 12

// tableRoom is what the lists of tables are taken from.
type tableRoom struct {
	slots pieces[int32]
	keys  pieces[uint64]
	p     pieces[float64]
	from  pieces[origin]
}

// newTable makes a table for keys of so many bits; room is needed for short ones.
func newTable(bits uint, room *tableRoom) table {
	t := table{words: max(1, int(bits+63)/64)}
	if bits <= shortKey {
		t.short, t.slots = true, room.slots.take(1<<bits)
	}
	return t
}

// size is how many states there are.
func (t *table) size() int { return len(t.keys) / t.words }

// reserve makes room for so many states, where there is none yet.
func (t *table) reserve(states int, room *tableRoom) {
	if cap(t.p) == 0 {
		t.keys = room.keys.take(states * t.words)[:0]
		t.p, t.from = room.p.take(states)[:0], room.from.take(states)[:0]
	}
}

func (t *table) key(s int) (k key) {
	copy(k[:], t.keys[s*t.words:(s+1)*t.words])
	return k
}

// find returns the position of a state, and whether it was there; if not, its key is added.
func (t *table) find(k key) (int32, bool) {
	if t.words == 1 {
		return t.findWord(k[0])
	}
	if t.size()*2 >= len(t.slots) {
		t.rehash()
	}
	mask := uint64(len(t.slots) - 1)
	for h := hash(k) & mask; ; h = (h + 1) & mask {
		switch at := t.slots[h]; {
		case at == 0:
			t.keys = append(t.keys, k[:t.words]...)
			t.slots[h] = int32(t.size())
			return int32(t.size() - 1), false
		case t.key(int(at-1)) == k:
			return at - 1, true
		}
	}
}

// findWord is find for keys of one word.
func (t *table) findWord(k uint64) (int32, bool) {
	if t.short && t.slots[k] > 0 {
		return t.slots[k] - 1, true
	}
	return t.addWord(k)
}

func (t *table) addWord(k uint64) (int32, bool) {
	if t.short {
		t.keys = append(t.keys, k)
		t.slots[k] = int32(len(t.keys))
		return int32(len(t.keys) - 1), false
	}
	if len(t.keys)*2 >= len(t.slots) {
		t.rehash()
	}
	mask := uint64(len(t.slots) - 1)
	for h := hashWord(k) & mask; ; h = (h + 1) & mask {
		switch at := t.slots[h]; {
		case at == 0:
			t.keys = append(t.keys, k)
			t.slots[h] = int32(len(t.keys))
			return int32(len(t.keys) - 1), false
		case t.keys[at-1] == k:
			return at - 1, true
		}
	}
}

// seek returns the position of a state, if it is there.
func (t *table) seek(k key) (int32, bool) {
	if t.words == 1 {
		return t.seekWord(k[0])
	}
	if t.size() == 0 {
		return 0, false
	}
	mask := uint64(len(t.slots) - 1)
	for h := hash(k) & mask; ; h = (h + 1) & mask {
		switch at := t.slots[h]; {
		case at == 0:
			return 0, false
		case t.key(int(at-1)) == k:
			return at - 1, true
		}
	}
}

// seekWord is seek for keys of one word.
func (t *table) seekWord(k uint64) (int32, bool) {
	if t.short {
		return t.slots[k] - 1, t.slots[k] > 0
	}
	if len(t.keys) == 0 {
		return 0, false
	}
	mask := uint64(len(t.slots) - 1)
	for h := hashWord(k) & mask; ; h = (h + 1) & mask {
		switch at := t.slots[h]; {
		case at == 0:
			return 0, false
		case t.keys[at-1] == k:
			return at - 1, true
		}
	}
}

// hashWord is hash for keys of one word.
func hashWord(k uint64) uint64 {
	h := k * 0x9E3779B97F4A7C15
	h ^= h >> 29
	return h ^ h>>32
}

func hash(k key) uint64 {
	h := k[0] * 0x9E3779B97F4A7C15
	h ^= h >> 29
	if k[1]|k[2]|k[3] != 0 {
		h = (h + k[1]) * 0xBF58476D1CE4E5B9
		h ^= h >> 32
		h = (h + k[2]) * 0x94D049BB133111EB
		h ^= h >> 29
		h = (h + k[3]) * 0x9E3779B97F4A7C15
	}
	return h ^ h>>32
}

// roomFor is how many slots so many states take, before there are twice as many.
func roomFor(states int) int {
	room := 16
	for room < 4*states {
		room *= 2
	}
	return room
}

// expect makes room for so many states at once.
func (t *table) expect(states int) {
	if !t.short && len(t.slots) == 0 {
		t.slots = make([]int32, roomFor(states/2))
		t.keys = make([]uint64, 0, states*t.words)
	}
}

// rehash makes room for twice as many states as there are.
func (t *table) rehash() {
	t.slots = make([]int32, roomFor(t.size()))
	mask := uint64(len(t.slots) - 1)
	for s := range t.size() {
		h := hash(t.key(s)) & mask
		for t.slots[h] != 0 {
			h = (h + 1) & mask
		}
		t.slots[h] = int32(s + 1)
	}
}
