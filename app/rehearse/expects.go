package rehearse

import (
	"strings"

	"omphalos/core/check"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// expectation is one thing that must come of a check.
type expectation struct {
	Kind  string // outcome, scale, address, products or path
	Label string
	Path  string // its place in the document
	Value string // as it is typed; in words, of products and a path
	Drop  string // the patch that expects it no longer; "" of the only one
}

// also is something that a check does not expect yet, with the patch that expects it as it comes now.
type also struct{ Says, Patch string }

// expects lists what must come of a check, in the order of the format.
func expects(d *quiz.Document, c *checkView) []expectation {
	at, e := c.At+"/expect", &c.Expect
	var out []expectation
	put := func(kind, label, path, value string) {
		out = append(out, expectation{Kind: kind, Label: label, Path: path, Value: value})
	}
	if e.Outcome != "" {
		put("outcome", "Outcome", at+"/outcome", e.Outcome)
	}
	for i := range d.Scales {
		if n, ok := e.Scales[d.Scales[i].ID]; ok {
			put("scale", d.Scales[i].Title(), at+quiz.Pointer("scales", d.Scales[i].ID), n.String())
		}
	}
	if e.Address != nil {
		put("address", "Redirect address", at+"/address", *e.Address)
	}
	if e.Products != nil {
		put("products", "Products shown", at+"/products", quiz.FirstOf(strings.Join(e.Products, ", "), "none"))
	}
	if e.Path != nil {
		put("path", "Questions asked", at+"/path", strings.Join(titles(d, e.Path), " → "))
	}
	if len(out) < 2 {
		return out
	}
	for i := range out {
		path := out[i].Path
		if out[i].Kind == "scale" && len(e.Scales) == 1 {
			path = at + "/scales"
		}
		out[i].Drop = quiz.JSON(quiz.Test(c.At+"/id", c.ID), quiz.Remove(path))
	}
	return out
}

func titles(d *quiz.Document, ids []string) []string {
	out := make([]string, len(ids))
	for i, id := range ids {
		out[i] = id
		if q := d.Question(id); q >= 0 {
			out[i] = quiz.Shorten(d.Questions[q].Title(), 30)
		}
	}
	return out
}

// others lists what a check could expect too.
func others(d *quiz.Document, c *checkView, came *check.Came) []also {
	at, e := c.At+"/expect", &c.Expect
	var out []also
	put := func(says, path string, value any) {
		out = append(out, also{says, quiz.JSON(quiz.Test(c.At+"/id", c.ID), quiz.Add(path, value))})
	}
	if e.Outcome == "" && came.Outcome != "" {
		put("outcome "+d.OutcomeName(came.Outcome), at+"/outcome", came.Outcome)
	}
	for i := range d.Scales {
		id := d.Scales[i].ID
		n := came.Scales[id]
		if _, ok := e.Scales[id]; ok {
			continue
		}
		says := d.Scales[i].Title() + " " + n.Round(2).String()
		if e.Scales == nil {
			put(says, at+"/scales", map[string]rule.Number{id: n})
		} else {
			put(says, at+quiz.Pointer("scales", id), n)
		}
	}
	if e.Address == nil && came.Address != "" {
		put("redirect to "+quiz.Shorten(came.Address, 40), at+"/address", came.Address)
	}
	if e.Products == nil && len(came.Products) > 0 {
		put("products "+strings.Join(came.Products, ", "), at+"/products", came.Products)
	}
	if e.Path == nil {
		put("exactly these "+plural(len(came.Path), "question", "questions"), at+"/path", append([]string{}, came.Path...))
	}
	return out
}

// accept is the edit that expects what comes now, of what the check expects.
func accept(c *checkView, came *check.Came) string {
	next := c.Expect
	if next.Outcome != "" {
		next.Outcome = came.Outcome
	}
	if next.Address != nil {
		next.Address = &came.Address
	}
	if next.Products != nil {
		next.Products = append([]string{}, came.Products...)
	}
	if next.Path != nil {
		next.Path = append([]string{}, came.Path...)
	}
	if next.Scales != nil {
		next.Scales = map[string]rule.Number{}
		for id := range c.Expect.Scales {
			next.Scales[id] = came.Scales[id]
		}
	}
	return quiz.JSON(quiz.Test(c.At+"/id", c.ID), quiz.Add(c.At+"/expect", next))
}
