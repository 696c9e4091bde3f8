package paths

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

// removals is what every question does, which could go, and how soon people are settled.
type removals struct {
	Questions []worth
	Sets      []leaveOut
	Settled   []settledAt
	Earlier   *earlier
	Quiz      string
	About     string // how exact it is; "" for exactly
}

type worth struct {
	Number         int
	ID, Title      string
	Settles, Moved string
	Between        string
	Needed         string // what looks at it besides
}

// leaveOut is questions that can go together.
type leaveOut struct {
	Names []string
	Stay  string // the share that ends at the same place
	Of    int    // questions of the quiz
	Patch string
}

// settledAt is the share of people who are settled after so many questions.
type settledAt struct {
	After int
	Share float64
	Text  string
}

// earlier is another order of the questions.
type earlier struct {
	Names []string
	Says  string
	Patch string
}

// Shares up to which leaving questions out is proposed, and how many sets are.
const (
	mostMoved = 0.1
	mostSets  = 4
)

// showRemovals draws what could go.
func (h *Handler) showRemovals(c *gin.Context) {
	v := h.Bench.Counted(c)
	if v == nil {
		return
	}
	o := v.Options
	o.Moved = true
	r, err := reach.Check(c.Request.Context(), v.Doc, o)
	if err != nil {
		workbench.Uncounted(c, err)
		return
	}
	out := removals{Quiz: v.Quiz.ID}
	if !r.Exact {
		out.About = "Estimated from simulated respondents"
	}
	out.questions(v.Doc, r)
	if err := out.look(c, v, r); err != nil {
		workbench.Uncounted(c, err)
		return
	}
	c.Data(http.StatusOK, "text/html; charset=utf-8", []byte(page.Execute(templates, "spare", out)))
}

func (s *removals) questions(d *quiz.Document, r *reach.Report) {
	for i := range d.Questions {
		q := &d.Questions[i]
		w := worth{Number: i + 1, ID: q.ID, Title: q.Title(), Settles: "–", Moved: page.Percent(r.Questions[i].Moved)}
		if r.Exact {
			w.Settles = page.Percent(r.Questions[i].Settles)
		}
		if b := r.Questions[i].MovedBetween; b != nil {
			w.Between = page.Percent(b[0]) + " to " + page.Percent(b[1])
		}
		w.Needed = strings.Join(reach.Needed(d, q.ID), "; ")
		s.Questions = append(s.Questions, w)
	}
}

// look finds the questions that can go, and the order that settles sooner.
func (s *removals) look(c *gin.Context, v *workbench.Counted, r *reach.Report) error {
	ctx, d := c.Request.Context(), v.Doc
	sets, err := reach.Spare(ctx, d, r, mostMoved, v.Options)
	if err != nil {
		return err
	}
	for _, one := range sets[max(0, len(sets)-mostSets):] {
		set := leaveOut{
			Stay:  page.Percent(1 - one.Moved),
			Of:    len(d.Questions),
			Patch: quiz.JSON(d.Refer(reach.LeaveOut(d, one.Questions))...),
		}
		for _, id := range one.Questions {
			set.Names = append(
				set.Names,
				fmt.Sprintf("%d “%s”", d.Question(id)+1, quiz.Shorten(d.Questions[d.Question(id)].Title(), 40)),
			)
		}
		s.Sets = append(s.Sets, set)
	}
	settled, err := reach.SettledBy(ctx, d, v.Options)
	if err != nil {
		return err
	}
	for k, share := range settled {
		s.Settled = append(s.Settled, settledAt{k, share, page.Percent(share)})
	}
	better, err := reach.Sooner(ctx, d, v.Options)
	if err != nil || better == nil {
		return err
	}
	ops, err := reach.Reorder(d, better.Order)
	if err != nil {
		return err
	}
	e := &earlier{Patch: quiz.JSON(d.Refer(ops)...)}
	for _, id := range better.Order {
		e.Names = append(e.Names, fmt.Sprint(d.Question(id)+1))
	}
	gain, at := 0.0, 0
	for k := range better.After {
		if g := better.After[k] - better.Before[k]; g > gain {
			gain, at = g, k
		}
	}
	e.Says = fmt.Sprintf("After %s, the outcome is decided for %s of respondents instead of %s.",
		page.Plural(at, "question", "questions"), page.Percent(better.After[at]), page.Percent(better.Before[at]))
	s.Earlier = e
	return nil
}
