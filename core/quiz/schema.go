package quiz

import (
	"encoding/json"
	"reflect"
	"sync"

	"github.com/invopop/jsonschema"
	orderedmap "github.com/pb33f/ordered-map/v2"
	validator "github.com/santhosh-tekuri/jsonschema/v6"

	"omphalos/core/fact"
	"omphalos/core/kind"
	"omphalos/core/rule"
)

// Schema returns the JSON Schema (draft 2020-12) of a document, generated from the types of this package.
var Schema = sync.OnceValue(func() []byte {
	two := uint64(2)
	custom := map[reflect.Type]*jsonschema.Schema{
		reflect.TypeFor[rule.Number](): {Type: "number", Description: "An exact decimal of at most 4 places."},
		reflect.TypeFor[rule.Scalar](): {OneOf: []*jsonschema.Schema{{Type: "string"}, {Type: "number"}}},
		reflect.TypeFor[rule.Operand](): {OneOf: []*jsonschema.Schema{{Type: "string"}, {Type: "number"},
			{
				Type:  "array",
				Items: &jsonschema.Schema{OneOf: []*jsonschema.Schema{{Type: "string"}, {Type: "number"}}},
			}}},
		reflect.TypeFor[CellOutcome](): {OneOf: []*jsonschema.Schema{{Type: "null"}, {Type: "string"}}},
		reflect.TypeFor[NormPoint](): {
			Type: "array", Items: &jsonschema.Schema{Type: "number"}, MinItems: &two, MaxItems: &two,
			Description: "A value of the scale, and the share of those who have it.",
		},
		reflect.TypeFor[ChartOf](): {OneOf: []*jsonschema.Schema{
			{Type: "string", Enum: []any{allKeywords}}, {Type: "array", Items: &jsonschema.Schema{Type: "string"}},
		}},
		reflect.TypeFor[Cell](): {OneOf: []*jsonschema.Schema{{Type: "null"},
			{
				Type:  "array",
				Items: &jsonschema.Schema{OneOf: []*jsonschema.Schema{{Type: "string"}, {Type: "number"}}},
			}}},
		reflect.TypeFor[Given](): {
			OneOf: []*jsonschema.Schema{
				{Type: "string"}, {Type: "number"},
				{Type: "array", Items: &jsonschema.Schema{Type: "string"}},
				{Type: "object", AdditionalProperties: &jsonschema.Schema{Type: "string"}},
			},
			Description: "A choice's id, a list of ids, a number, a text, or an object of row id to choice id.",
		},
		reflect.TypeFor[fact.Time](): {
			Type: "object", Properties: timeSchema(), AdditionalProperties: jsonschema.FalseSchema,
		},
		reflect.TypeFor[rule.Op]():   {Type: "string", Enum: anys(rule.Ops)},
		reflect.TypeFor[kind.Name](): {Type: "string", Enum: anys(kind.Names)},
	}
	r := jsonschema.Reflector{
		Anonymous: true, ExpandedStruct: true,
		Mapper: func(t reflect.Type) *jsonschema.Schema { return custom[t] },
	}
	s := r.Reflect(&Document{})
	s.Title, s.Description = "Omphalos quiz", "One document holds a whole quiz."
	format, _ := s.Properties.Get("format")
	format.Const = Format
	b, err := json.MarshalIndent(s, "", "  ")
	if err != nil {
		panic(err) // the types of this package always have a schema
	}
	return append(b, '\n')
})

// timeSchema is a weekday and an hour.
func timeSchema() *orderedmap.OrderedMap[string, *jsonschema.Schema] {
	out := jsonschema.NewProperties()
	out.Set("weekday", &jsonschema.Schema{
		Type: "integer", Minimum: "1", Maximum: "7", Description: "1 Monday to 7 Sunday.",
	})
	out.Set("hour", &jsonschema.Schema{Type: "integer", Minimum: "0", Maximum: "23"})
	return out
}

var compiledSchema = sync.OnceValue(func() *validator.Schema {
	c := validator.NewCompiler()
	var doc any
	if err := json.Unmarshal(Schema(), &doc); err != nil {
		panic(err)
	}
	if err := c.AddResource("quiz.schema.json", doc); err != nil {
		panic(err)
	}
	return c.MustCompile("quiz.schema.json")
})

func anys[T any](list []T) []any {
	out := make([]any, len(list))
	for i, v := range list {
		out[i] = v
	}
	return out
}
