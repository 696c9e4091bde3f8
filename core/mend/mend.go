// Package mend finds the smallest changes that make all checks of a quiz pass: to one number (points, votes or a cut
// point), or to two if one isn’t enough.
package mend

import (
	"context"
	"slices"
	"strings"

	"omphalos/core/check"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Found is what could be fixed.
type Found struct {
	Failing []string `json:"failing"` // ids of the checks that do not hold
	Repairs []Repair `json:"repairs"` // the one that moves fewest first
}

// Repair is a change with which all checks hold.
type Repair struct {
	Change  []Change `json:"change"`
	Moved   float64  `json:"moved"`             // share of all respondents, even, who would end elsewhere
	Samples int      `json:"samples,omitempty"` // of simulated respondents that Moved rests on; 0 is exact
}

// Change is one number changed.
type Change struct {
	At   string      `json:"at"` // JSON Pointer
	From rule.Number `json:"from"`
	To   rule.Number `json:"to"`
}

// Patch is the edit that makes the change.
func (r *Repair) Patch() []quiz.Operation {
	var out []quiz.Operation
	for _, c := range r.Change {
		out = append(out, quiz.Set(c.At, c.To))
	}
	return out
}

// In is the document with the change made.
func (r *Repair) In(d *quiz.Document) *quiz.Document {
	out := d.Clone()
	figures := quiz.Numbers(out)
	for _, c := range r.Change {
		if i := slices.IndexFunc(figures, func(f quiz.Figure) bool { return f.At == c.At }); i >= 0 {
			figures[i].Set(c.To)
		}
	}
	return out
}

// Find looks for the repairs of a valid document; tables are those next to it, nil for none. It finds every change of
// one number, to the nearest value at which all checks hold; and only where no one number does, changes of two.
func Find(ctx context.Context, d *quiz.Document, tables fill.Tables, o reach.Options) (*Found, error) {
	s, err := newSearch(d, tables)
	if err != nil {
		return nil, err
	}
	out := &Found{Failing: []string{}, Repairs: []Repair{}}
	for _, c := range s.ready {
		if !s.passes(s.c, c) {
			out.Failing = append(out.Failing, d.Checks[c.At].ID)
		}
	}
	if len(out.Failing) == 0 {
		return out, nil
	}
	s.failingFirst(out.Failing)
	for i := range s.figures {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		for _, to := range s.nearest(i, s.c) {
			out.Repairs = append(out.Repairs, Repair{Change: []Change{s.change(i, to)}})
		}
	}
	if len(out.Repairs) == 0 {
		if out.Repairs, err = s.pairs(ctx); err != nil {
			return nil, err
		}
	}
	o.Only, o.Assume = true, nil
	for i := range out.Repairs {
		apart, err := reach.EndApart(ctx, d, out.Repairs[i].In(d), o)
		if err != nil {
			return nil, err
		}
		out.Repairs[i].Moved, out.Repairs[i].Samples = apart.Share, apart.Samples
	}
	s.sort(out.Repairs)
	out.Repairs = onePerPlace(out.Repairs)
	return out, nil
}

// sameShare is how close two shares are that differ by rounding alone.
const sameShare = 1e-12

// sort orders repairs by whom they move, then by how much they change, then by place.
func (s *search) sort(list []Repair) {
	size := func(r *Repair) rule.Number {
		sum := rule.Number{}
		for _, c := range r.Change {
			sum = sum.Add(c.To.Sub(c.From).Abs())
		}
		return sum
	}
	slices.SortStableFunc(list, func(a, b Repair) int {
		switch {
		case a.Moved < b.Moved-sameShare:
			return -1
		case b.Moved < a.Moved-sameShare:
			return 1
		}
		if c := size(&a).Cmp(size(&b)); c != 0 {
			return c
		}
		return slices.CompareFunc(a.Change, b.Change, func(x, y Change) int { return s.place[x.At] - s.place[y.At] })
	})
}

// onePerPlace keeps the better of two repairs of the same numbers: up and down by as much.
func onePerPlace(list []Repair) []Repair {
	seen := map[string]bool{}
	return slices.DeleteFunc(list, func(r Repair) bool {
		var at []string
		for _, c := range r.Change {
			at = append(at, c.At)
		}
		key := strings.Join(at, " ")
		defer func() { seen[key] = true }()
		return seen[key]
	})
}

// search is a document in which numbers are tried.
type search struct {
	d       *quiz.Document // a copy: its numbers are set while they are looked at
	c       *walk.Compiled
	tables  fill.Tables
	ready   []check.Ready // the failing ones first
	failing int           // how many of them fail
	figures []quiz.Figure
	place   map[string]int // by pointer: position of the figure
	unit    rule.Number    // the step of changes
	looks   looks
}

func newSearch(d *quiz.Document, tables fill.Tables) (*search, error) {
	if tables == nil {
		tables = fill.NoTables{}
	}
	s := &search{d: d.Clone(), tables: tables, place: map[string]int{}, unit: rule.Unscaled(1, d.Finest())}
	var err error
	if s.c, err = walk.New(s.d); err != nil {
		return nil, err
	}
	s.figures = quiz.Numbers(s.d)
	for i, f := range s.figures {
		s.place[f.At] = i
	}
	s.ready = check.Of(s.c, tables).Ready()
	s.looks = factsOf(s.d)
	return s, nil
}

func (s *search) passes(c *walk.Compiled, at check.Ready) bool {
	return check.Of(c, s.tables).One(at).Holds
}

// failingFirst puts the checks that fail before the others.
func (s *search) failingFirst(ids []string) {
	fails := func(r check.Ready) int {
		if slices.Contains(ids, s.d.Checks[r.At].ID) {
			return 0
		}
		return 1
	}
	slices.SortStableFunc(s.ready, func(a, b check.Ready) int { return fails(a) - fails(b) })
	s.failing = len(ids)
}

func (s *search) change(i int, to rule.Number) Change {
	return Change{s.figures[i].At, s.figures[i].Value(), to}
}

// compileWith is the document ready for walking with figure i set to a value. Anyone who calls it sets the value back.
func (s *search) compileWith(c *walk.Compiled, i int, value rule.Number) *walk.Compiled {
	f := &s.figures[i]
	f.Set(value)
	if f.Question >= 0 {
		return c.Reweighed(f.Question)
	}
	return c
}
