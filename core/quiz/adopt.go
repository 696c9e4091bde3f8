package quiz

import (
	"regexp"
	"slices"
	"strings"

	"omphalos/core/rule"
)

// Adopt returns the edit that adds question i of another quiz, with its weights, at the end of d. Scales and keywords
// are matched by name, and added where d has none of that name; the question gets another id where its own is taken.
// Branches, the condition to show it and its section speak of the other quiz and are left behind.
func Adopt(d, from *Document, i int) []Operation {
	q := from.Questions[i]
	q.Branches, q.VisibleIf, q.Section = nil, nil, ""
	q.ID = unusedLike(q.ID, func(id string) bool { return d.Question(id) >= 0 })
	scales := adopted[Scale]{here: d.Scales, there: from.Scales,
		of: func(s *Scale) (*string, string) { return &s.ID, s.Title() }}
	keywords := adopted[Keyword]{here: d.Keywords, there: from.Keywords,
		of: func(k *Keyword) (*string, string) { return &k.ID, k.Title() }}
	q.Choices = slices.Clone(q.Choices)
	for j := range q.Choices {
		c := &q.Choices[j]
		c.Points, c.Votes = renamed(c.Points, scales.id), renamed(c.Votes, keywords.id)
	}
	q.Steps = slices.Clone(q.Steps)
	for j := range q.Steps {
		s := &q.Steps[j]
		s.Points, s.Votes = renamed(s.Points, scales.id), renamed(s.Votes, keywords.id)
	}
	if q.Linear != nil {
		linear := map[string]LinearPoint{}
		for _, id := range sortedKeys(q.Linear) {
			linear[scales.id(id)] = q.Linear[id]
		}
		q.Linear = linear
	}
	ops := appendAll("/scales", len(d.Scales), scales.added)
	ops = append(ops, appendAll("/keywords", len(d.Keywords), keywords.added)...)
	return append(ops, Add("/questions/-", q))
}

// AdoptScale returns the edit that adds scale i of another quiz; none where d has one of its name.
func AdoptScale(d, from *Document, i int) []Operation {
	scales := adopted[Scale]{here: d.Scales, there: from.Scales,
		of: func(s *Scale) (*string, string) { return &s.ID, s.Title() }}
	scales.id(from.Scales[i].ID)
	return appendAll("/scales", len(d.Scales), scales.added)
}

// AdoptOutcome returns the edit that adds outcome i of another quiz with its ending. Scales that its texts, addresses
// and charts use are matched by name, or come along; answers that texts are filled with are the other quiz's, and stay
// blank.
func AdoptOutcome(d, from *Document, i int) []Operation {
	o := from.Outcomes[i]
	o.ID = unusedLike(o.ID, func(id string) bool { return d.Outcome(id) != nil })
	in := newTexts(d, from)
	o.Heading, o.Text = in.text(o.Heading), in.text(o.Text)
	if o.Ending != nil {
		e := *o.Ending
		e.Buttons = slices.Clone(e.Buttons)
		for j := range e.Buttons {
			e.Buttons[j].Label, e.Buttons[j].URL = in.text(e.Buttons[j].Label), in.text(e.Buttons[j].URL)
		}
		e.URL, e.Charts = in.text(e.URL), in.charts(e.Charts)
		o.Ending = &e
	}
	return append(in.scales(), Add("/outcomes/-", o))
}

// AdoptMessage returns the edit that adds message i of another quiz. A condition that asks for what d does not have is
// left behind; the message is turned off then, as it would go to everyone.
func AdoptMessage(d, from *Document, i int) []Operation {
	m := from.Messages[i]
	m.ID = unusedLike(m.ID, func(id string) bool { return d.Message(id) >= 0 })
	in := newTexts(d, from)
	m.Subject, m.Text = in.text(m.Subject), in.text(m.Text)
	if m.When != nil {
		c := check{d: d, atEnd: true}
		m.When.Each("", c.condition)
		if len(c.ps) > 0 {
			m.When, m.Off = nil, true
		}
	}
	return append(in.scales(), appendAll("/messages", len(d.Messages), []Message{m})...)
}

// AdoptLook returns the edit that gives d the look of another quiz; the words of its buttons stay its own.
func AdoptLook(d, from *Document) []Operation {
	t := from.Theme
	t.Words, t.Direction = d.Theme.Words, d.Theme.Direction
	return []Operation{Add("/theme", t)}
}

// texts are texts of another quiz whose scales get the names that they have here.
type texts struct {
	d, from *Document
	found   adopted[Scale]
}

func newTexts(d, from *Document) *texts {
	return &texts{d, from, adopted[Scale]{here: d.Scales, there: from.Scales,
		of: func(s *Scale) (*string, string) { return &s.ID, s.Title() }}}
}

// Slots of texts and addresses, such as {scale.fit|0} and {?area,scale.fit}, and the scales in them.
var (
	slots     = regexp.MustCompile(`\{[^{}]*\}`)
	scaleFact = regexp.MustCompile(`\b(scale|percent|percentile)\.([A-Za-z0-9_-]+)`)
)

func (t *texts) text(s string) string { return slots.ReplaceAllStringFunc(s, t.fact) }

// fact renames the scale of a fact, or the scales among several.
func (t *texts) fact(s string) string {
	return scaleFact.ReplaceAllStringFunc(s, func(fact string) string {
		parts := scaleFact.FindStringSubmatch(fact)
		return parts[1] + "." + t.found.id(parts[2])
	})
}

// charts are those that can be drawn here: of scales. One of keywords stays if there are keywords here.
func (t *texts) charts(list []Chart) []Chart {
	var out []Chart
	for _, c := range list {
		of := ChartOf{}
		for _, f := range c.Of {
			if scaleFact.MatchString(f) {
				of = append(of, t.fact(f))
			} else if len(t.d.Keywords) > 0 {
				of = append(of, f)
			}
		}
		if c.Of = of; len(of) > 0 {
			out = append(out, c)
		}
	}
	return out
}

// scales are the edits that add the scales which come along.
func (t *texts) scales() []Operation { return appendAll("/scales", len(t.d.Scales), t.found.added) }

// adopted are the scales or keywords that a question brings along from there to here.
type adopted[T any] struct {
	here, there []T
	of          func(*T) (id *string, title string)
	added       []T               // that are not here yet
	ids         map[string]string // what those there are called here
}

// id is what one is called here: as the one of the same name, else as itself, under an id that is free.
func (a *adopted[T]) id(id string) string {
	if to, ok := a.ids[id]; ok {
		return to
	}
	there := slices.IndexFunc(a.there, func(t T) bool { own, _ := a.of(&t); return *own == id })
	if there < 0 {
		return id
	}
	next := a.there[there]
	own, title := a.of(&next)
	same := func(t T) bool { _, other := a.of(&t); return strings.EqualFold(other, title) }
	if at := slices.IndexFunc(a.here, same); at >= 0 {
		own, _ = a.of(&a.here[at])
	} else {
		*own = unusedLike(id, func(id string) bool { return a.has(a.here, id) || a.has(a.added, id) })
		a.added = append(a.added, next)
	}
	if a.ids == nil {
		a.ids = map[string]string{}
	}
	a.ids[id] = *own
	return *own
}

func (a *adopted[T]) has(list []T, id string) bool {
	return slices.ContainsFunc(list, func(t T) bool { own, _ := a.of(&t); return *own == id })
}

// unusedLike is an id, or one like it where it is taken.
func unusedLike(id string, taken func(string) bool) string {
	if !taken(id) {
		return id
	}
	return Unused(strings.TrimRight(id, "0123456789"), taken)
}

func renamed(m map[string]rule.Number, to func(string) string) map[string]rule.Number {
	if m == nil {
		return nil
	}
	out := make(map[string]rule.Number, len(m))
	for _, id := range sortedKeys(m) {
		out[to(id)] = m[id]
	}
	return out
}

// appendAll adds values to a list of n, which may not be there when it has none.
func appendAll[T any](list string, n int, values []T) []Operation {
	if len(values) == 0 {
		return nil
	}
	if n == 0 {
		return []Operation{Add(list, values)}
	}
	var ops []Operation
	for _, v := range values {
		ops = append(ops, Add(list+"/-", v))
	}
	return ops
}
