package quiz

import (
	"slices"
	"strconv"
	"strings"
)

// Logged is an edit in the log of a draft, as far as another edit is moved over it.
type Logged struct {
	Number  int
	Cancels int // number of the step whose effect this one undoes; 0 for none
	Patch   Patch
	Inverse Patch
	Own     bool // made in the window of the edit that is moved: it knew of this one
}

// Rebase turns an edit that was made before the steps into the one that means the same after them: a place behind a
// line that was added, removed or moved is counted again. now is the draft after the steps. It reports false when one
// would overwrite or lose what the other did.
//
// Two things follow from the order in which people work. A step that a later one undoes leaves nothing that could
// be in the way: the two are taken out first. And a step of the same window was known when the edit was made, so the
// edit may write over it; only lines are counted again.
//
// Example: "remove /questions/3", made while someone else put a question before the second one, becomes "remove
// /questions/4".
func Rebase(now []byte, patch Patch, steps []Logged) (Patch, bool) {
	if len(steps) == 0 {
		return patch, true
	}
	before, err := readTree(now)
	if err != nil {
		return nil, false
	}
	for _, s := range slices.Backward(steps) {
		if before.apply(s.Inverse) != nil {
			return nil, false
		}
	}
	patch, ok := before.pin(patch)
	if !ok {
		return nil, false
	}
	for _, s := range withoutCancelled(before, steps) {
		if patch, ok = before.moveOver(patch, s.Patch, s.Own); !ok {
			return nil, false
		}
	}
	return patch, true
}

// withoutCancelled takes out steps that a later one undoes, together with that one; the steps between them become
// what they would be without the two. Where that cannot be said, both stay. before is the draft before the steps; it
// is not changed.
func withoutCancelled(before *tree, steps []Logged) []Logged {
	steps = slices.Clone(steps)
	for j := 0; j < len(steps); j++ {
		i := slices.IndexFunc(steps[:j], func(s Logged) bool { return s.Number == steps[j].Cancels })
		if i < 0 {
			continue
		}
		between, ok := withoutFirst(before, steps[:i+1], steps[i+1:j])
		if !ok {
			continue
		}
		rest := slices.Clone(steps[j+1:])
		steps = slices.Concat(steps[:i], between, rest)
		j = i + len(between) - 1
	}
	return steps
}

// withoutFirst returns the steps of between as they would be without the last step of first.
func withoutFirst(before *tree, first, between []Logged) ([]Logged, bool) {
	if len(between) == 0 {
		return nil, true
	}
	last := first[len(first)-1]
	without := before.clone()
	for _, s := range first[:len(first)-1] {
		if without.apply(s.Patch) != nil {
			return nil, false
		}
	}
	with := without.clone()
	if with.apply(last.Patch) != nil {
		return nil, false
	}
	back := last.Inverse // leads from with to without, at every step between
	out := make([]Logged, len(between))
	for k, s := range between {
		moved, ok := with.clone().moveOver(s.Patch, back, false)
		if !ok {
			return nil, false
		}
		if back, ok = with.moveOver(back, s.Patch, false); !ok {
			return nil, false
		}
		inverse, err := without.inverse(moved)
		if err != nil {
			return nil, false
		}
		out[k] = s
		out[k].Patch, out[k].Inverse = moved, inverse
	}
	return out, true
}

// moveOver moves a patch over another one that was made on the same draft t, and applies the other to t. own says
// that anyone who made the patch knew of the other.
func (t *tree) moveOver(patch, other Patch, own bool) (Patch, bool) {
	patch = slices.Clone(patch)
	for _, o := range other {
		if o.Op == "test" {
			continue
		}
		if t.countsWithin(patch, o) {
			return nil, false
		}
		shifts := t.shiftsOf(o)
		for i := range patch {
			if !t.followed(&patch[i], o, shifts, own) {
				return nil, false
			}
		}
		if t.applyOne(o) != nil {
			return nil, false
		}
	}
	return patch, true
}

// followed counts the places of an operation of a patch again for another operation o on this tree, which makes the
// shifts; false where the two clash, or what the operation is about no longer exists. An id follows its element by
// itself; one that is not there yet is made by a later step.
func (t *tree) followed(op *Operation, o Operation, shifts []shift, own bool) bool {
	if !isReference(op.Path) && !isReference(op.From) {
		return !t.clash(*op, o, own) && op.shift(shifts)
	}
	plain, there := t.located(*op)
	return !(there && t.clash(plain, o, own)) && t.shiftOperation(op, shifts)
}

// countsWithin reports whether the later operations of a patch count the lines of a list from what its earlier ones
// did there, while o puts lines into that list or takes them out: then the places of the patch cannot be counted one
// by one.
func (t *tree) countsWithin(patch Patch, o Operation) bool {
	for _, s := range t.shiftsOf(o) {
		shifting, counting := false, 0
		for _, op := range patch {
			if op.Op == "test" || isReference(op.Path) {
				continue
			}
			for _, own := range t.shiftsOf(op) {
				shifting = shifting || own.list == s.list && own.at != atEnd
			}
			if strings.HasPrefix(op.Path, s.list+"/") {
				counting++
			}
		}
		if shifting && counting > 1 {
			return true
		}
	}
	return false
}

// shift counts the places of an operation again; false when what it is about no longer exists.
func (op *Operation) shift(shifts []shift) bool {
	into := op.Op == "add" || op.Op == "move" || op.Op == "copy"
	var ok bool
	if op.Path, ok = shifted(op.Path, shifts, into); !ok {
		return false
	}
	if op.From != "" {
		op.From, ok = shifted(op.From, shifts, false)
	}
	return ok
}

// clash reports whether a, an operation on t, and b, which comes before it, are about the same thing so that a would
// overwrite or lose what b did. With own, anyone who made a knew of b: a may replace it, but not write into what b has
// put in place of what a saw.
func (t *tree) clash(a, b Operation, own bool) bool {
	for _, y := range t.writes(b) {
		for _, x := range t.writes(a) {
			if y != x && isWithin(x, y) || !own && isWithin(y, x) {
				return true
			}
		}
		if list, ok := t.linesOf(a); ok && isWithin(list, y) {
			return true // a puts a line into a list that is another one now
		}
	}
	if own {
		return false
	}
	if list, ok := t.linesOf(b); ok {
		for _, x := range t.writes(a) {
			if isWithin(list, x) {
				return true // a replaces a list into which b has put a line
			}
		}
	}
	return false
}

// isWithin reports whether place is the other one, or lies below it.
func isWithin(place, other string) bool {
	return place == other || strings.HasPrefix(place, other+"/")
}

// writes lists the places whose value an operation replaces or takes away. A new line in a list replaces nothing, and
// a line that is moved keeps what it holds.
func (t *tree) writes(o Operation) []string {
	if o.Op == "test" {
		return nil
	}
	if _, ok := t.linesOf(o); ok || t.makesRoom(o) {
		return nil
	}
	return []string{o.Path}
}

// makesRoom reports whether an operation adds an empty object or list where none was: what others put there meanwhile
// stays.
func (t *tree) makesRoom(o Operation) bool {
	if o.Op != "add" && o.Op != "replace" || string(o.Value) != "{}" && string(o.Value) != "[]" {
		return false
	}
	value, _ := lookup(t.root, o.Path)
	return value == nil
}

// KeepRoom leaves out of the inverse of a patch what would take away the empty objects and lists that the patch made
// room with.
func KeepRoom(inverse, made Patch) Patch {
	room := map[string]bool{}
	for _, op := range made {
		if op.Op == "add" && (string(op.Value) == "{}" || string(op.Value) == "[]") {
			room[op.Path] = true
		}
	}
	return slices.DeleteFunc(
		slices.Clone(inverse),
		func(op Operation) bool { return op.Op == "remove" && room[op.Path] },
	)
}

// linesOf is the list into which an operation puts a line, or in which it moves one.
func (t *tree) linesOf(o Operation) (list string, ok bool) {
	if o.Op != "add" && o.Op != "copy" && o.Op != "move" {
		return "", false
	}
	parent, last := split(o.Path)
	return parent, (last == "-" || isIndex(last)) && t.isList(parent)
}

func isIndex(s string) bool {
	_, err := strconv.Atoi(s)
	return err == nil
}

// shift is a line that comes into a list (by 1), goes from it (by −1) or moves within it.
type shift struct {
	list string
	at   int
	to   int // of a move, else −1
	by   int
}

// atEnd is the place behind every line.
const atEnd = 1 << 30

func (t *tree) shiftsOf(o Operation) []shift {
	switch o.Op {
	case "add", "copy":
		if list, n, ok := t.line(o.Path); ok {
			return []shift{{list, n, -1, 1}}
		}
	case "remove":
		if list, n, ok := t.line(o.Path); ok {
			return []shift{{list, n, -1, -1}}
		}
	case "move":
		from, a, ok1 := t.line(o.From)
		to, b, ok2 := t.line(o.Path)
		if ok1 && ok2 && from == to {
			return []shift{{from, a, b, 0}}
		}
	}
	return nil
}

// line splits the place of a line into its list and its number there.
func (t *tree) line(path string) (list string, n int, ok bool) {
	parent, last := split(path)
	if last == "-" {
		return parent, atEnd, true
	}
	n, err := strconv.Atoi(last)
	return parent, n, err == nil && t.isList(parent)
}

// shifted counts a place again; false when the line no longer exists. into is the place of a line that comes in: it may
// stand where another one went.
func shifted(path string, shifts []shift, into bool) (string, bool) {
	for _, s := range shifts {
		rest, inside := strings.CutPrefix(path, s.list+"/")
		if !inside {
			continue
		}
		segment, below, deeper := strings.Cut(rest, "/")
		n, err := strconv.Atoi(segment)
		if err != nil {
			continue // "-" stays the end
		}
		if s.by < 0 && s.at == n && (deeper || !into) {
			return "", false
		}
		path = s.list + "/" + strconv.Itoa(s.count(n, deeper || !into))
		if deeper {
			path += "/" + below
		}
	}
	return path, true
}

// count is the number that line n of the list has afterwards. same says that n is that very line, not a place between
// lines.
func (s shift) count(n int, same bool) int {
	switch {
	case s.to >= 0 && n == s.at && same:
		return s.to
	case s.to >= 0 && s.at < n && n <= s.to:
		return n - 1
	case s.to >= 0 && s.to <= n && n < s.at:
		return n + 1
	case s.to >= 0:
		return n
	case s.by > 0 && s.at <= n:
		return n + 1
	case s.by < 0 && s.at < n:
		return n - 1
	}
	return n
}
