package quiz

import (
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"slices"
	"strconv"
	"strings"
	"sync"
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
// Under an object that is there every segment is a key, whatever it begins with. A reference belongs to a revision: prints are those
// of the document that the page was drawn from. Rebase pins them there, and Edit finds the positions on the document
// that it edits, so that RFC 6902 is applied to plain pointers.
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

// anchor splits a segment for the place beside an element into the side and the element.
func anchor(segment string) (side byte, element string) {
	if segment != "" && (segment[0] == isAfter || segment[0] == isBefore) {
		return segment[0], segment[1:]
	}
	return 0, segment
}

// pointerOf turns a reference into a pointer on this tree; false when an element that it goes through is not there.
// Where the element that a new one was to stand beside is gone, the new one goes to the end.
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
	all, _ := at(t.root, list).([]any)
	if b == atEnd {
		b = len(all)
	}
	if a < b {
		b--
	}
	return list + "/" + strconv.Itoa(b)
}

// pinned replaces prints by the positions that they stand for on this tree.
func (t *tree) pinned(ref string) (string, bool) {
	if !isReference(ref) {
		return ref, true
	}
	node := t.root
	segments := strings.Split(ref[1:], "/")
	for i, segment := range segments {
		list, isList := node.([]any)
		if !isList {
			m, _ := node.(map[string]any)
			node = m[pointerUnescape.Replace(segment)]
			continue
		}
		side, element := anchor(segment)
		n, there := elementAt(list, element)
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

// pin replaces the prints in a patch by positions on this tree; false when one is not there.
func (t *tree) pin(patch Patch) (Patch, bool) {
	out := make(Patch, len(patch))
	for i, op := range patch {
		ok := true
		if op.From != "" {
			op.From, ok = t.pinned(op.From)
		}
		if ok {
			op.Path, ok = t.pinned(op.Path)
		}
		if !ok {
			return nil, false
		}
		out[i] = op
	}
	return out, true
}

// shiftPins counts the positions of a pinned reference anew after lines of this tree came, went or moved; false when
// the element is gone. Beside an element that is gone is the end of its list.
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

// references names the places of one document. It reads the text when it is asked first, and remembers prints.
type references struct {
	once sync.Once
	text []byte
	tree *tree

	mu    sync.Mutex
	lists map[string][]string // the prints of a list, by its pointer
}

func (r *references) read() *tree {
	r.once.Do(func() {
		t, err := readTree(r.text)
		if err != nil {
			t = &tree{}
		}
		r.tree, r.text = t, nil
	})
	return r.tree
}

func (r *references) printsOf(pointer string, list []any) []string {
	r.mu.Lock()
	defer r.mu.Unlock()
	out, ok := r.lists[pointer]
	if !ok {
		if r.lists == nil {
			r.lists = map[string][]string{}
		}
		out = prints(list)
		r.lists[pointer] = out
	}
	return out
}

// references are those of the text that the document was read from. A document that was made or changed in memory is
// written out for them.
func (d *Document) references() *references {
	if d.refs != nil {
		return d.refs
	}
	text, err := json.Marshal(d)
	if err != nil {
		text = []byte("{}")
	}
	return &references{text: text}
}

// keepReferences lets a document name its places by the text that it was read from.
func (d *Document) keepReferences(text []byte, root any) {
	d.refs = &references{text: text}
	if root != nil {
		d.refs.once.Do(func() { d.refs.tree, d.refs.text = &tree{root}, nil })
	}
}

// Ref names a place by ids and prints instead of positions: "/questions/3/text" becomes "/questions/@area/text". What
// is not there keeps its position.
func (d *Document) Ref(pointer string) string {
	if pointer == "" || pointer[0] != '/' {
		return pointer
	}
	r := d.references()
	return r.extend(&strings.Builder{}, r.read().root, "", strings.Split(pointer[1:], "/"))
}

// extend writes the reference of segments below a node; plain is the pointer of the node.
func (r *references) extend(out *strings.Builder, node any, plain string, segments []string) string {
	for _, segment := range segments {
		out.WriteByte('/')
		list, isList := node.([]any)
		n, there := 0, false
		if isList && segment != "" && segment[0] == byPrint {
			n = slices.Index(r.printsOf(plain, list), segment)
			there = n >= 0
		} else if isList {
			n, there = elementAt(list, segment)
		}
		switch {
		case there && !isIndex(segment): // a reference already
			out.WriteString(segment)
			node = list[n]
			segment = strconv.Itoa(n)
		case there:
			if id := idOf(list[n]); id != "" {
				out.WriteByte(byID)
				out.WriteString(id)
			} else {
				out.WriteString(r.printsOf(plain, list)[n])
			}
			node = list[n]
		default:
			out.WriteString(segment)
			m, _ := node.(map[string]any)
			node = m[pointerUnescape.Replace(segment)]
		}
		plain += "/" + segment
	}
	return out.String()
}

// At is Ref(Pointer(segments...)).
func (d *Document) At(segments ...any) string { return d.Ref(Pointer(segments...)) }

// Below names a place below a reference: Below("/questions/@area", "choices", 2).
func (d *Document) Below(ref string, segments ...any) string {
	return d.Ref(ref + Pointer(segments...))
}

// Next is the reference that a value will have once it stands at the end of a list, or of a place below it:
// Next("/verdicts", line, "bands", "cuts", 0). Whoever adds it can go there when it has been drawn.
func (d *Document) Next(list string, value any, segments ...any) string {
	r := d.references()
	text, err := json.Marshal(value)
	if err != nil {
		return list + "/-"
	}
	node, err := decode(text)
	if err != nil {
		return list + "/-"
	}
	ref := string(byID) + idOf(node)
	if idOf(node) == "" {
		var old []any
		if pointer, ok := r.read().pointerOf(list); ok {
			old, _ = at(r.tree.root, pointer).([]any)
		}
		all := prints(append(slices.Clone(old), node))
		ref = all[len(all)-1]
	}
	out := &strings.Builder{}
	out.WriteString(list + "/" + ref)
	if len(segments) == 0 {
		return out.String()
	}
	within := &references{}
	return within.extend(out, node, "", strings.Split(Pointer(segments...)[1:], "/"))
}

// Find turns a reference into a pointer; false when what it names is not there.
func (d *Document) Find(ref string) (pointer string, ok bool) {
	return d.references().read().pointerOf(ref)
}

// Read reads what stands at a pointer into out; false when there is nothing, or something of another form.
func (d *Document) Read(pointer string, out any) bool {
	node, there := lookup(d.references().read().root, pointer)
	if !there {
		return false
	}
	text, err := json.Marshal(node)
	return err == nil && json.Unmarshal(text, out) == nil
}

// Refer names the places of a patch on this document by references. An operation whose place cannot be named, as an
// earlier one of the patch changes what it is found by, keeps its pointer.
func (d *Document) Refer(patch Patch) Patch {
	now := d.references().read().clone()
	out := make(Patch, len(patch))
	for i, op := range patch {
		named := op
		r := &references{}
		name := func(pointer string) string {
			if pointer == "" {
				return ""
			}
			ref := r.extend(&strings.Builder{}, now.root, "", strings.Split(pointer[1:], "/"))
			if _, ok := d.Find(ref); !ok && strings.Contains(ref, "/"+string(byPrint)) {
				return pointer
			}
			return ref
		}
		named.From = name(op.From)
		list, n, isLine := now.line(op.Path)
		switch {
		case isLine && op.Op == "move":
			named.Path = name(list) + "/" + now.besideOf(list, op.From, n)
		case isLine && (op.Op == "add" || op.Op == "copy") && n != atEnd:
			named.Path = name(list) + "/" + now.besideOf(list, "", n)
		default:
			named.Path = name(op.Path)
		}
		out[i] = named
		if now.applyOne(op) != nil {
			return patch
		}
	}
	return out
}

// besideOf names the place n of a list by the element that comes before it; from is the element that is moved there.
func (t *tree) besideOf(list, from string, n int) string {
	all, _ := at(t.root, list).([]any)
	if other, k, ok := t.line(from); ok && other == list {
		all = slices.Delete(slices.Clone(all), k, k+1)
	}
	segments := prints(all)
	for i := range all {
		if id := idOf(all[i]); id != "" {
			segments[i] = string(byID) + id
		}
	}
	switch {
	case len(all) == 0 || n > len(all):
		return "-"
	case n == 0:
		return string(isBefore) + segments[0]
	}
	return string(isAfter) + segments[n-1]
}
