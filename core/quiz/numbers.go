package quiz

import (
	"omphalos/core/rule"
)

// Figure is a number of a document that decides where respondents end: a point, a vote or a cut point.
type Figure struct {
	At       string       // JSON Pointer
	Question int          // position of the question that gives it; -1 for a cut point
	Choice   int          // of that question; -1 for one of a step
	Step     int          // of that question; -1 for one of a choice
	Line     int          // position of the verdict line of a cut point; -1 for others
	Fact     string       // what it adds to or cuts: scale.ID, keyword.ID; of a cut point any fact with cut points
	Below    *rule.Number // the cut points next to it, between which it must stay; nil where there is none
	Above    *rule.Number

	get func() rule.Number
	set func(rule.Number)
}

// Value is the number as it is.
func (f *Figure) Value() rule.Number { return f.get() }

// Set puts another number into the document that the figure was listed from.
func (f *Figure) Set(n rule.Number) { f.set(n) }

// Numbers lists the figures of a document in its order. They are those that it has: no points is none.
func Numbers(d *Document) []Figure {
	var out []Figure
	gives := func(f Figure, at string, points, votes map[string]rule.Number) {
		for _, m := range []struct {
			field, root string
			of          map[string]rule.Number
		}{{"points", "scale.", points}, {"votes", "keyword.", votes}} {
			for _, id := range sortedKeys(m.of) {
				f.At, f.Fact = at+Pointer(m.field, id), m.root+id
				f.get = func() rule.Number { return m.of[id] }
				f.set = func(n rule.Number) { m.of[id] = n }
				out = append(out, f)
			}
		}
	}
	for i := range d.Questions {
		q := &d.Questions[i]
		for j := range q.Choices {
			at := Pointer("questions", i, "choices", j)
			gives(Figure{Question: i, Choice: j, Step: -1, Line: -1}, at, q.Choices[j].Points, q.Choices[j].Votes)
		}
		for j := range q.Steps {
			at := Pointer("questions", i, "steps", j)
			gives(Figure{Question: i, Choice: -1, Step: j, Line: -1}, at, q.Steps[j].Points, q.Steps[j].Votes)
		}
	}
	for i := range d.Verdicts {
		v := &d.Verdicts[i]
		if v.Off {
			continue
		}
		if line := v.Line(); line != nil {
			for _, c := range line.CutPoints() {
				place := func(j int) string { return Pointer(append([]any{"verdicts", i}, c.Place(j)...)...) }
				out = appendCuts(out, i, c.On, c.Points, place)
			}
		}
	}
	return out
}

func appendCuts(out []Figure, line int, on string, cuts []*rule.Number, place func(int) string) []Figure {
	for j, cut := range cuts {
		f := Figure{At: place(j), Question: -1, Choice: -1, Step: -1, Line: line, Fact: on}
		if j > 0 {
			f.Below = cuts[j-1]
		}
		if j+1 < len(cuts) {
			f.Above = cuts[j+1]
		}
		f.get = func() rule.Number { return *cut }
		f.set = func(n rule.Number) { *cut = n }
		out = append(out, f)
	}
	return out
}

// Finest is the most decimal places of any number that the document decides with.
func (d *Document) Finest() int {
	places := 0
	see := func(list ...rule.Number) {
		for _, n := range list {
			if p, ok := n.Places(); ok {
				places = max(places, p)
			}
		}
	}
	for _, f := range Numbers(d) {
		see(f.Value())
	}
	for i := range d.Scales {
		see(d.Scales[i].Start)
	}
	for i := range d.Keywords {
		see(d.Keywords[i].Start)
	}
	for i := range d.Questions {
		q := &d.Questions[i]
		see(q.Factor(), q.Increment())
		for _, n := range []*rule.Number{q.From, q.To} {
			if n != nil {
				see(*n)
			}
		}
		for _, l := range q.Linear {
			see(l.Factor, l.Offset)
		}
		for _, s := range q.Steps {
			see(s.From)
		}
	}
	d.EachCondition(func(_ string, c *rule.Condition) {
		if c.Value != nil {
			for _, s := range c.Value.List {
				see(s.Num)
			}
		}
	})
	return places
}

// Clone is a document of its own.
func (d *Document) Clone() *Document { return d.clone() }
