package verdicts

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

// level answers which starts of keywords, or which cut points of a matrix, come closest to wanted shares.
func (h *Handler) level(c *gin.Context) {
	v, err := h.Bench.Count(c)
	if v == nil {
		return
	}
	refuse := func(format string, args ...any) { workbench.NoAdvice(c, format, args...) }
	if err != nil || v.Report == nil {
		refuse("Fix the problems listed below first.")
		return
	}
	line, err := strconv.Atoi(c.Query("line"))
	if err != nil || line < 1 || line > len(v.Doc.Verdicts) {
		refuse("Choose a verdict line.")
		return
	}
	wanted := map[string]float64{}
	for key, values := range c.Request.URL.Query() {
		id, is := strings.CutPrefix(key, "want.")
		if !is {
			continue
		}
		share, err := strconv.ParseFloat(values[0], 64)
		if err != nil || share < 0 || share > 100 || v.Doc.Outcome(id) == nil {
			refuse("Type shares from 0%% to 100%%.")
			return
		}
		wanted[id] = share
	}
	if len(wanted) < 2 {
		refuse("Type a target share for at least two outcomes.")
		return
	}
	if v.Doc.Verdicts[line-1].Matrix != nil {
		levelCuts(c, v, line, wanted, refuse)
		return
	}
	levelStarts(c, v, line, wanted, refuse)
}

type refusal = func(format string, args ...any)

func levelStarts(c *gin.Context, v *workbench.Counted, line int, wanted map[string]float64, refuse refusal) {
	got, err := reach.LevelStarts(c.Request.Context(), v.Doc, line, wanted, v.Options)
	if err != nil {
		refuse("%s", page.Sentence(err))
		return
	}
	var ops []quiz.Operation
	var said []string
	for i, start := range got.Starts {
		k := &v.Doc.Keywords[i]
		if start.Cmp(k.Start) == 0 {
			continue
		}
		ops = append(
			ops,

			quiz.Add(v.Doc.At("keywords", i, "start"), start),
		)
		said = append(said, fmt.Sprintf("%s gets a head start of %s", k.Title(), start))
	}
	answer(c, v, said, ops, got.Shares, got.Exact, "Your current head starts are already the closest match")
}

func levelCuts(c *gin.Context, v *workbench.Counted, line int, wanted map[string]float64, refuse refusal) {
	got, err := reach.LevelCuts(c.Request.Context(), v.Doc, line, wanted, v.Options)
	if err != nil {
		refuse("%s", page.Sentence(err))
		return
	}
	m := v.Doc.Verdicts[line-1].Matrix
	var ops []quiz.Operation
	var said []string
	for i, cut := range got.Across {
		if cut.Cmp(m.Across.Cuts[i]) != 0 {
			ops = append(ops, quiz.Set(v.Doc.At("verdicts", line-1, "matrix", "across", "cuts", i), cut))
			said = append(said, fmt.Sprintf("%s %s → %s", v.Doc.FactName(m.Across.On), m.Across.Cuts[i], cut))
		}
	}
	for i, cut := range got.Down {
		if cut.Cmp(m.Down.Cuts[i]) != 0 {
			ops = append(ops, quiz.Set(v.Doc.At("verdicts", line-1, "matrix", "down", "cuts", i), cut))
			said = append(said, fmt.Sprintf("%s %s → %s", v.Doc.FactName(m.Down.On), m.Down.Cuts[i], cut))
		}
	}
	answer(c, v, said, ops, got.Shares, got.Samples == 0, "Your current cut points are already the closest match")
}

// answer says what was found and what it gives.
func answer(
	c *gin.Context,
	v *workbench.Counted,
	said []string,
	ops []quiz.Operation,
	shares map[string]float64,
	exact bool,
	none string,
) {
	var gives []string
	for _, m := range v.Marks {
		if share, there := shares[m.ID]; there {
			gives = append(gives, m.Letters+" "+page.Percent(share))
		}
	}
	sure := "exactly"
	if !exact {
		sure = "about"
	}
	text := strings.Join(said, ", ")
	if len(ops) == 0 {
		text = none
	}
	body := gin.H{"text": fmt.Sprintf("%s: %s %s of the respondents who reach "+
		"this line.", text, sure, strings.Join(gives, ", "))}
	if len(ops) > 0 {
		body["patch"] = quiz.JSON(ops...)
	}
	c.JSON(http.StatusOK, body)
}
