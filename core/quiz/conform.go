package quiz

import (
	"cmp"
	"errors"
	"maps"
	"slices"
	"strings"

	validator "github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/santhosh-tekuri/jsonschema/v6/kind"

	"omphalos/core/say"
)

// conformer holds a document against the schema, piece by piece and in document order: the library finds all that is
// wrong at once, and a file of a few megabytes can hold millions of slips. It stops when there are MaxProblems.
type conformer struct{ ps Problems }

// pieceNodes is how many values are held against the schema at once.
const pieceNodes = 2000

// value checks a value at a place. Large parts of it are checked by themselves, after the value without them.
func (c *conformer) value(s *validator.Schema, v any, at string) {
	for s.Ref != nil && s.Properties == nil {
		s = s.Ref
	}
	if c.ps.full() {
		return
	}
	if nodes(v, pieceNodes) < pieceNodes {
		c.piece(s, v, at, nil)
		return
	}
	switch v := v.(type) {
	case map[string]any:
		rest, large := map[string]any{}, map[string]bool{}
		for k, child := range v {
			if large[k] = len(v) <= pieceNodes && nodes(child, pieceNodes) >= pieceNodes/10; large[k] {
				child = hollow(child)
			}
			rest[k] = child
		}
		c.piece(s, rest, at, func(first string) bool { return large[first] })
		for _, k := range slices.Sorted(maps.Keys(v)) {
			if below := property(s, k); large[k] && below != nil {
				c.value(below, v[k], at+Pointer(k))
			}
		}
	case []any:
		c.piece(s, []any{}, at, nil)
		for i := range v {
			if s.Items2020 != nil && !c.ps.full() {
				c.value(s.Items2020, v[i], at+Pointer(i))
			}
		}
	default:
		c.piece(s, v, at, nil)
	}
}

// piece checks a value whole and adds what is wrong with it, but for what lies in parts that are left out.
func (c *conformer) piece(s *validator.Schema, v any, at string, out func(part string) bool) {
	var failed *validator.ValidationError
	if err := s.Validate(v); err == nil || !errors.As(err, &failed) {
		return
	}
	var found Problems
	schemaProblems(failed, at, out, &found)
	slices.SortFunc(found, func(a, b Problem) int { // the schema goes through objects in no order
		return cmp.Or(strings.Compare(a.Where, b.Where), strings.Compare(a.Message, b.Message))
	})
	for _, p := range found {
		c.ps.put(p)
	}
}

// property is the schema of an object's field; nil where there is none.
func property(s *validator.Schema, name string) *validator.Schema {
	if below := s.Properties[name]; below != nil {
		return below
	}
	below, _ := s.AdditionalProperties.(*validator.Schema)
	return below
}

// hollow is an empty value of the same kind.
func hollow(v any) any {
	switch v.(type) {
	case map[string]any:
		return map[string]any{}
	case []any:
		return []any{}
	}
	return v
}

// nodes counts the values within a value, up to a limit.
func nodes(v any, limit int) int {
	n := 1
	switch v := v.(type) {
	case map[string]any:
		for _, child := range v {
			if n += nodes(child, limit-n); n >= limit {
				break
			}
		}
	case []any:
		for _, child := range v {
			if n += nodes(child, limit-n); n >= limit {
				break
			}
		}
	}
	return n
}

// schemaProblems turns the leaves of a schema failure into problems with their places, below at. Those in a part that
// is out are left out.
func schemaProblems(e *validator.ValidationError, at string, out func(part string) bool, ps *Problems) {
	if out != nil && len(e.InstanceLocation) > 0 && out(e.InstanceLocation[0]) {
		return
	}
	where := at
	for _, s := range e.InstanceLocation {
		where += Pointer(s)
	}
	add := func(where string, fix, said say.Text) {
		p := problem(where, fix, said)
		p.Written = true
		*ps = append(*ps, p)
	}
	switch k := e.ErrorKind.(type) {
	case *kind.AdditionalProperties:
		slices.Sort(k.Properties)
		for _, p := range k.Properties[:min(len(k.Properties), MaxProblems+1)] {
			add(where+Pointer(p), removeOrCheckSpelling.With(), unknownField.With(p))
		}
	case *kind.Required:
		for _, p := range k.Missing {
			add(where, addText.With(p), fieldMissing.With(p))
		}
	case *kind.Type:
		add(where, writeHere.With(typeWord(k.Want...)), thisIs.With(typeWord(k.Got)))
	case *kind.Enum:
		add(where, useOneOf.With(list(k.Want)), isntAllowedHere.With(shortened(k.Got)))
	case *kind.Const:
		add(where, writeText.With(shortened(k.Want)), isntAllowedHere.With(shortened(k.Got)))
	case *kind.Minimum:
		add(where, useNumberAtLeast.With(k.Want.RatString()), isntAllowedHere.With(k.Got.RatString()))
	case *kind.Maximum:
		add(where, useNumberAtMost.With(k.Want.RatString()), isntAllowedHere.With(k.Got.RatString()))
	case *kind.OneOf:
		add(where, useTextInQuotesNumber.With(), valueHasWrongForm.With())
	default:
		if len(e.Causes) == 0 {
			add(where, say.Text{}, say.Plain(e.Error()))
		}
		for _, cause := range e.Causes {
			schemaProblems(cause, at, out, ps)
		}
	}
}
