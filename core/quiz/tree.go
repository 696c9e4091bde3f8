package quiz

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// tree is a document as plain JSON: maps, lists and values. Moving an edit over a hundred others applies each of
// them, which on the text would mean to read it a hundred times.
type tree struct{ root any }

func readTree(text []byte) (*tree, error) {
	root, err := decode(text)
	return &tree{root}, err
}

// decode reads JSON; numbers keep every digit.
func decode(text []byte) (any, error) {
	var root any
	dec := json.NewDecoder(bytes.NewReader(text))
	dec.UseNumber()
	err := dec.Decode(&root)
	return root, err
}

func (t *tree) clone() *tree { return &tree{cloned(t.root)} }

func cloned(node any) any {
	switch node := node.(type) {
	case map[string]any:
		out := make(map[string]any, len(node))
		for k, v := range node {
			out[k] = cloned(v)
		}
		return out
	case []any:
		out := make([]any, len(node))
		for i, v := range node {
			out[i] = cloned(v)
		}
		return out
	}
	return node
}

// isList reports whether a list stands at path.
func (t *tree) isList(path string) bool {
	_, ok := valueAt(t.root, path).([]any)
	return ok
}

// apply changes the tree as the operations say. It is for edits that were applied before: "test" holds.
func (t *tree) apply(patch Patch) error {
	for _, op := range patch {
		if err := t.applyOne(op); err != nil {
			return err
		}
	}
	return nil
}

func (t *tree) applyOne(op Operation) error {
	switch op.Op {
	case "add", "replace":
		value, err := decode(op.Value)
		if err != nil {
			return err
		}
		return t.put(op.Path, value, op.Op == "replace")
	case "remove":
		return t.remove(op.Path)
	case "move", "copy":
		value, ok := lookup(t.root, op.From)
		if !ok {
			return noPlace(op.From)
		}
		if op.Op == "copy" {
			return t.put(op.Path, cloned(value), false)
		}
		if err := t.remove(op.From); err != nil {
			return err
		}
		return t.put(op.Path, value, false)
	}
	return nil
}

func noPlace(path string) error { return fmt.Errorf("there is nothing at %s", path) }

// put sets a field, or puts a line into a list: in place of the one there with replace, before it without.
func (t *tree) put(path string, value any, replace bool) error {
	return t.change(path, func(parent any, last string) (any, error) {
		switch parent := parent.(type) {
		case map[string]any:
			parent[last] = value
			return parent, nil
		case []any:
			i, ok := lineAt(last, len(parent), !replace)
			if !ok {
				return nil, noPlace(path)
			}
			if replace {
				parent[i] = value
				return parent, nil
			}
			return slices.Insert(parent, i, value), nil
		}
		return nil, noPlace(path)
	})
}

func (t *tree) remove(path string) error {
	return t.change(path, func(parent any, last string) (any, error) {
		switch parent := parent.(type) {
		case map[string]any:
			delete(parent, last)
			return parent, nil
		case []any:
			if i, ok := lineAt(last, len(parent), false); ok {
				return slices.Delete(parent, i, i+1), nil
			}
		}
		return nil, noPlace(path)
	})
}

// lineAt reads the index of a line in a list of n; with end the place behind the last one is one too.
func lineAt(segment string, n int, end bool) (int, bool) {
	if end && segment == "-" {
		return n, true
	}
	i, err := strconv.Atoi(segment)
	return i, err == nil && i >= 0 && (i < n || end && i == n)
}

// change replaces the container that holds path by what f makes of it.
func (t *tree) change(path string, f func(parent any, last string) (any, error)) error {
	if path == "" {
		return noPlace("the whole document")
	}
	root, err := changeWithin(t.root, strings.Split(path[1:], "/"), f)
	if err == nil {
		t.root = root
	}
	return err
}

func changeWithin(node any, path []string, f func(parent any, last string) (any, error)) (any, error) {
	segment := pointerUnescape.Replace(path[0])
	if len(path) == 1 {
		return f(node, segment)
	}
	switch node := node.(type) {
	case map[string]any:
		below, err := changeWithin(node[segment], path[1:], f)
		if err == nil {
			node[segment] = below
		}
		return node, err
	case []any:
		i, ok := lineAt(segment, len(node), false)
		if !ok {
			return nil, noPlace(segment)
		}
		below, err := changeWithin(node[i], path[1:], f)
		if err == nil {
			node[i] = below
		}
		return node, err
	}
	return nil, noPlace(segment)
}

// inverse returns the operations that undo a patch, and applies it.
func (t *tree) inverse(patch Patch) (Patch, error) {
	var out Patch
	for _, op := range patch {
		back, err := invert(t.root, op)
		if err != nil {
			return nil, err
		}
		if err := t.applyOne(op); err != nil {
			return nil, err
		}
		out = append(back, out...)
	}
	return out, nil
}
