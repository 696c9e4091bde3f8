package quiz

import (
	"encoding/json"
	"slices"
	"strconv"
	"strings"
	"sync"
)

// How a document names its places by references (see ref.go).

// references names the places of one document. It reads the text at the first question and remembers prints.
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

// elementAt finds the element that a segment names in a list, which stands at a pointer.
func (r *references) elementAt(pointer string, list []any, segment string) (int, bool) {
	if segment == "" || segment[0] != byPrint {
		return elementAt(list, segment)
	}
	n := slices.Index(r.printsOf(pointer, list), segment)
	return n, n >= 0
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
		if isList {
			n, there = r.elementAt(plain, list, segment)
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
// Next("/verdicts", line, "bands", "cuts", 0). The window can go there when it has been drawn.
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
			old, _ = valueAt(r.tree.root, pointer).([]any)
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

// Find turns a reference into a pointer; false where it goes through an element that is not in the document. The field
// that it ends with need not be there, nor the element "-" behind the last one (RFC 6901, section 4).
func (d *Document) Find(ref string) (pointer string, ok bool) {
	if ref != "" && ref[0] != '/' {
		return "", false
	}
	t := d.references().read()
	if pointer, ok = t.pointerOf(ref); !ok || pointer == "" {
		return pointer, ok
	}
	node := t.root
	for _, segment := range strings.Split(pointer[1:], "/") {
		if list, isList := node.([]any); isList {
			n, there := elementAt(list, segment)
			if !there {
				return pointer, segment == "-"
			}
			node = list[n]
			continue
		}
		m, _ := node.(map[string]any)
		node = m[pointerUnescape.Replace(segment)]
	}
	return pointer, true
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
	all, _ := valueAt(t.root, list).([]any)
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
