package verdicts

import (
	"fmt"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
)

// Routes adds the addresses of advice: on a cut point, on starts and cut points for wanted shares, and on failing
// checks.
func (h *Handler) Routes(g gin.IRouter) {
	g.GET("/quizzes/:id/advice", h.Bench.Counting(h.advice))
	g.GET("/quizzes/:id/level", h.Bench.Advising(h.level))
	g.GET("/quizzes/:id/mend", h.Bench.Advising(h.mend))
}

// advice answers which cut point brings a wanted share into a band and those above it.
func (h *Handler) advice(c *gin.Context) {
	v, err := h.Bench.Count(c)
	if v == nil {
		return
	}
	refuse := func(format string, args ...any) { workbench.NoAdvice(c, format, args...) }
	if err != nil {
		refuse("Couldn’t calculate the shares: %v", err)
		return
	}
	line, err1 := strconv.Atoi(c.Query("line"))
	cut, err2 := strconv.Atoi(c.Query("cut"))
	top, err3 := strconv.ParseFloat(c.Query("top"), 64)
	switch {
	case err1 != nil || err2 != nil || !hasCut(v.Doc, line, cut):
		refuse("Choose a cut point.")
		return
	case err3 != nil || !(top > 0 && top <= 100):
		refuse("Type a share above 0%%, up to 100%%.")
		return
	case v.Report == nil:
		refuse("Fix the problems listed below first.")
		return
	}
	at := cutAt{line, cut}
	answer, why, err := at.advise(v, top/100)
	switch {
	case err != nil:
		refuse("Couldn’t calculate the shares: %v", err)
	case why != "":
		refuse("%s", why)
	default:
		c.JSON(http.StatusOK, answer)
	}
}

// cutAt is a cut point: the line counted from 1, the cut from 0.
type cutAt struct{ line, cut int }

// advise finds the cut point that brings a share of all respondents into its band and those above, or why there is
// none.
func (at cutAt) advise(v *workbench.Counted, top float64) (answer gin.H, why string, err error) {
	spread, err := reach.Arrivals(v.Context, v.Doc, at.line, v.Options)
	if err != nil {
		return nil, "", err
	}
	cuts := v.Doc.Verdicts[at.line-1].Bands.Cuts
	var above *rule.Number
	if at.cut > 0 {
		above = &cuts[at.cut-1].From
	}
	// The wanted share is of all respondents; the distribution is of those who come to the line.
	arrive := arrivals(v.Report, at.line, spread.Points, cuts[0].From)
	if arrive <= 0 {
		return nil, "No respondents reach this line.", nil
	}
	value, share, ok := reach.TopCut(spread.Points, top/arrive, above)
	if !ok {
		return nil, "No respondent scores above the cut point below this one.", nil
	}
	value = reach.PlainCut(spread.Points, value)
	sure := "exactly"
	if spread.Samples > 0 {
		sure = "about"
	}
	text := fmt.Sprintf("Set the cut point to %s (%s %s)", value, sure, page.Percent(share*arrive))
	switch {
	case at.cut < len(cuts)-1 && value.Cmp(cuts[at.cut+1].From) >= 0:
		text += fmt.Sprintf(". The next cut point, %s, is in the way: move that one first", cuts[at.cut+1].From)
		return gin.H{"text": text}, "", nil
	case value.Cmp(cuts[at.cut].From) == 0:
		return gin.H{"text": text + ": it’s already there"}, "", nil
	}
	path := v.Doc.At("verdicts", at.line-1, "bands", "cuts", at.cut, "from")
	return gin.H{"text": text, "patch": quiz.JSON(quiz.Add(path, value)), "value": value.String()}, "", nil
}

// arrivals is the share of all respondents who come to a line and whom its condition lets in: what the line takes,
// over the part of its distribution that its cut points own.
func arrivals(r *reach.Report, line int, points []reach.Point, lowest rule.Number) float64 {
	owned := 0.0
	for _, p := range points {
		if p.Value.Cmp(lowest) >= 0 {
			owned += p.Share
		}
	}
	if owned > 0 {
		return r.Verdicts[line-1].Share / owned
	}
	left := 1.0
	for _, v := range r.Verdicts {
		if n, ok := v.Line.(int); v.Line == "branch" || ok && n > 0 && n < line {
			left -= v.Share
		}
	}
	return left
}

// hasCut reports whether a line of the verdicts, counted from 1, has a cut point of that number, counted from 0.
func hasCut(d *quiz.Document, line, cut int) bool {
	if line < 1 || line > len(d.Verdicts) {
		return false
	}
	bands := d.Verdicts[line-1].Bands
	return bands != nil && cut >= 0 && cut < len(bands.Cuts)
}
