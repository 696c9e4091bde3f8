package rehearse

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"omphalos/app/counting"
	"omphalos/app/engine"
	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/check"
	"omphalos/core/fill"
	"omphalos/core/kind"
	"omphalos/core/message"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// side is what stands next to the frames.
type side struct {
	Draft   *workbench.Draft
	Steps   []step
	Numbers []number
	Ends    []page.Mark
	Exact   bool
	Settled string // that nothing can change the outcome any more; "" while something can
	Lines   []line
	Now     string // what would decide if it ended here
	NowMark page.Mark
	Ended   *ending // nil on the way
	Keep    *checkForm
	Offers  []page.Mark // outcomes that the rest can be filled in for
}

// step is a question next to the frames.
type step struct {
	Number  int
	ID      string
	Title   string
	Answer  string   // in words; "" while there is none
	Gives   []string // such as "Fit +4"
	Here    bool
	Skipped bool
}

// number is a scale, keyword or computed value.
type number struct {
	Name, Value string
	Possible    string // what it can still become; "" where it stays what it is
}

// line is a verdict line that was tried.
type line struct {
	Number int
	Text   string
	Failed string // what did not hold; "" for the line that decides
	Link   string
}

// newSide works out what stands next to a rehearsal; shown is the id of the kept check that it began with, if any.
func newSide(ctx context.Context, d *workbench.Draft, r *engine.Rehearsal, shown string) (*side, error) {
	doc, in := r.Doc(), r.Input()
	s := &side{Draft: d}
	tried, now := r.Walk().Trace(in)
	s.Steps = steps(r, now)
	ahead, err := reach.LookAhead(ctx, doc, in, counting.Options())
	if err != nil {
		return nil, err
	}
	s.Exact = ahead.Exact
	s.numbers(doc, now, ahead)
	for _, o := range ahead.Outcomes {
		m := d.Mark(o.ID)
		if m.Share = o.Share; !o.Reachable && ahead.Exact {
			m.Share = 0
		}
		s.Ends = append(s.Ends, m)
		if o.Reachable {
			s.Offers = append(s.Offers, m)
		}
	}
	s.settled(doc, r, ahead)
	s.Now, s.NowMark = now.Say(doc), d.Mark(now.Outcome)
	for _, t := range tried {
		s.Lines = append(s.Lines, newLine(d, doc, t))
	}
	if r.Ended() {
		res := r.Walk().Walk(in)
		s.Ended = newEnding(d, r, res)
		s.Keep = newKeep(doc, r, res, shown)
	}
	return s, nil
}

func primary(code string) string { p, _, _ := strings.Cut(code, "-"); return strings.ToLower(p) }

func paramsText(params map[string]string) string {
	var out []string
	for _, name := range slices.Sorted(maps.Keys(params)) {
		out = append(out, name+"="+params[name])
	}
	return strings.Join(out, "&")
}

// steps lists the questions with what was answered, and what that gave.
func steps(r *engine.Rehearsal, now *walk.Result) []step {
	doc, in := r.Doc(), r.Input()
	var out []step
	furthest := r.At()
	if r.Ended() {
		furthest = len(doc.Questions)
	}
	for i := range doc.Questions {
		q := &doc.Questions[i]
		s := step{Number: i + 1, ID: q.ID, Title: q.Title(), Here: i == r.At()}
		asked := slices.Contains(now.Path, q.ID)
		if _, given := in.Answers[q.ID]; given && asked && !kind.Of(q).About().Silent {
			s.Answer = in.Answers[q.ID].Words(q)
			s.Gives = gives(r.Walk(), i, in.Answers[q.ID])
		}
		s.Skipped = !asked && !s.Here && i < furthest
		out = append(out, s)
	}
	return out
}

// gives is what an answer adds, by the names of scales and keywords.
func gives(c *walk.Compiled, q int, a walk.Answer) []string {
	e := c.Effect(q, a)
	var out []string
	put := func(name string, n rule.Number) {
		if n.Sign() != 0 {
			out = append(out, name+" "+signed(n))
		}
	}
	for i := range c.Doc.Scales {
		put(c.Doc.Scales[i].Title(), e.Points[i])
	}
	for i := range c.Doc.Keywords {
		put(c.Doc.Keywords[i].Title(), e.Votes[i])
	}
	return out
}

func signed(n rule.Number) string {
	if n.Sign() > 0 {
		return "+" + n.Round(2).String()
	}
	return strings.Replace(n.Round(2).String(), "-", "−", 1)
}

// numbers are the scales, keywords and computed values as they are, and what they can still become.
func (s *side) numbers(doc *quiz.Document, now *walk.Result, ahead *reach.Ahead) {
	put := func(name string, value string, span reach.Span) {
		n := number{Name: name, Value: value}
		if least, most := span.Least.Round(2).String(), span.Most.Round(2).String(); span.Known {
			if n.Possible = least + " to " + most; least == most {
				if n.Possible = ""; least != value {
					n.Possible = "will be " + least
				}
			} else if span.Sampled {
				n.Possible = "about " + n.Possible
			}
		}
		s.Numbers = append(s.Numbers, n)
	}
	for i := range doc.Scales {
		put(doc.Scales[i].Title(), now.Scales[i].Round(2).String(), ahead.Scales[i])
	}
	for i := range doc.Keywords {
		put(doc.Keywords[i].Title(), now.Keywords[i].Round(2).String(), ahead.Keywords[i])
	}
	for i := range doc.Computed {
		put(quiz.FirstOf(doc.Computed[i].Name, doc.Computed[i].ID), walk.Shown(now.Computed[i]), ahead.Computed[i])
	}
}

// settled says that nothing can change the outcome any more, and how many questions are asked all the same.
func (s *side) settled(doc *quiz.Document, r *engine.Rehearsal, ahead *reach.Ahead) {
	if !ahead.Exact || len(s.Offers) != 1 || r.Ended() {
		return
	}
	in := r.Input()
	left := 0.0
	for i, share := range ahead.Asked {
		if _, given := in.Answers[doc.Questions[i].ID]; !given && !kind.Of(&doc.Questions[i]).About().Silent {
			left += share
		}
	}
	s.Settled = "Decided: " + s.Offers[0].Name + ". The next answers can’t change it"
	switch n := math.Round(left); {
	case left == 0:
		s.Settled += "."
	case left == n:
		s.Settled += fmt.Sprintf(". %s left.", plural(int(n), "question", "questions"))
	default:
		s.Settled += fmt.Sprintf(". About %.1f questions left.", left)
	}
}

func plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// newLine says how a verdict line was tried.
func newLine(d *workbench.Draft, doc *quiz.Document, t walk.Tried) line {
	l := line{
		Number: t.Line,
		Text:   doc.VerdictSentence(&doc.Verdicts[t.Line-1]),
		Link:   d.Link(quiz.Pointer("verdicts", t.Line-1)),
	}
	l.Failed = t.Failed(doc)
	return l
}

// whatIf says what one more answer, a field of the page with its value, would do.
func whatIf(ctx context.Context, d *workbench.Draft, r *engine.Rehearsal, field, value string) (string, error) {
	doc := r.Doc()
	i := doc.Question(fieldID(field))
	if i < 0 {
		return "", nil
	}
	q := &doc.Questions[i]
	listed := *q
	listed.ChoicesFrom = nil
	a, err := kind.Read(&listed, func(name string) []string {
		if name == field {
			return []string{value}
		}
		return nil
	})
	if err != nil || a.Blank() {
		return "", nil
	}
	before, err := reach.Odds(ctx, doc, r.Input(), counting.Options())
	if err != nil {
		return "", err
	}
	in := r.Input()
	in.Answers = maps.Clone(in.Answers)
	in.Answers[q.ID] = a
	after, err := reach.Odds(ctx, doc, in, counting.Options())
	if err != nil {
		return "", err
	}
	said := "“" + quiz.Shorten(a.Words(q), 40) + "”"
	if adds := gives(r.Walk(), i, a); len(adds) > 0 {
		said += " gives " + strings.Join(adds, ", ")
	} else {
		said += " gives no points"
	}
	best, by := -1, 0.0005
	for k := range after {
		if change := math.Abs(after[k].Share - before[k].Share); change > by {
			best, by = k, change
		}
	}
	if best < 0 {
		return said + " and doesn’t change the possible outcomes.", nil
	}
	return fmt.Sprintf("%s and makes %s %s likely (now %s).", said, d.Mark(after[best].ID).Name,
		page.Percent(after[best].Share), page.Percent(before[best].Share)), nil
}

// ending is what happens at the end of a rehearsal.
type ending struct {
	Mark     page.Mark
	Reason   string
	Address  string
	Template string
	Parts    []part // whose part of the address came from where
	Table    string // the line of a table that it came from, or that there is none
	Products []string
	Event    string
	Stored   string   // what would be stored; "" is nothing
	Mails    []string // that would be sent
}

type part struct{ Name, From, Value string }

func newEnding(d *workbench.Draft, r *engine.Rehearsal, res *walk.Result) *ending {
	doc, in := r.Doc(), r.Input()
	o := doc.Outcome(res.Outcome)
	e := &ending{Mark: d.Mark(res.Outcome), Reason: res.Say(doc)}
	if o == nil {
		return e
	}
	e.Event = o.Event
	source := fill.Source{Doc: doc, Input: in, Result: res, Lead: "example", Contact: r.Contact()}
	if o.Ending != nil && o.Ending.Kind == quiz.EndRedirect {
		e.redirect(o.Ending, source, r.Tables())
	}
	if o.Ending != nil && o.Ending.Kind == quiz.EndProducts {
		for _, sku := range fill.Products(doc, o.Ending, r.Walk().Facts(in)) {
			name := sku + " (missing from the catalogue)"
			if cell := r.Tables().Find("catalogue", sku); cell != nil {
				name = quiz.FirstOf(cell("name"), sku)
			}
			e.Products = append(e.Products, name)
		}
	}
	if o.Keeps() {
		e.Stored, e.Mails = stored(doc, r, res), mails(doc, r, res)
	}
	return e
}

// redirect is where the ending leads, and what each part of the address came from.
func (e *ending) redirect(end *quiz.Ending, source fill.Source, tables fill.Tables) {
	t := source.Target(end, tables)
	e.Address, e.Template = t.Address, t.Template
	if l := end.Lookup; l != nil {
		key := quiz.FirstOf(t.Key, "an empty answer")
		switch {
		case t.Found:
			e.Table = fmt.Sprintf("row “%s” of the lookup table %s", key, l.Table)
		case t.Fallback:
			e.Table = fmt.Sprintf("the lookup table %s has no row for %s, so the fallback address is used", l.Table, key)
		default:
			e.Table = fmt.Sprintf("the lookup table %s has no row for %s", l.Table, key)
		}
	}
	address, err := fill.ParseAddress(t.Template)
	if err != nil {
		return
	}
	for _, name := range address.Names() {
		values, _ := source.Lookup(name)
		p := part{
			Name:  name,
			From:  strings.TrimSuffix(source.Doc.FactName(factOf(source.Doc, name)), ","),
			Value: strings.Join(values, ", "),
		}
		e.Parts = append(e.Parts, p)
	}
}

// factOf is the fact that a name in an address stands for: that of a question is its answer.
func factOf(d *quiz.Document, name string) string {
	id, _, _ := strings.Cut(name, ".")
	if d.Question(id) >= 0 {
		return "answer." + id
	}
	return name
}

// mails are the messages that would be sent, with whom they go to.
func mails(doc *quiz.Document, r *engine.Rehearsal, res *walk.Result) []string {
	contact := r.Contact()
	who := message.Respondent{Input: r.Input(), Result: res, Lead: "example", Contact: contact, Agreed: true}
	who.Email = quiz.FirstOf(
		doc.Contact.Email(contact),
		engine.AnsweredEmail(doc, res, r.Input()),
		"respondent@example.org",
	)
	var out []string
	for _, s := range message.Due(r.Walk(), who, r.Tables()) {
		said := fmt.Sprintf("“%s” to %s, %s", s.Message.Title(), strings.Join(s.To, ", "), quiz.After(s.Message.After))
		if s.Message.Agreed {
			said += ", if they give consent"
		}
		out = append(out, said)
	}
	return out
}

// stored is what a response would hold, in words.
func stored(doc *quiz.Document, r *engine.Rehearsal, res *walk.Result) string {
	out := []string{plural(len(res.Path), "answer", "answers")}
	if len(doc.Scales)+len(doc.Keywords) > 0 {
		out = append(out, "the scores")
	}
	contact := r.Contact()
	if doc.Contact != nil {
		for _, f := range doc.Contact.Fields {
			if contact[f.ID] != "" {
				out = append(out, quiz.FirstOf(f.Label, f.ID)+" "+contact[f.ID])
			}
		}
	}
	for _, name := range doc.Params {
		if value := r.Pretended().Params[name]; value != "" {
			out = append(out, name+" "+value)
		}
	}
	last := len(out) - 1
	if last == 0 {
		return out[0]
	}
	return strings.Join(out[:last], ", ") + " and " + out[last]
}

// checkForm is a check to be kept of what was rehearsed: the check without what is expected, and what can be.
type checkForm struct {
	Name    string
	Check   string // JSON
	Outcome string
	Expect  []expectable
	Of      string // the title of the check that was shown, and is walked otherwise now
	Instead string // its id
}

// expectable is one thing that can be expected: a member of "expect", as JSON.
type expectable struct {
	Name, Says, Value string
	Ticked            bool
}

// newKeep offers to keep what was rehearsed; shown is the id of the kept check that it began with, if any: then it can
// take its place, and expects the same things.
func newKeep(doc *quiz.Document, r *engine.Rehearsal, res *walk.Result, shown string) *checkForm {
	in := r.Input()
	if r.Pretended().Today == "" && !slices.Contains(mentioned(doc), "today") {
		in.Today = "" // nothing depends on the day
	}
	c := check.Keep(doc, in, res)
	came := check.Of(r.Walk(), r.Tables()).Come(check.Input(doc, &c))
	c.Expect = quiz.Expect{}
	k := &checkForm{Name: c.Name, Check: jsonOf(c)}
	was := quiz.Expect{Outcome: came.Outcome}
	if i := doc.Check(shown); i >= 0 {
		k.Of, k.Instead, k.Name, was = doc.Checks[i].Title(), shown, doc.Checks[i].Title(), doc.Checks[i].Expect
	}
	put := func(name, says string, value any, ticked bool) {
		k.Expect = append(k.Expect, expectable{name, says, jsonOf(value), ticked})
	}
	put("outcome", "ends at "+doc.OutcomeName(came.Outcome), came.Outcome, was.Outcome != "")
	if len(doc.Scales) > 0 {
		var says []string
		for i := range doc.Scales {
			says = append(says, doc.Scales[i].Title()+" "+came.Scales[doc.Scales[i].ID].Round(2).String())
		}
		put("scales", strings.Join(says, ", "), came.Scales, len(was.Scales) > 0)
	}
	if came.Address != "" {
		put("address", "is sent to "+came.Address, came.Address, was.Address != nil)
	}
	if len(came.Products) > 0 {
		put("products", "is shown "+strings.Join(came.Products, ", "), came.Products, was.Products != nil)
	}
	put("path", "is asked these "+plural(len(came.Path), "question", "questions"), came.Path, was.Path != nil)
	return k
}

// mentioned are the facts that the document's conditions look at.
func mentioned(doc *quiz.Document) []string {
	var out []string
	doc.EachCondition(func(_ string, c *rule.Condition) { out = append(out, c.Names()...) })
	for i := range doc.Verdicts {
		if t := doc.Verdicts[i].Table; t != nil {
			out = append(out, t.Facts...)
		}
	}
	return out
}

func jsonOf(v any) string {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err) // values of the document's own types always have a form
	}
	return string(b)
}
