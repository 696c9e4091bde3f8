package quiz

import (
	"encoding/json"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"
)

// Difference is one thing in which a document is not what an earlier one was.
type Difference struct {
	Where string // JSON Pointer into the later document
	Text  string // in words: "the points of “Over 10,000” for Fit: 5 → 7"
}

// Tree is a document's JSON, read once to be compared often.
type Tree struct {
	doc  *Document
	root any
}

// NewTree reads a document's text for Differences.
func NewTree(d *Document, text []byte) (*Tree, error) {
	t := &Tree{doc: d}
	return t, json.Unmarshal(text, &t.root)
}

// Differences are what the later document has otherwise, in document order. Elements of lists are the same where their
// ids are: one that has only moved is said to have moved, with its list. What is left out and what is empty are the
// same.
func Differences(earlier, later *Tree) []Difference {
	c := comparison{earlier: earlier.doc, later: later.doc}
	c.compare("", "", earlier.root, later.root)
	return c.found
}

type comparison struct {
	earlier, later *Document
	found          []Difference
}

func (c *comparison) say(where, format string, args ...any) {
	c.found = append(c.found, Difference{where, fmt.Sprintf(format, args...)})
}

// order are the fields of a document as people read it; others follow.
var order = []string{"name", "intro", "scales", "keywords", "questions", "computed", "outcomes", "verdicts", "otherwise"}

// compare goes through two values. was and where are their places in the two documents.
func (c *comparison) compare(was, where string, a, b any) {
	if nothing(a) && nothing(b) || reflect.DeepEqual(a, b) {
		return
	}
	x, aMap := a.(map[string]any)
	y, bMap := b.(map[string]any)
	if aMap && bMap || aMap && b == nil && few(x) || bMap && a == nil && few(y) {
		c.objects(was, where, x, y)
		return
	}
	k, aList := a.([]any)
	l, bList := b.([]any)
	if (aList || a == nil) && (bList || b == nil) {
		switch {
		case (identified(k) || len(k) == 0) && (identified(l) || len(l) == 0):
			c.lists(was, where, k, l)
			return
		case ofObjects(k) && ofObjects(l):
			c.lines(was, where, k, l)
			return
		}
	}
	c.leaf(where, a, b)
}

// few reports whether an object is a few figures by name, such as the points of an answer: each of them is said.
func few(m map[string]any) bool {
	const most = 4
	for _, v := range m {
		if _, number := v.(float64); !number {
			return false
		}
	}
	return len(m) <= most
}

// nothing reports whether a value is the same as none.
func nothing(v any) bool {
	switch v := v.(type) {
	case nil:
		return true
	case string:
		return v == ""
	case bool:
		return !v
	case []any:
		return len(v) == 0
	case map[string]any:
		return len(v) == 0
	}
	return false
}

func (c *comparison) objects(was, where string, a, b map[string]any) {
	keys := map[string]bool{}
	for k := range a {
		keys[k] = true
	}
	for k := range b {
		keys[k] = true
	}
	sorted := slices.SortedFunc(maps.Keys(keys), func(p, q string) int {
		return rank(where, p, q)
	})
	for _, k := range sorted {
		at := "/" + strings.NewReplacer("~", "~0", "/", "~1").Replace(k)
		c.compare(was+at, where+at, a[k], b[k])
	}
}

// rank orders the fields of a document as it is read, and all others by name.
func rank(where, p, q string) int {
	if where == "" {
		i, j := slices.Index(order, p), slices.Index(order, q)
		switch {
		case i >= 0 && j >= 0:
			return i - j
		case i >= 0:
			return -1
		case j >= 0:
			return 1
		}
	}
	return strings.Compare(p, q)
}

// identified reports whether every element of a list has an id.
func identified(list []any) bool {
	for _, v := range list {
		if idOf(v) == "" {
			return false
		}
	}
	return len(list) > 0
}

func ofObjects(list []any) bool {
	return !slices.ContainsFunc(list, func(v any) bool { _, ok := v.(map[string]any); return !ok })
}

// lines compares lists whose elements have no ids: what is alike at both ends stands, and what is between is compared
// one by one.
func (c *comparison) lines(was, where string, a, b []any) {
	head := 0
	for head < min(len(a), len(b)) && reflect.DeepEqual(a[head], b[head]) {
		head++
	}
	tail := 0
	for tail < min(len(a), len(b))-head && reflect.DeepEqual(a[len(a)-1-tail], b[len(b)-1-tail]) {
		tail++
	}
	for i := head; i < max(len(a), len(b))-tail; i++ {
		switch {
		case i >= len(a)-tail:
			c.say(where+Pointer(i), "%s: added", c.later.Named(where+Pointer(i)))
		case i >= len(b)-tail:
			c.say(where, "%s: removed", c.earlier.Named(was+Pointer(i)))
		default:
			c.compare(was+Pointer(i), where+Pointer(i), a[i], b[i])
		}
	}
}

func idOf(v any) string {
	m, _ := v.(map[string]any)
	id, _ := m["id"].(string)
	return id
}

func (c *comparison) lists(was, where string, a, b []any) {
	at := map[string]int{}
	for i, v := range a {
		at[idOf(v)] = i
	}
	stays := map[string]bool{}
	last, moved := -1, false
	for j, v := range b {
		here := where + Pointer(j)
		i, known := at[idOf(v)]
		if !known {
			c.say(here, "%s: added", c.later.Named(here))
			continue
		}
		stays[idOf(v)] = true
		moved = moved || i < last
		last = max(last, i)
		c.compare(was+Pointer(i), here, a[i], v)
	}
	for i, v := range a {
		if !stays[idOf(v)] {
			c.say(where, "%s: removed", c.earlier.Named(was+Pointer(i)))
		}
	}
	if moved {
		c.say(where, "the order of %s: changed", plural(where))
	}
}

// plural names what a list holds.
func plural(where string) string {
	name := where[strings.LastIndex(where, "/")+1:]
	if name == "choices" {
		return "answers"
	}
	return strings.ReplaceAll(name, "_", " ")
}

// maxLeaf is how long a value may be to be shown within a difference.
const maxLeaf = 40

func (c *comparison) leaf(where string, a, b any) {
	name := c.later.Named(where)
	x, y := short(a), short(b)
	switch {
	case x != "" && y != "":
		c.say(where, "%s: %s → %s", name, x, y)
	case nothing(a):
		c.say(where, "%s: added", name)
	case nothing(b):
		c.say(where, "%s: removed", name)
	default:
		c.say(where, "%s: changed", name)
	}
}

// short is a value as it can be shown in a line, or "".
func short(v any) string {
	switch v := v.(type) {
	case string:
		if v != "" && len(v) <= maxLeaf && !strings.Contains(v, "\n") {
			return "“" + v + "”"
		}
	case float64:
		return fmt.Sprint(v)
	case bool:
		if v {
			return "yes"
		}
		return "no"
	}
	return ""
}
