package quiz

import (
	"bytes"
	"encoding/json"
	"fmt"
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

// ReadPatch reads a JSON Patch and refuses operations outside RFC 6902.
func ReadPatch(data []byte) (Patch, error) {
	var p Patch
	if err := json.Unmarshal(data, &p); err != nil {
		return nil, Problems{{Message: "the edit is not a JSON Patch: " + err.Error()}}
	}
	for i, op := range p {
		if !slices.Contains([]string{"add", "remove", "replace", "move", "copy", "test"}, op.Op) {
			return nil, Problems{
				{Where: op.Path, Message: fmt.Sprintf("operation %d, %q, is not one of JSON Patch", i+1, op.Op)},
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
}

// Edit applies a patch to the text of a draft. A value that is added to an object or list that is not there yet gets
// one: then two people can add the first values of one at the same time. The next draft must be well formed (see
// ReadDraft); if it is not, or an operation has no place to act on, the error is Problems with their places and
// nothing has changed.
func Edit(text []byte, patch Patch) (*Edited, error) {
	patch, err := withParents(text, patch)
	if err != nil {
		return nil, err
	}
	out := &Edited{Text: text}
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
	d, err := ReadDraft(out.Text)
	if err != nil {
		return nil, err
	}
	out.Document = d
	return out, nil
}

func (out *Edited) apply(patch Patch) error {
	options := jsonpatch.NewApplyOptions()
	options.EscapeHTML = false
	for done := 0; done < len(patch); {
		tree, err := decode(out.Text)
		if err != nil {
			return Problems{{Message: err.Error()}}
		}
		run := patch[done : done+independent(tree, patch[done:])]
		var inverse Patch
		for _, op := range run {
			back, err := invert(tree, op)
			if err != nil {
				return Problems{{Where: op.Path, Message: err.Error()}}
			}
			inverse = append(back, inverse...)
		}
		text, err := json.Marshal(run)
		if err != nil {
			return Problems{{Where: run[0].Path, Message: err.Error()}}
		}
		decoded, err := jsonpatch.DecodePatch(text)
		if err == nil {
			out.Text, err = decoded.ApplyWithOptions(out.Text, options)
		}
		if err != nil {
			return Problems{
				{
					Where:   run[0].Path,
					Message: fmt.Sprintf("step %d of the edit (%s) has no place to act on", done+1, run[0].Op),
				},
			}
		}
		out.Inverse = append(inverse, out.Inverse...)
		out.Patch = append(out.Patch, run...)
		done += len(run)
	}
	return nil
}

// withParents puts before each value that is added the objects and lists around it that are not there.
func withParents(text []byte, patch Patch) (Patch, error) {
	t, err := readTree(text)
	if err != nil {
		return nil, Problems{{Message: err.Error()}}
	}
	var out Patch
	for _, op := range patch {
		if op.Op == "add" {
			for _, parent := range t.missingParents(op.Path) {
				out = append(out, parent)
				if err := t.applyOne(parent); err != nil {
					return nil, Problems{{Where: op.Path, Message: err.Error()}}
				}
			}
		}
		out = append(out, op)
		if len(patch) > 1 {
			_ = t.applyOne(op) // one that has no place is named when the text is edited
		}
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

// independent counts how many operations from the first can be applied together: fields of objects that are there, none
// within another. A block of pasted weights is such a run, and takes one reading of the document.
func independent(tree any, patch Patch) int {
	taken, above := map[string]bool{}, map[string]bool{}
	for i, op := range patch {
		parent, _ := split(op.Path)
		_, inObject := at(tree, parent).(map[string]any)
		if (op.Op != "add" && op.Op != "replace") || !inObject || taken[op.Path] || above[op.Path] {
			return max(i, 1)
		}
		for up := parent; up != ""; up, _ = split(up) {
			if taken[up] {
				return max(i, 1)
			}
		}
		if _, there := lookup(tree, op.Path); op.Op == "replace" && !there {
			return max(i, 1)
		}
		taken[op.Path] = true
		for up := parent; up != ""; up, _ = split(up) {
			above[up] = true
		}
	}
	return len(patch)
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
			return nil, fmt.Errorf("%s cannot move into itself", op.From)
		}
		parent, last := split(op.Path)
		if _, isList := at(tree, parent).([]any); !isList {
			if _, taken := lookup(tree, op.Path); taken {
				return nil, fmt.Errorf("there is something at %s already", op.Path)
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
	list, isList := at(tree, parent).([]any)
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

func at(tree any, path string) any { v, _ := lookup(tree, path); return v }

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
