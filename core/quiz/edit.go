package quiz

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strconv"
	"strings"

	jsonpatch "github.com/evanphx/json-patch/v5"
)

// Operation is one step of a JSON Patch (RFC 6902).
type Operation struct {
	Op    string          `json:"op"`
	Path  string          `json:"path"`
	From  string          `json:"from,omitempty"`
	Value json.RawMessage `json:"value,omitempty"`
}

// Patch is a JSON Patch: operations applied in order, all or none.
type Patch []Operation

// MaxOperations is how many operations an edit may have: more take longer than a window waits. See Compact.
const MaxOperations = 500

// ReadPatch reads a JSON Patch that someone sent, and refuses operations outside RFC 6902 and more than
// MaxOperations.
func ReadPatch(data []byte) (Patch, error) {
	p, err := ReadLogged(data)
	if err == nil && len(p) > MaxOperations {
		return nil, Problems{{
			Message: fmt.Sprintf("the edit has %d operations; the limit is %d", len(p), MaxOperations),
			Mend:    "Split it into several edits.",
		}}
	}
	return p, err
}

// ReadLogged reads the patch of an edit that was made before.
func ReadLogged(data []byte) (Patch, error) {
	var p Patch
	if err := json.Unmarshal(data, &p); err != nil {
		return nil, Problems{{Message: "the edit is not a JSON Patch: " + err.Error(), Written: true}}
	}
	for i, op := range p {
		if !slices.Contains([]string{"add", "remove", "replace", "move", "copy", "test"}, op.Op) {
			return nil, Problems{
				{Where: op.Path, Message: fmt.Sprintf("operation %d, %q, isn’t a JSON Patch operation", i+1, op.Op), Written: true},
			}
		}
		for _, place := range []string{op.Path, op.From} {
			if place != "" && place[0] != '/' { // RFC 6901, section 3
				return nil, Problems{{
					Message: fmt.Sprintf("operation %d uses %q, which isn’t a JSON Pointer", i+1, Shorten(place, 60)),
					Mend:    "Start it with a slash.",
					Written: true,
				}}
			}
		}
	}
	return p, nil
}

// Edited is the result of an edit: the next document in the very text it is stored as, and the edit that undoes it.
type Edited struct {
	Document *Document
	Text     []byte
	Patch    Patch // what was done: the edit, with the empty objects and lists that its values needed around them
	Inverse  Patch
	tree     *tree // the text as plain JSON
}

// Edit applies a patch to the text of a draft. A value that is added to an object or list that is not there yet gets
// one: then two people can add the first values of one at the same time. The next draft must be well formed (see
// ReadDraft); if it is not, or an operation has no place to act on, the error is Problems with their places and
// nothing has changed.
func Edit(text []byte, patch Patch) (*Edited, error) {
	for _, op := range patch {
		if err := op.checkValue(); err != nil {
			return nil, err
		}
	}
	t, err := readTree(text)
	if err != nil {
		return nil, Problems{{Message: err.Error()}}
	}
	out := &Edited{Text: text, tree: t}
	if err := out.apply(patch); err != nil {
		return nil, err
	}
	if bytes.Contains(text, []byte(`"translations"`)) { // what is said of a line in other languages goes with it
		before, errBefore := ReadStored(text)
		after, errAfter := ReadStored(out.Text)
		if errBefore == nil && errAfter == nil {
			if err := out.apply(dropTexts(before, after)); err != nil {
				return nil, err
			}
		}
	}
	if err := fits(out.Text); err != nil {
		return nil, err
	}
	if slices.ContainsFunc(patch, Operation.carries) { // a value may come to lie deeper than it did
		if ps := checkSyntax(out.Text); len(ps) > 0 {
			return nil, ps.err()
		}
	}
	d, err := readForm(out.Text, out.tree.root)
	if err != nil {
		return nil, err
	}
	out.Document = d
	return out, nil
}

// carries reports whether an operation takes a value from one place of the document to another.
func (op Operation) carries() bool { return op.Op == "move" || op.Op == "copy" }

// checkValue checks the syntax of the value that an operation brings: all else in a draft has been checked before.
func (op Operation) checkValue() error {
	if len(op.Value) == 0 {
		return nil
	}
	var segments []any
	if op.Path != "" {
		for _, s := range strings.Split(op.Path[1:], "/") {
			segments = append(segments, pointerUnescape.Replace(s))
		}
	}
	return checkSyntax(op.Value, segments...).err()
}

// apply makes the operations on a tree, which knows what undoes each and where one has no place; then all at once on
// the text, which keeps the order of its fields.
func (out *Edited) apply(patch Patch) error {
	if len(patch) == 0 {
		return nil
	}
	t := out.tree
	asked := patch
	patch, ok := t.pin(asked)
	if !ok {
		return Gone(asked[0].Path)
	}
	var err error
	var inverse, whole Patch
	grown := growth{size: len(out.Text)}
	for i, named := range patch {
		op, there := t.located(named)
		if !there {
			return Gone(named.Path)
		}
		if isReference(named.Path) && t.alreadyGone(op) {
			continue
		}
		steps := Patch{op}
		if op.Op == "add" {
			steps = append(t.missingParents(op.Path), op)
		}
		for _, step := range steps {
			if err := grown.addOperation(t, step); err != nil {
				return err
			}
			shifts := t.shiftsOf(step)
			for j := i + 1; j < len(patch); j++ {
				if !t.shiftOperation(&patch[j], shifts) {
					return Gone(asked[j].Path)
				}
			}
			back, err := t.step(step)
			if errors.Is(err, errNoPlace) && isReference(asked[i].Path) {
				return Gone(op.Path)
			}
			if err != nil {
				return Problems{{Where: op.Path, Message: err.Error(), Written: true}}
			}
			slices.Reverse(back)
			inverse = append(inverse, back...)
			whole = append(whole, step)
		}
	}
	slices.Reverse(inverse)
	if out.Text, err = applied(out.Text, whole); err != nil {
		return Problems{{Where: asked[0].Path, Message: "the edit has no place to act on", Written: true}}
	}
	out.Inverse = append(inverse, out.Inverse...)
	out.Patch = append(out.Patch, whole...)
	return nil
}

// applied makes operations on a text.
func applied(text []byte, patch Patch) ([]byte, error) {
	options := jsonpatch.NewApplyOptions()
	options.EscapeHTML = false
	options.AccumulatedCopySizeLimit = MaxBytes
	raw, err := json.Marshal(patch)
	if err != nil {
		return nil, err
	}
	decoded, err := jsonpatch.DecodePatch(raw)
	if err != nil {
		return nil, err
	}
	return decoded.ApplyWithOptions(text, options)
}

// alreadyGone reports whether a field that an operation takes away is not there: someone else was faster, and it is as
// it was meant.
func (t *tree) alreadyGone(op Operation) bool {
	if op.Op != "remove" {
		return false
	}
	parent, last := split(op.Path)
	around, there := lookup(t.root, parent)
	if !there || around == nil {
		return true
	}
	m, isObject := around.(map[string]any)
	_, has := m[last]
	return isObject && !has
}

// Gone is the problem of an edit of an element that someone else has deleted.
func Gone(where string) Problems {
	return Problems{{
		Where:   where,
		Code:    CodeGone,
		Message: "this no longer exists: it was deleted before your change arrived",
	}}
}

var errNoPlace = errors.New("this place doesn’t exist")

// step applies one operation and returns what undoes it.
func (t *tree) step(op Operation) (Patch, error) {
	back, err := invert(t.root, op)
	if err != nil {
		return nil, err
	}
	if op.Op == "test" {
		want, err := decode(op.Value)
		if got, there := lookup(t.root, op.Path); err != nil || !there || !reflect.DeepEqual(want, got) {
			return nil, errors.New("something else is here now")
		}
		return nil, nil
	}
	if t.applyOne(op) != nil {
		return nil, errNoPlace
	}
	return back, nil
}

// growth follows how large a document becomes while it is edited, so that no copy is made of what will be refused.
type growth struct{ size, copied int }

func (g *growth) addOperation(t *tree, op Operation) error {
	switch op.Op {
	case "add", "replace":
		g.size += len(op.Value)
		if old, there := lookup(t.root, op.Path); there && op.Op == "replace" {
			g.size -= weight(old)
		}
	case "remove":
		if old, there := lookup(t.root, op.Path); there {
			g.size -= weight(old)
		}
	case "copy":
		if source, there := lookup(t.root, op.From); there {
			w := weight(source)
			g.size, g.copied = g.size+w, g.copied+w
		}
	}
	if g.size > MaxBytes || g.copied > MaxBytes {
		return Problems{{Where: op.Path, Message: fmt.Sprintf("the quiz would be larger than %d MB", MaxBytes>>20)}}
	}
	return nil
}

// weight is about how many bytes a node takes as JSON, and never much less.
func weight(node any) int {
	n := 2
	switch node := node.(type) {
	case map[string]any:
		for k, v := range node {
			n += len(k) + 4 + weight(v)
		}
	case []any:
		for _, v := range node {
			n += 1 + weight(v)
		}
	case string:
		n += len(node)
	case json.Number:
		n = len(node)
	}
	return n
}

// Compact is a patch that does the same in at most MaxOperations: one of more puts the parts of the document that it
// changes again.
func Compact(d *Document, patch Patch) (Patch, error) {
	if len(patch) <= MaxOperations {
		return patch, nil
	}
	text, err := json.Marshal(d)
	if err != nil {
		return nil, err
	}
	t, err := readTree(text)
	if err != nil {
		return nil, err
	}
	if err := t.apply(patch); err != nil {
		return nil, err
	}
	parts := map[string]bool{}
	for _, op := range patch {
		part, _, _ := strings.Cut(strings.TrimPrefix(op.Path, "/"), "/")
		parts[part] = true
	}
	var out Patch
	for _, part := range slices.Sorted(maps.Keys(parts)) {
		out = append(out, Add("/"+part, valueAt(t.root, "/"+part)))
	}
	return out, nil
}

// missingParents makes what is missing around path: a list where a line is added at the end, objects else.
func (t *tree) missingParents(path string) Patch {
	var out Patch
	parent, last := split(path)
	for parent != "" {
		value, there := lookup(t.root, parent)
		if there && value != nil {
			break
		}
		op := Operation{Op: "add", Path: parent, Value: json.RawMessage("{}")}
		if last == "-" {
			op.Value = json.RawMessage("[]")
		}
		if there { // null stands in its place
			op.Op = "replace"
			return append(Patch{op}, out...)
		}
		out = append(Patch{op}, out...)
		if parent, last = split(parent); isIndex(last) || last == "-" {
			return nil // a line that is not there cannot be made
		}
	}
	return out
}

// invert returns the operations that undo op on the document as it is before op.
func invert(tree any, op Operation) (Patch, error) {
	switch op.Op {
	case "test":
		return nil, nil
	case "add", "copy":
		return invertAdd(tree, op.Path), nil
	case "remove", "replace":
		old, ok := lookup(tree, op.Path)
		if !ok {
			return nil, fmt.Errorf("there is nothing here to %s", op.Op)
		}
		value, err := json.Marshal(old)
		if op.Op == "remove" {
			return Patch{{Op: "add", Path: op.Path, Value: value}}, err
		}
		return Patch{{Op: "replace", Path: op.Path, Value: value}}, err
	case "move":
		if _, ok := lookup(tree, op.From); !ok {
			return nil, fmt.Errorf("there is nothing at %s to move", op.From)
		}
		if strings.HasPrefix(op.Path, op.From+"/") {
			return nil, fmt.Errorf("%s can’t be moved into itself", op.From)
		}
		parent, last := split(op.Path)
		if _, isList := valueAt(tree, parent).([]any); !isList {
			if _, taken := lookup(tree, op.Path); taken {
				return nil, fmt.Errorf("there’s already something at %s", op.Path)
			}
		} else if last == "-" {
			return nil, fmt.Errorf("a move needs the number of its place, not -")
		}
		return Patch{{Op: "move", From: op.Path, Path: op.From}}, nil
	}
	return nil, fmt.Errorf("the operation %q is unknown", op.Op)
}

func invertAdd(tree any, path string) Patch {
	parent, last := split(path)
	list, isList := valueAt(tree, parent).([]any)
	if isList {
		if last == "-" {
			path = parent + "/" + strconv.Itoa(len(list))
		}
		return Patch{{Op: "remove", Path: path}}
	}
	if old, ok := lookup(tree, path); ok {
		value, err := json.Marshal(old)
		if err == nil {
			return Patch{{Op: "replace", Path: path, Value: value}}
		}
	}
	return Patch{{Op: "remove", Path: path}}
}

var pointerUnescape = strings.NewReplacer("~1", "/", "~0", "~")

func split(path string) (parent, last string) {
	i := strings.LastIndexByte(path, '/')
	if i < 0 {
		return "", ""
	}
	return path[:i], pointerUnescape.Replace(path[i+1:])
}

func valueAt(tree any, path string) any { v, _ := lookup(tree, path); return v }

// lookup finds what a JSON Pointer points to.
func lookup(tree any, path string) (any, bool) {
	if path == "" {
		return tree, true
	}
	if path[0] != '/' {
		return nil, false
	}
	for _, segment := range strings.Split(path[1:], "/") {
		segment = pointerUnescape.Replace(segment)
		switch node := tree.(type) {
		case map[string]any:
			next, ok := node[segment]
			if !ok {
				return nil, false
			}
			tree = next
		case []any:
			i, err := strconv.Atoi(segment)
			if err != nil || i < 0 || i >= len(node) {
				return nil, false
			}
			tree = node[i]
		default:
			return nil, false
		}
	}
	return tree, true
}
