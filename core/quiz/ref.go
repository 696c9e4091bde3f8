package quiz

import (
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"strconv"
	"strings"
)

// References. A place of a document is a JSON Pointer (RFC 6901), which names an element of a list by its position. A
// page that people edit cannot count on positions: others insert and delete while it is shown. It uses references,
// pointers in which an element of a list is named by one of these segments:
//
//	@ID     the element with that id
//	=PRINT  the element without an id that holds this (see printOf); =PRINT.2 is the third of three equal ones
//	#N      the element that stood at position N before the patch was applied; only pin makes these
//	>SEG    in the path of an add, a copy or a move: the place after that element
//	<SEG    … the place before it
//
// Under an object that is there every segment is a key, whatever it begins with. A reference belongs to a revision:
// prints are those of the document that the page was drawn from. Rebase pins them there, and Edit finds the positions
// on the document that it edits, so that RFC 6902 is applied to plain pointers.
const (
	byID     = '@'
	byPrint  = '='
	byPin    = '#'
	isAfter  = '>'
	isBefore = '<'
)

// isReference reports whether a path may name an element by something other than its position.
func isReference(path string) bool {
	for i := 0; i+1 < len(path); i++ {
		if path[i] == '/' && strings.IndexByte("@=#><", path[i+1]) >= 0 {
			return true
		}
	}
	return false
}

// isElement reports whether the last segment of a path names an element of a list.
func isElement(segment string) bool {
	return isIndex(segment) || segment != "" && strings.IndexByte("@=#", segment[0]) >= 0
}

// printOf is a short name of what an element holds: two elements with the same print are equal.
func printOf(node any) string {
	text, err := json.Marshal(node) // the keys of maps come in order
	if err != nil {
		return ""
	}
	sum := sha256.Sum256(text)
	return base64.RawURLEncoding.EncodeToString(sum[:6])
}

// prints are the segments of the elements of a list; equal ones are told apart by a number.
func prints(list []any) []string {
	out := make([]string, len(list))
	seen := map[string]int{}
	for i, node := range list {
		p := printOf(node)
		out[i] = string(byPrint) + p
		if n := seen[p]; n > 0 {
			out[i] += "." + strconv.Itoa(n)
		}
		seen[p]++
	}
	return out
}

// elementAt finds the element that a segment names in a list.
func elementAt(list []any, segment string) (int, bool) {
	if segment == "" {
		return 0, false
	}
	switch rest := segment[1:]; segment[0] {
	case byID:
		for i, node := range list {
			if idOf(node) == rest {
				return i, true
			}
		}
		return 0, false
	case byPrint:
		for i, p := range prints(list) {
			if p == segment {
				return i, true
			}
		}
		return 0, false
	case byPin:
		n, err := strconv.Atoi(rest)
		return n, err == nil && n >= 0 && n < len(list)
	}
	n, err := strconv.Atoi(segment)
	return n, err == nil && n >= 0 && n < len(list)
}

// anchor splits a segment for the place next to an element into the side and the element.
func anchor(segment string) (side byte, element string) {
	if segment != "" && (segment[0] == isAfter || segment[0] == isBefore) {
		return segment[0], segment[1:]
	}
	return 0, segment
}

// pointerOf turns a reference into a pointer on this tree; false when an element that it goes through is not there.
// Where the element that a new one was to stand next to no longer exists, the new one goes to the end.
func (t *tree) pointerOf(ref string) (string, bool) {
	if !isReference(ref) {
		return ref, true
	}
	var out strings.Builder
	node := t.root
	segments := strings.Split(ref[1:], "/")
	for i, segment := range segments {
		out.WriteByte('/')
		list, isList := node.([]any)
		if !isList {
			if node == nil && isElement(segment) && !isIndex(segment) {
				return "", false // the list itself is not there
			}
			out.WriteString(segment)
			m, _ := node.(map[string]any)
			node = m[pointerUnescape.Replace(segment)]
			continue
		}
		if side, element := anchor(segment); side != 0 && i == len(segments)-1 {
			n, there := elementAt(list, element)
			switch {
			case !there:
				out.WriteByte('-')
			case side == isAfter:
				out.WriteString(strconv.Itoa(n + 1))
			default:
				out.WriteString(strconv.Itoa(n))
			}
			return out.String(), true
		}
		n, there := elementAt(list, segment)
		switch {
		case there:
			out.WriteString(strconv.Itoa(n))
			node = list[n]
		case isElement(segment) && !isIndex(segment):
			return "", false
		default: // "-", or a position that is not there: RFC 6902 says what is wrong with it
			out.WriteString(segment)
			node = nil
		}
	}
	return out.String(), true
}

// located is an operation with plain pointers on this tree.
func (t *tree) located(op Operation) (Operation, bool) {
	var ok bool
	if op.From != "" {
		if op.From, ok = t.pointerOf(op.From); !ok {
			return op, false
		}
	}
	anchored := isReference(op.Path)
	if op.Path, ok = t.pointerOf(op.Path); !ok {
		return op, false
	}
	if op.Op == "move" && anchored {
		op.Path = t.landing(op.From, op.Path)
	}
	return op, true
}

// landing is where a moved element comes to stand: RFC 6902 counts after it has been taken out.
func (t *tree) landing(from, path string) string {
	list, a, ok := t.line(from)
	to, b, ok2 := t.line(path)
	if !ok || !ok2 || list != to {
		return path
	}
	all, _ := valueAt(t.root, list).([]any)
	if b == atEnd {
		b = len(all)
	}
	if a < b {
		b--
	}
	return list + "/" + strconv.Itoa(b)
}

// pinned replaces prints by the positions that they stand for on a tree.
func (r *references) pinned(ref string) (string, bool) {
	if !isReference(ref) {
		return ref, true
	}
	node := r.tree.root
	segments := strings.Split(ref[1:], "/")
	plain := "" // the pointer of the node
	for i, segment := range segments {
		list, isList := node.([]any)
		if !isList {
			m, _ := node.(map[string]any)
			node = m[pointerUnescape.Replace(segment)]
			plain += "/" + segment
			continue
		}
		side, element := anchor(segment)
		n, there := r.elementAt(plain, list, element)
		plain += "/" + strconv.Itoa(n)
		if element != "" && element[0] == byPrint {
			if !there {
				return "", false
			}
			segments[i] = string(byPin) + strconv.Itoa(n)
			if side != 0 {
				segments[i] = string(side) + segments[i]
			}
		}
		node = nil
		if there {
			node = list[n]
		}
	}
	return "/" + strings.Join(segments, "/"), true
}

// pin replaces the prints in a patch by positions on this tree; false when one is not there. Each list is printed once
// for the whole patch, because printing reads everything in it.
func (t *tree) pin(patch Patch) (Patch, bool) {
	r := &references{tree: t}
	out := make(Patch, len(patch))
	for i, op := range patch {
		ok := true
		if op.From != "" {
			op.From, ok = r.pinned(op.From)
		}
		if ok {
			op.Path, ok = r.pinned(op.Path)
		}
		if !ok {
			return nil, false
		}
		out[i] = op
	}
	return out, true
}

// shiftPins counts the positions of a pinned reference again after lines of this tree came, went or moved; false when
// the element no longer exists. Next to an element that no longer exists is the end of its list.
func (t *tree) shiftPins(ref string, shifts []shift) (string, bool) {
	if !strings.Contains(ref, string(byPin)) || len(shifts) == 0 {
		return ref, true
	}
	node := t.root
	segments := strings.Split(ref[1:], "/")
	at := ""
	for i, segment := range segments {
		list, isList := node.([]any)
		if !isList {
			at += "/" + segment
			m, _ := node.(map[string]any)
			node = m[pointerUnescape.Replace(segment)]
			continue
		}
		side, element := anchor(segment)
		n, there := elementAt(list, element)
		if element != "" && element[0] == byPin && there {
			moved, gone := n, false
			for _, s := range shifts {
				if s.list == at {
					gone = gone || s.by < 0 && s.at == moved
					moved = s.count(moved, true)
				}
			}
			switch {
			case gone && side == 0:
				return "", false
			case gone:
				segments[i] = "-"
			case side != 0:
				segments[i] = string(side) + string(byPin) + strconv.Itoa(moved)
			default:
				segments[i] = string(byPin) + strconv.Itoa(moved)
			}
		}
		if !there {
			break
		}
		at += "/" + strconv.Itoa(n)
		node = list[n]
	}
	return "/" + strings.Join(segments, "/"), true
}

// shiftOperation is shiftPins for both places of an operation.
func (t *tree) shiftOperation(op *Operation, shifts []shift) bool {
	var ok bool
	if op.Path, ok = t.shiftPins(op.Path, shifts); !ok {
		return false
	}
	if op.From != "" {
		op.From, ok = t.shiftPins(op.From, shifts)
	}
	return ok
}
