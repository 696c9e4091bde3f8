package check

import (
	"maps"
	"slices"
	"time"

	"omphalos/core/quiz"
	"omphalos/core/say"
	"omphalos/core/walk"
)

// Read reads a whole document strictly, its checks too.
func Read(data []byte) (*quiz.Document, error) {
	d, err := quiz.Read(data)
	if err != nil {
		return nil, err
	}
	if ps := Problems(d); len(ps) > 0 {
		return nil, ps
	}
	return d, nil
}

// Problems are what keeps checks from being run: they name what the document does not have, or answers that can never
// be given. The checks that are turned off are looked at too.
func Problems(d *quiz.Document) quiz.Problems {
	var ps quiz.Problems
	for i := range d.Checks {
		if ps = append(ps, problems(d, i)...); len(ps) > quiz.MaxProblems {
			return ps[:quiz.MaxProblems]
		}
	}
	return ps
}

// sound reports whether a check can be run; in is its respondent.
func sound(d *quiz.Document, i int) (in walk.Input, ok bool) {
	c := &d.Checks[i]
	in, bad := input(d, c)
	ok = len(bad) == 0
	complain := func(_, _ say.Text, _ ...any) { ok = false }
	today(c, complain)
	expectProblems(d, &c.Expect, complain)
	return in, ok
}

func today(c *quiz.Check, put func(fix, said say.Text, at ...any)) {
	if _, err := time.Parse(time.DateOnly, c.Today); c.Today != "" && err != nil {
		put(useTheForm.With(), isntADate.With(quiz.Shorten(c.Today, 40)), "today")
	}
}

// problems are those of the check at a position.
func problems(d *quiz.Document, i int) quiz.Problems {
	c := &d.Checks[i]
	var ps quiz.Problems
	put := func(fix, said say.Text, at ...any) {
		said = ofCheck.With(quiz.Shorten(c.Title(), 60), said)
		ps = append(ps, quiz.NewProblem(quiz.Pointer(append([]any{"checks", i}, at...)...), fix, said))
	}
	_, bad := input(d, c)
	for _, a := range bad {
		if a.at < 0 {
			put(removeAnswerOrUseID.With(), unknownQuestion.With(a.question), "answers", a.question)
			continue
		}
		title := quiz.Shorten(d.Questions[a.at].Title(), 60)
		put(useAnswerQuestionAllows.With(),
			isntPossibleAnswer.With(title, a.err.Error()), "answers", a.question)
	}
	today(c, put)
	expectProblems(d, &c.Expect, put)
	return ps
}

// expectProblems finds what a check expects and the document does not have.
func expectProblems(d *quiz.Document, e *quiz.Expect, put func(fix, said say.Text, at ...any)) {
	if e.Empty() {
		put(addExpectedResultOutcomeScales.With(), checkHasNoExpectedResult.With(), "expect")
	}
	if e.Outcome != "" && d.Outcome(e.Outcome) == nil {
		put(chooseExistingOutcome.With(), unknownOutcome.With(e.Outcome), "expect", "outcome")
	}
	for _, id := range slices.Sorted(maps.Keys(e.Scales)) {
		if d.Scale(id) == nil {
			put(chooseExistingScale.With(), unknownScale.With(id), "expect", "scales", id)
		}
	}
	for j, sku := range e.Products {
		if !mentionsProduct(d, sku) {
			put(useProductEndingOrRecommendation.With(), noEndingShowsProduct.With(sku), "expect", "products", j)
		}
	}
	for j, id := range e.Path {
		if d.Question(id) < 0 {
			put(useIDExistingQuestion.With(), unknownQuestion.With(id), "expect", "path", j)
		}
	}
}

// mentionsProduct reports whether any ending or recommendation can show a product.
func mentionsProduct(d *quiz.Document, sku string) bool {
	for i := range d.Outcomes {
		if e := d.Outcomes[i].Ending; e != nil && slices.Contains(e.Products, sku) {
			return true
		}
	}
	r := d.Recommendations
	return r != nil && slices.ContainsFunc(r.Lines, func(l quiz.RecommendationLine) bool { return l.Product == sku })
}
