package rule

import (
	"errors"
	"fmt"
	"math"
	"reflect"
	"slices"
	"sort"
	"strings"
	"unicode/utf8"

	"github.com/expr-lang/expr"
	"github.com/expr-lang/expr/ast"
	"github.com/expr-lang/expr/vm"
	"github.com/expr-lang/expr/vm/runtime"
)

// Limits of a formula: characters as typed, nodes of its tree, the memory units that one run may take, and the
// characters of a text that it makes. Each text put together counts towards the units by its characters, so that no
// chain of names can double a text out of bounds.
const (
	MaxFormula      = 1000
	MaxText         = 1000
	maxFormulaNodes = 400
	formulaBudget   = 10_000
)

// UnknownNames is the error of a formula that is sound but names facts that do not exist.
type UnknownNames struct{ Names []string }

// Error says which names, and what to use.
func (e *UnknownNames) Error() string {
	return fmt.Sprintf(
		"%s doesn’t exist; use the ID of a question, scale, keyword or earlier computed value",
		strings.Join(e.Names, ", "),
	)
}

// Formula is a checked expression over the facts of one respondent.
type Formula struct {
	program *vm.Program
	names   []string // facts used, such as "scale.fit", sorted
	joins   bool     // it adds what may be texts
}

// factRoots are the first words of facts that a formula may use.
var factRoots = []string{"answer", "scale", "percent", "keyword", "computed"}

// allowedBuiltins of the expression library: arithmetic and text only, nothing that loops, reads a clock or grows.
var allowedBuiltins = []string{"abs", "ceil", "floor", "int", "float", "max", "min", "len", "lower", "upper", "trim"}

// NewFormula checks the expression src (the language of expr-lang/expr) against the facts that exist: known reports
// whether a name such as "scale.fit" is one. It refuses unknown names, wrong types, loops and overlong formulas.
func NewFormula(src string, known func(fact string) bool) (*Formula, error) {
	if strings.TrimSpace(src) == "" {
		return nil, formulaEmptyTypeOneSuch.Error()
	}
	if len(src) > MaxFormula {
		return nil, formulaLongerThanCharactersSplit.Error(MaxFormula)
	}
	env := map[string]any{}
	for _, root := range factRoots {
		env[root] = map[string]any{}
	}
	env[today] = ""
	spy := &factSpy{known: known, seen: map[string]bool{}}
	program, err := compile(src, env, spy)
	if err == nil && strings.Contains(src, "+") {
		env[joinName] = (&joiner{}).join // it is no name that someone could type: the first pass knows none
		spy.joining = true
		program, err = compile(src, env, spy)
	}
	if spy.err != nil {
		return nil, spy.err
	}
	if err != nil {
		return nil, readable(src, err)
	}
	if err := spy.check(); err != nil {
		return nil, err
	}
	f := &Formula{program: program, joins: spy.joins}
	for name := range spy.seen {
		f.names = append(f.names, name)
	}
	sort.Strings(f.names)
	return f, nil
}

func compile(src string, env map[string]any, spy *factSpy) (*vm.Program, error) {
	options := []expr.Option{
		expr.Env(env), expr.DisableAllBuiltins(), expr.MaxNodes(maxFormulaNodes), expr.Patch(spy),
		expr.Function("round", round, new(func(float64) float64), new(func(float64, float64) float64),
			new(func(any) float64), new(func(any, any) float64)),
	}
	for _, name := range allowedBuiltins {
		options = append(options, expr.EnableBuiltin(name))
	}
	for name := range dayFunctions {
		typed, withToday := new(func(any) float64), new(func(any, string) float64)
		options = append(options, expr.Function(name, dayFunction(name), typed, withToday))
	}
	return expr.Compile(src, options...)
}

// Names returns the facts that the formula uses, sorted.
func (f *Formula) Names() []string { return f.names }

// Eval runs the formula. An error, a division by zero, a blank that arithmetic needs, or a result that is neither
// number nor text gives the blank value.
func (f *Formula) Eval(facts Facts) Value {
	env := map[string]any{}
	for _, root := range factRoots {
		env[root] = map[string]any{}
	}
	env[today] = ""
	for _, name := range f.names {
		root, id, _ := strings.Cut(name, ".")
		v := facts(name)
		if name == today {
			env[today] = v.String()
			continue
		}
		switch v.Kind {
		case Num:
			env[root].(map[string]any)[id] = v.Num.Float()
		case Text, Set:
			env[root].(map[string]any)[id] = v.String()
		}
	}
	if f.joins {
		env[joinName] = (&joiner{}).join
	}
	machine := vm.VM{MemoryBudget: formulaBudget}
	out, err := machine.Run(f.program, env)
	if err != nil {
		return Value{}
	}
	switch x := out.(type) {
	case string:
		if utf8.RuneCountInString(x) <= MaxText {
			return TextValue(x)
		}
	case float64:
		if n, ok := FromFloat(x); ok {
			return NumValue(n)
		}
	case int:
		return NumValue(Int(int64(x)))
	case bool:
		if x {
			return NumValue(Int(1))
		}
		return NumValue(Number{})
	}
	return Value{}
}

// today is the day on which a formula is looked at, for the functions of dates.
const today = "today"

// joinName is what + is called where it may put texts together.
const joinName = "text_or_sum"

// joiner adds for one run of a formula.
type joiner struct{ made int }

// join is a + b, of texts within the limits.
func (j *joiner) join(a, b any) (any, error) {
	left, isText := a.(string)
	right, both := b.(string)
	if !isText || !both {
		return runtime.Add(a, b), nil
	}
	n := utf8.RuneCountInString(left) + utf8.RuneCountInString(right)
	if j.made += n; n > MaxText || j.made > formulaBudget {
		return nil, textCanHaveUpCharacters.Error(MaxText)
	}
	return left + right, nil
}

// round is round(x) and round(x, places): halves away from zero, on the decimal that x prints as.
func round(args ...any) (any, error) {
	x, ok := toFloat(args[0])
	if !ok {
		return nil, roundNeedsNumber.Error()
	}
	places := 0.0
	if len(args) == 2 {
		if places, ok = toFloat(args[1]); !ok || places < 0 || places > 9 || places != math.Trunc(places) {
			return nil, roundNeedsDecimalPlaces.Error()
		}
	}
	n, ok := FromFloat(x)
	if !ok {
		return nil, roundNeedsFiniteNumber.Error()
	}
	return n.Round(int(places)).Float(), nil
}

func toFloat(v any) (float64, bool) {
	switch x := v.(type) {
	case float64:
		return x, true
	case int:
		return float64(x), true
	}
	return 0, false
}

// factSpy collects the facts of a formula and refuses unknown ones. It turns answer.care.water, which the library
// reads as two steps, into one look-up of "care.water".
type factSpy struct {
	known   func(string) bool
	seen    map[string]bool
	joining bool // + of what may be texts becomes a join
	joins   bool // there was one
	err     error
}

// Visit is called by the expression library for every node, children first.
func (s *factSpy) Visit(node *ast.Node) {
	if builtin, ok := (*node).(*ast.BuiltinNode); ok && !slices.Contains(allowedBuiltins, builtin.Name) {
		s.fail(unknownFunction(builtin.Name))
		return
	}
	if binary, ok := (*node).(*ast.BinaryNode); ok && s.joining && binary.Operator == "+" {
		if !isNumber(binary.Left) && !isNumber(binary.Right) {
			s.joins = true
			ast.Patch(node, &ast.CallNode{
				Callee:    &ast.IdentifierNode{Value: joinName},
				Arguments: []ast.Node{binary.Left, binary.Right},
			})
		}
		return
	}
	if s.day(node) {
		return
	}
	member, ok := (*node).(*ast.MemberNode)
	if !ok {
		return
	}
	property, ok := member.Property.(*ast.StringNode)
	if !ok {
		s.fail("use an ID, such as scale.fit")
		return
	}
	switch base := member.Node.(type) {
	case *ast.IdentifierNode:
		s.seen[base.Value+"."+property.Value] = true
	case *ast.MemberNode:
		inner, ok := base.Property.(*ast.StringNode)
		root, isRoot := base.Node.(*ast.IdentifierNode)
		if !ok || !isRoot {
			s.fail("use an ID, such as scale.fit")
			return
		}
		delete(s.seen, root.Value+"."+inner.Value)
		joined := inner.Value + "." + property.Value
		s.seen[root.Value+"."+joined] = true
		member.Node, member.Property = root, &ast.StringNode{Value: joined}
	}
}

// day notes that a formula looks at the day, and gives it to the functions that count from it.
func (s *factSpy) day(node *ast.Node) bool {
	switch n := (*node).(type) {
	case *ast.IdentifierNode:
		if n.Value == today {
			s.seen[today] = true
		}
		return n.Value == today
	case *ast.CallNode:
		callee, ok := n.Callee.(*ast.IdentifierNode)
		if ok && dayFunctions[callee.Value].today {
			s.seen[today] = true
			if len(n.Arguments) == 1 {
				with := []ast.Node{n.Arguments[0], &ast.IdentifierNode{Value: today}}
				ast.Patch(node, &ast.CallNode{Callee: &ast.IdentifierNode{Value: callee.Value}, Arguments: with})
			}
		}
	}
	return false
}

// isNumber reports whether a part of a formula can be nothing but a number.
func isNumber(node ast.Node) bool {
	switch n := node.(type) {
	case *ast.MemberNode:
		root, ok := n.Node.(*ast.IdentifierNode)
		return ok && (root.Value == "scale" || root.Value == "percent" || root.Value == "keyword")
	case *ast.UnaryNode:
		return n.Operator == "-" || n.Operator == "+"
	case *ast.BinaryNode:
		switch n.Operator {
		case "+": // it stayed a sum: one side was a number
			return true
		case "-", "*", "/", "%", "**", "^":
			return true
		}
	}
	t := node.Type()
	return t != nil && (t.Kind() == reflect.Int || t.Kind() == reflect.Float64)
}

func (s *factSpy) fail(msg string) {
	if s.err == nil {
		s.err = errors.New(msg)
	}
}

// check names the facts that do not exist, once the whole tree has been seen.
func (s *factSpy) check() error {
	var unknown []string
	for name := range s.seen {
		if !s.known(name) {
			unknown = append(unknown, name)
		}
	}
	if len(unknown) == 0 {
		return nil
	}
	sort.Strings(unknown)
	return &UnknownNames{unknown}
}
