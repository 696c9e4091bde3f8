package quiz

import (
	"slices"
	"strconv"
	"strings"
)

// Rebase turns an edit that was made on an older draft into the one that means the same on the draft after since: a place
// behind a line that was added, removed or moved is counted anew. text is the draft as it was when the edit was made.
// It reports false when the two touch the same place, so that one would overwrite or lose the other.
func Rebase(text []byte, patch Patch, since []Patch) (Patch, bool) {
	for _, other := range since {
		if len(patch) > 1 && shareList(shiftedLists(text, patch), shiftedLists(text, other)) {
			return nil, false // the places of the later steps count from the earlier ones
		}
		next := make(Patch, 0, len(patch))
		for _, op := range patch {
			var ok bool
			if op, ok = across(text, op, other); !ok {
				return nil, false
			}
			next = append(next, op)
		}
		patch = next
		edited, err := Edit(text, other)
		if err != nil {
			return nil, false
		}
		text = edited.Text
	}
	return patch, true
}

// across moves one operation over the operations of another edit.
func across(text []byte, op Operation, others Patch) (Operation, bool) {
	for _, o := range others {
		if o.Op == "test" {
			continue
		}
		if clash(text, op, o) {
			return op, false
		}
		shifts := shiftsOf(text, o)
		for _, place := range []*string{&op.Path, &op.From} {
			if *place == "" {
				continue
			}
			moved, ok := shift(*place, shifts, op.Op == "add" && place == &op.Path || op.Op == "move" && place == &op.Path)
			if !ok {
				return op, false
			}
			*place = moved
		}
		if edited, err := Edit(text, Patch{o}); err == nil {
			text = edited.Text
		}
	}
	return op, true
}

// shiftedLists names the lists that lines of an edit come into or go from.
func shiftedLists(text []byte, patch Patch) []string {
	var out []string
	for _, op := range patch {
		for _, s := range shiftsOf(text, op) {
			out = append(out, s.list)
		}
	}
	return out
}

func shareList(a, b []string) bool {
	return slices.ContainsFunc(a, func(list string) bool { return slices.Contains(b, list) })
}

// clash reports whether both write the same place, or one writes what the other is within.
func clash(text []byte, a, b Operation) bool {
	for _, x := range writes(text, a) {
		for _, y := range writes(text, b) {
			if x == y || strings.HasPrefix(x, y+"/") || strings.HasPrefix(y, x+"/") {
				return true
			}
		}
	}
	return false
}

// writes lists the places whose value an operation replaces. A new line in a list replaces nothing, and a line that is
// moved keeps what it holds.
func writes(text []byte, o Operation) []string {
	parent, last := split(o.Path)
	switch {
	case o.Op == "move", (o.Op == "add" || o.Op == "copy") && (last == "-" || isIndex(last) && isList(text, parent)):
		return nil
	}
	return []string{o.Path}
}

func isIndex(s string) bool {
	_, err := strconv.Atoi(s)
	return err == nil
}

// a shiftStep is a line that comes into a list (By 1) or goes from it (By -1); to is where a moved one went.
type shiftStep struct {
	list string
	at   int
	to   int // of a move, else -1
	by   int
}

func shiftsOf(text []byte, o Operation) []shiftStep {
	list := func(path string) (string, int, bool) {
		parent, last := split(path)
		n, err := strconv.Atoi(last)
		if last == "-" {
			return parent, 1 << 30, true
		}
		if err != nil {
			return "", 0, false
		}
		if !isList(text, parent) {
			return "", 0, false
		}
		return parent, n, true
	}
	switch o.Op {
	case "add", "copy":
		if l, n, ok := list(o.Path); ok {
			return []shiftStep{{l, n, -1, 1}}
		}
	case "remove":
		if l, n, ok := list(o.Path); ok {
			return []shiftStep{{l, n, -1, -1}}
		}
	case "move":
		from, a, ok1 := list(o.From)
		to, b, ok2 := list(o.Path)
		if ok1 && ok2 && from == to {
			return []shiftStep{{from, a, b, 0}}
		}
	}
	return nil
}

func isList(text []byte, path string) bool {
	tree, err := decode(text)
	if err != nil {
		return false
	}
	_, ok := at(tree, path).([]any)
	return ok
}

// shift counts a place anew. target is the place of a line that comes in, which may stand where another went.
func shift(path string, steps []shiftStep, target bool) (string, bool) {
	for _, s := range steps {
		rest, inside := strings.CutPrefix(path, s.list+"/")
		if !inside {
			continue
		}
		segment, below, deeper := strings.Cut(rest, "/")
		n, err := strconv.Atoi(segment)
		if err != nil {
			continue // "-" stays the end
		}
		switch {
		case s.to >= 0: // a move within the list
			switch {
			case n == s.at && (deeper || !target):
				n = s.to
			case s.at < n && n <= s.to:
				n--
			case s.to <= n && n < s.at:
				n++
			}
		case s.by > 0 && s.at <= n:
			n++
		case s.by < 0 && s.at == n && (deeper || !target):
			return "", false // it is gone
		case s.by < 0 && s.at < n:
			n--
		}
		path = s.list + "/" + strconv.Itoa(n)
		if deeper {
			path += "/" + below
		}
	}
	return path, true
}
