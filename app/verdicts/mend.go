package verdicts

import (
	"encoding/json"
	"net/http"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/store/documents"
	"omphalos/app/workbench"
	"omphalos/core/mend"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

// fixing is what can be done about checks that do not hold.
type mending struct {
	Failing []string // what each was kept for, and where it ends
	Checks  int
	Repairs []repairView
	More    int
	Pairs   bool
}

type repairView struct {
	Changes []changeView
	Moved   string
	To      string // where those who end elsewhere end, if all at one outcome
	Patch   string
	Shares  string // for the bar: by outcome
	Strip   []page.Mark
}

type changeView struct {
	What     string
	From, To string
}

// shownRepairs is how many repairs are shown.
const shownRepairs = 6

// mend draws the smallest changes with which all checks hold; nothing where they do.
func (h *Handler) mend(c *gin.Context) {
	v := h.Bench.Counted(c)
	if v == nil {
		return
	}
	m := mending{Checks: len(v.Checks)}
	for i := range v.Checks {
		if r := &v.Checks[i]; !r.Holds {
			m.Failing = append(m.Failing, "“"+v.Doc.Checks[r.At].Title()+"” was "+r.Sentence(v.Doc))
		}
	}
	if len(m.Failing) == 0 {
		c.Status(http.StatusNoContent)
		return
	}
	found, err := mend.Find(c.Request.Context(), v.Doc, documents.Beside(v.Tables, v.Doc.Language), v.Options)
	if err != nil {
		workbench.Uncounted(c, err)
		return
	}
	m.More = max(0, len(found.Repairs)-shownRepairs)
	for i := range found.Repairs[:min(shownRepairs, len(found.Repairs))] {
		one := &found.Repairs[i]
		m.Pairs = m.Pairs || len(one.Change) > 1
		view, err := drawRepair(v, one)
		if err != nil {
			workbench.Uncounted(c, err)
			return
		}
		m.Repairs = append(m.Repairs, view)
	}
	c.Data(http.StatusOK, "text/html; charset=utf-8", []byte(draw("mending", m)))
}

// drawRepair counts what a repair leads to.
func drawRepair(v *workbench.Counted, one *mend.Repair) (repairView, error) {
	out := repairView{Moved: page.Percent(one.Moved), Patch: quiz.JSON(v.Doc.Refer(one.Patch())...)}
	for _, c := range one.Change {
		out.Changes = append(out.Changes, changeView{page.Upper(v.Doc.Named(c.At)), c.From.String(), c.To.String()})
	}
	o := v.Options
	o.Only, o.Assume = true, nil
	r, err := reach.Check(v.Context, one.In(v.Doc), o)
	if err != nil {
		return out, err
	}
	shares, gained := map[string]float64{}, ""
	for i, outcome := range r.Outcomes {
		mark := v.Marks[i]
		mark.Share = outcome.Share
		out.Strip = append(out.Strip, mark)
		shares[outcome.ID] = outcome.Share
		if before := v.Report.Outcomes[i].Share; outcome.Share > before+1e-9 {
			if out.To = mark.Name; gained != "" {
				out.To = ""
			}
			gained += outcome.ID
		}
	}
	text, err := json.Marshal(shares)
	out.Shares = string(text)
	return out, err
}
