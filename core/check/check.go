// Package check runs the checks of a quiz: saved answers with the result that is expected. Each check takes the quiz
// like any respondent, and its result is compared with the expected one.
package check

import (
	"fmt"
	"slices"
	"strings"

	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Result is what came of a check.
type Result struct {
	ID      string   `json:"id"`
	Holds   bool     `json:"holds"`
	Outcome string   `json:"outcome"`
	Line    any      `json:"line"` // that decided: 1-based, 0 for everyone else, or "branch"
	Differs []Differ `json:"differs,omitempty"`

	At     int          `json:"-"` // position of the check in the document
	Result *walk.Result `json:"-"`
	Came   Came         `json:"-"` // all that could have been expected
}

// Differ is one thing in which a check did not come out as expected.
type Differ struct {
	What     string `json:"what"` // outcome, scale.ID, address, products or path
	Expected string `json:"expected"`
	Got      string `json:"got"`
}

// Runner runs the checks of a document.
type Runner struct {
	c      *walk.Compiled
	tables fill.Tables
}

// New makes a runner for a valid document; tables are those next to the quiz, nil for none.
func New(d *quiz.Document, tables fill.Tables) (*Runner, error) {
	c, err := walk.New(d)
	if tables == nil {
		tables = fill.NoTables{}
	}
	return &Runner{c: c, tables: tables}, err
}

// Of makes a runner from a document that is ready for walking already.
func Of(c *walk.Compiled, tables fill.Tables) *Runner { return &Runner{c: c, tables: tables} }

// Run runs every check that is switched on and has no problem of its own, in order.
func (r *Runner) Run() []Result {
	out := []Result{}
	for _, c := range r.Ready() {
		out = append(out, r.One(c))
	}
	return out
}

// Ready is a check with its respondent, ready to be run again and again.
type Ready struct {
	At int // position of the check
	In walk.Input
}

// Ready lists the checks that Run runs.
func (r *Runner) Ready() []Ready {
	var out []Ready
	for i := range r.c.Doc.Checks {
		if r.c.Doc.Checks[i].Off {
			continue
		}
		if in, ok := sound(r.c.Doc, i); ok {
			out = append(out, Ready{i, in})
		}
	}
	return out
}

// One runs one check.
func (r *Runner) One(c Ready) Result { return r.run(c.At, c.In) }

// run runs the check at a position, whose respondent is in.
func (r *Runner) run(i int, in walk.Input) Result {
	d := r.c.Doc
	check := &d.Checks[i]
	got := r.Come(in)
	out := Result{ID: check.ID, At: i, Outcome: got.Outcome, Line: got.Result.Line(), Result: got.Result}
	out.Came = got
	out.Differs = got.differs(d, &check.Expect)
	out.Holds = len(out.Differs) == 0
	return out
}

// Came is all that can be expected of a respondent.
type Came struct {
	Outcome  string
	Scales   map[string]rule.Number
	Address  string
	Products []string
	Path     []string
	Result   *walk.Result
}

// Come walks someone to the end.
func (r *Runner) Come(in walk.Input) Came {
	d := r.c.Doc
	res := r.c.Walk(in)
	out := Came{Outcome: res.Outcome, Scales: map[string]rule.Number{}, Path: res.Path, Result: res}
	for i := range d.Scales {
		out.Scales[d.Scales[i].ID] = res.Scales[i]
	}
	o := d.Outcome(res.Outcome)
	if o == nil || o.Ending == nil {
		return out
	}
	switch o.Ending.Kind {
	case quiz.EndRedirect:
		out.Address = fill.Source{Doc: d, Input: in, Result: res}.Target(o.Ending, r.tables).Address
	case quiz.EndProducts:
		out.Products = fill.Products(d, o.Ending, r.c.Facts(in))
	}
	return out
}

// differs are the things that were expected otherwise.
func (got *Came) differs(d *quiz.Document, e *quiz.Expect) []Differ {
	var out []Differ
	put := func(what, expected, came string) { out = append(out, Differ{what, expected, came}) }
	if e.Outcome != "" && e.Outcome != got.Outcome {
		put("outcome", e.Outcome, got.Outcome)
	}
	for i := range d.Scales { // in the document's order
		id := d.Scales[i].ID
		if n, asked := e.Scales[id]; asked && n.Cmp(got.Scales[id]) != 0 {
			put("scale."+id, n.String(), got.Scales[id].String())
		}
	}
	if e.Address != nil && *e.Address != got.Address {
		put("address", *e.Address, got.Address)
	}
	if e.Products != nil && !slices.Equal(e.Products, got.Products) {
		put("products", strings.Join(e.Products, ", "), strings.Join(got.Products, ", "))
	}
	if e.Path != nil && !slices.Equal(e.Path, got.Path) {
		put("path", strings.Join(e.Path, ", "), strings.Join(got.Path, ", "))
	}
	return out
}

// Findings are the checks that do not hold, as findings of the quiz.
func Findings(d *quiz.Document, results []Result) []reach.Finding {
	var out []reach.Finding
	for i := range results {
		if r := &results[i]; !r.Holds {
			out = append(out, reach.Found(reach.Finding{
				Code:     Code,
				Severity: reach.Error,
				Where:    quiz.Pointer("checks", r.At),
				Said:     checkFails.With(d.Checks[r.At].Title(), r.Sentence(d)),
			}))
		}
	}
	return out
}

// Sentence says what was expected of a check that does not hold, and what comes now.
func (r *Result) Sentence(d *quiz.Document) string {
	if len(r.Differs) == 0 {
		return r.Result.Say(d)
	}
	switch f := r.Differs[0]; f.What {
	case "outcome":
		return fmt.Sprintf("expected %s, got %s. %s", d.OutcomeName(f.Expected), d.OutcomeName(f.Got), r.Result.Say(d))
	case "address":
		return fmt.Sprintf("expected a redirect to %s, got %s", or(f.Expected, "none"), or(f.Got, "none"))
	case "products":
		return fmt.Sprintf("expected the products %s, got %s", or(f.Expected, "none"), or(f.Got, "none"))
	case "path":
		return fmt.Sprintf("expected the questions %s, got %s", or(f.Expected, "none"), or(f.Got, "none"))
	default:
		return fmt.Sprintf("expected %s %s, got %s", d.FactName(f.What), f.Expected, f.Got)
	}
}

func or(s, none string) string { return quiz.FirstOf(s, none) }
