package quiz

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"golang.org/x/text/currency"

	"omphalos/core/kind"
	"omphalos/core/rule"
	"omphalos/core/say"
)

// Validate finds what keeps a well-formed document from being computed on: dangling references, branches that lead
// backwards, missing ranges and choices. A document without problems can be walked.
func (d *Document) Validate() Problems {
	c := check{d: d}
	for i := range d.Questions {
		c.question(i)
	}
	c.texts()
	d.EachCondition(c.condition)
	for i := range d.Verdicts {
		if !d.Verdicts[i].Off {
			d.Verdicts[i].Validate(lineCheck{&c}, Pointer("verdicts", i))
		}
	}
	for i := range d.Computed {
		if !c.ps.full() { // a formula takes long to read
			c.formula(i)
		}
	}
	for i := range d.Outcomes {
		c.ending(i)
	}
	c.outcome("/otherwise", d.Otherwise)
	c.contact()
	c.messages()
	c.oneOf("/settings/pages", d.Settings.Pages, "one_question", "sections", "single_page")
	c.oneOf("/settings/review", d.Settings.Review, "never", "each_page", "end")
	if _, err := time.LoadLocation(d.Settings.TimeZone); err != nil || d.Settings.TimeZone == "Local" {
		c.ps.add(
			"/settings/time_zone",
			useNameSuchEuropeDublin.With(), timeZoneDoesntExist.With(d.Settings.TimeZone),
		)
	}
	if code := d.Settings.Currency; code != "" {
		if _, err := currency.ParseISO(code); err != nil || strings.ToUpper(code) != code {
			c.ps.add("/settings/currency", useCodeThreeCapitalsSuch.With(), thereNoCurrency.With(code))
		}
	}
	if r := d.Recommendations; r != nil {
		c.oneOf("/recommendations/mode", r.Mode, "first", "all")
	}
	slices.SortStableFunc(c.ps, func(a, b Problem) int { return d.order(a.Where) - d.order(b.Where) })
	return c.ps.limited()
}

// order sorts problems by the part of the document they are in, as a reader meets them.
func (d *Document) order(where string) int {
	parts := []string{
		"/format",
		"/name",
		"/intro",
		"/scales",
		"/keywords",
		"/questions",
		"/computed",
		"/verdicts",
		"/otherwise",
		"/outcomes",
	}
	for i, p := range parts {
		if strings.HasPrefix(where, p) {
			return i
		}
	}
	return len(parts)
}

type check struct {
	d     *Document
	ps    Problems
	atEnd bool // conditions that are looked at when the walk has ended
}

func (c *check) oneOf(at, got string, allowed ...string) {
	if got != "" && !slices.Contains(allowed, got) {
		c.ps.add(at, useOneOf.With(strings.Join(allowed, ", ")), isntAllowedHere.With(got))
	}
}

func (c *check) outcome(at, id string) {
	if c.d.Outcome(id) != nil {
		return
	}
	if id == "" {
		c.ps.add(at, chooseAnOutcome.With(), noOutcomeChosen.With())
		return
	}
	c.ps.add(at, chooseExistingOutcome.With(), outcomeDoesntExist.With(id))
}

// gives checks that points go to scales and votes to keywords that exist. The place is named only where one does not.
func (c *check) gives(points, votes map[string]rule.Number, at func() string) {
	scales, keywords := c.d.Scales, c.d.Keywords
	for _, id := range unknown(points, len(scales), func(i int) string { return scales[i].ID }) {
		c.ps.add(at()+Pointer("points", id), addScaleOrRemoveThese.With(), scaleDoesntExist.With(id))
	}
	for _, id := range unknown(votes, len(keywords), func(i int) string { return keywords[i].ID }) {
		c.ps.add(at()+Pointer("votes", id), addKeywordOrRemoveThese.With(), keywordDoesntExist.With(id))
	}
}

// unknown are the keys that are none of n ids, in order. Nearly always there are none, so that the others are counted
// first: ids that are there twice are an error of their own.
func unknown(m map[string]rule.Number, n int, id func(i int) string) []string {
	left := len(m)
	for i := 0; i < n && left > 0; i++ {
		if _, there := m[id(i)]; there {
			left--
		}
	}
	if left == 0 {
		return nil
	}
	return slices.DeleteFunc(sortedKeys(m), func(key string) bool {
		for i := range n {
			if id(i) == key {
				return true
			}
		}
		return false
	})
}

func (c *check) question(i int) {
	q := &c.d.Questions[i]
	at := func(parts ...any) string { return Pointer(append([]any{"questions", i}, parts...)...) }
	kind.Validate(q, func(place string, fix, said say.Text) { c.ps.add(at()+place, fix, said) })
	for j := range q.Choices {
		place := func() string { return at("choices", j) }
		c.gives(q.Choices[j].Points, q.Choices[j].Votes, place)
	}
	for _, id := range sortedKeys(q.Linear) {
		if c.d.Scale(id) == nil {
			c.ps.add(at("linear", id), addScaleOrRemoveSetting.With(), scaleDoesntExist.With(id))
		}
	}
	for j, s := range q.Steps {
		c.gives(s.Points, s.Votes, func() string { return at("steps", j) })
		if j > 0 && s.From.Cmp(q.Steps[j-1].From) <= 0 {
			c.ps.add(
				at("steps", j, "from"),
				makeEachStepStartHigher.With(), stepDoesntStartHigherThan.With(j+1, j),
			)
		}
	}
	if q.Display != "" {
		c.oneOf(at("display"), q.Display, "list", "dropdown", "pictures")
	}
	if q.Section != "" && !slices.ContainsFunc(c.d.Sections, func(s Section) bool { return s.ID == q.Section }) {
		c.ps.add(at("section"), addSectionOrChooseAnother.With(), sectionDoesntExist.With(q.Section))
	}
	for j, b := range q.Branches {
		c.target(at("branches", j, "go"), b.Go, i)
	}
}

func (c *check) target(at, to string, from int) {
	word, id, _ := strings.Cut(to, ":")
	switch {
	case to == "finish":
	case word == "outcome":
		c.outcome(at, id)
	case word == "question":
		j := c.d.Question(id)
		if j < 0 {
			c.ps.add(at, chooseLaterQuestionOutcomeOr.With(), questionDoesntExist.With(id))
		} else if j <= from {
			mend := "Branches can only lead forward. Choose a later question."
			c.ps.add(at, say.Plain(mend), branchLeadsBackQuestion.With(j+1))
		}
	default:
		c.ps.add(at, writeQuestionIDOutcomeID.With(), isntValidDestination.With(to))
	}
}

// lineCheck is the document that a verdict line is checked against.
type lineCheck struct{ *check }

func (c lineCheck) Report(at string, fix, said say.Text) { c.ps.add(at, fix, said) }

func (c lineCheck) Outcome(at, id string) { c.outcome(at, id) }

func (c lineCheck) Fact(at, name string) bool { return c.fact(at, name) }

func (c lineCheck) Constant(at, name string, op rule.Op, v rule.Scalar) { c.constant(at, name, op, v) }

func (c lineCheck) HasKeyword(id string) bool { return c.d.Keyword(id) != nil }

func (c lineCheck) HasQuestion(id string) bool { return c.d.Question(id) >= 0 }

// Cut checks that a number can be cut into bands.
func (c lineCheck) Cut(at, on string) {
	if !IsNumberFact(on) {
		c.ps.add(at, useScaleIDPercentID2.With(), youCantSetCutPoints.With(on))
		return
	}
	c.fact(at, on)
}

func (c *check) ending(i int) {
	if e := c.d.Outcomes[i].Ending; e != nil {
		for j := range e.Charts {
			c.chart(Pointer("outcomes", i, "ending", "charts", j), &e.Charts[j])
		}
		c.oneOf(Pointer("outcomes", i, "ending", "kind"), e.Kind, EndPage, EndProducts, EndRedirect)
		if e.Delay < 0 || e.Delay > 60 {
			c.ps.add(
				Pointer("outcomes", i, "ending", "delay"),
				useToSeconds.With(), noticeCantShownSeconds.With(e.Delay),
			)
		}
	}
}

// ContactKinds are the kinds of a contact field.
var ContactKinds = []string{"name", "email", "phone", "company", "text", "short_text", "long_text", "country"}

func (c *check) contact() {
	if c.d.Contact == nil {
		return
	}
	c.oneOf("/contact/place", c.d.Contact.Place, ContactBefore, ContactAfter, ContactNone)
	for i, f := range c.d.Contact.Fields {
		c.oneOf(fmt.Sprintf("/contact/fields/%d/kind", i), f.Kind, ContactKinds...)
	}
}
