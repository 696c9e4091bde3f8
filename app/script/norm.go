package script

import (
	"fmt"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// mostNormed is how many of the newest responses a norm is taken from.
const mostNormed = 20_000

// norm answers the edit that gives a scale a norm: as the count spreads it, or as it is spread among responses.
func (h *Handler) norm(c *gin.Context) {
	v, err := h.Bench.Count(c)
	if v == nil {
		return
	}
	refuse := func(format string, args ...any) { workbench.NoAdvice(c, format, args...) }
	i := slices.IndexFunc(v.Doc.Scales, func(s quiz.Scale) bool { return s.ID == c.Param("scale") })
	switch {
	case i < 0:
		refuse("This scale no longer exists.")
		return
	case err != nil || v.Report == nil:
		refuse("Fix the problems listed below first; the norm needs a quiz that can be calculated.")
		return
	}
	var n quiz.Norm
	said := "calculated from all possible answers"
	if c.Query("from") == "responses" {
		var people int
		if n, people, err = h.normOfResponses(v, i); err != nil {
			refuse("Couldn’t read the responses: %v.", err)
			return
		}
		if people == 0 {
			refuse("There are no responses yet. Set the norm from all possible answers instead.")
			return
		}
		said = "from " + page.Plural(people, "response", "responses")
	} else {
		n = normOf(v.Report, i)
	}
	if len(n) == 0 || len(n) > quiz.MaxNorm {
		refuse("This scale has %d different values; a norm can hold 1 to %d. Round the points or use fewer "+
			"of them.", len(n), quiz.MaxNorm)
		return
	}
	at := v.Doc.At("scales", i)
	c.JSON(http.StatusOK, gin.H{
		"patch": quiz.JSON(quiz.Test(at+"/id", v.Doc.Scales[i].ID), quiz.Add(at+"/norm", n)),
		"text": fmt.Sprintf(
			"%s now has a norm %s. Insert {percentile.%s} in a text to show how a respondent compares.",
			v.Doc.Scales[i].Title(),
			said,
			v.Doc.Scales[i].ID,
		),
	})
}

func normOf(r *reach.Report, scale int) quiz.Norm {
	var values []rule.Number
	var weights []float64
	for _, p := range r.Scales[scale].Shares {
		values, weights = append(values, p.Value), append(weights, p.Share)
	}
	return quiz.NewNorm(values, weights)
}

// normOfResponses is how the newest responses score by the draft.
func (h *Handler) normOfResponses(v *workbench.Counted, scale int) (quiz.Norm, int, error) {
	compiled, err := walk.New(v.Doc)
	if err != nil {
		return nil, 0, err
	}
	counts := map[string]float64{}
	seen := map[string]rule.Number{}
	people := 0
	for r, err := range h.Store.Responses.Reader(v.Quiz.ID, responses.Genuine).Lean().Newest() {
		if err != nil {
			return nil, 0, err
		}
		a, err := r.Answered()
		if err != nil {
			return nil, 0, err
		}
		value := compiled.Walk(walk.Input{Answers: a.Answers, Params: a.Params}).Scales[scale]
		counts[value.String()]++
		seen[value.String()] = value
		if people++; people == mostNormed {
			break
		}
	}
	values := make([]rule.Number, 0, len(seen))
	for _, n := range seen {
		values = append(values, n)
	}
	slices.SortFunc(values, rule.Number.Cmp)
	weights := make([]float64, len(values))
	for i, n := range values {
		weights[i] = counts[n.String()]
	}
	return quiz.NewNorm(values, weights), people, nil
}
