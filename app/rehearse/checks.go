package rehearse

import (
	"html/template"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"omphalos/app/counting"
	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/check"
	"omphalos/core/quiz"
)

// checksView is the list of kept checks.
type checksView struct {
	Draft   *workbench.Draft
	Checks  []checkView
	Hold    int
	Fail    int
	Off     int
	Counted bool // false: they run once the draft can be counted
}

// checkView is a kept check.
type checkView struct {
	*quiz.Check
	At     string // its place in the document
	State  string // holds, fails, off or broken
	Says   string // why it does not hold
	Mark   page.Mark
	Switch string // patches
	Drop   string
	Accept string

	Expects []expectation // what must come of it, to be changed in place
	Also    []also        // what else could be expected, as it comes now
	Marks   []page.Mark
}

// States of a check.
const (
	stateHolds  = "holds"
	stateFails  = "fails"
	stateOff    = "off"
	stateBroken = "broken" // it names what no longer exists
)

// checks draws the list of kept checks, with what came of them.
func (h *Handler) checks(v *workbench.Counted) (map[string]template.HTML, error) {
	s := newChecks(v)
	return map[string]template.HTML{"checks": template.HTML(page.Execute(templates, "checks", s))}, nil
}

func newChecks(v *workbench.Counted) *checksView {
	s := &checksView{Draft: v.Draft, Counted: v.Report != nil}
	problems := check.Problems(v.Doc)
	for i := range v.Doc.Checks {
		c := checkView{Check: &v.Doc.Checks[i], At: v.Doc.At("checks", i), Marks: v.Marks}
		c.Mark = v.Mark(c.Expect.Outcome)
		named := quiz.Test(c.At+"/id", c.ID)
		c.Drop = quiz.JSON(named, quiz.Remove(c.At))
		if c.Off {
			c.Switch = quiz.JSON(named, quiz.Remove(c.At+"/off"))
		} else {
			c.Switch = quiz.JSON(named, quiz.Add(c.At+"/off", true))
		}
		s.state(v, &c, i, problems)
		c.Expects = expects(v.Doc, &c)
		s.Checks = append(s.Checks, c)
	}
	return s
}

// state says what came of a check.
func (s *checksView) state(v *workbench.Counted, c *checkView, i int, problems quiz.Problems) {
	if p := slices.IndexFunc(
		problems,
		func(p quiz.Problem) bool { return p.Where == c.At || isBelow(p.Where, c.At) },
	); p >= 0 &&
		!c.Off {
		c.State, c.Says = stateBroken, problems[p].Sentence()
		s.Fail++
		return
	}
	at := slices.IndexFunc(v.Checks, func(r check.Result) bool { return r.At == i })
	switch {
	case c.Off:
		c.State = stateOff
		s.Off++
	case at < 0: // the draft cannot be counted just now
	case v.Checks[at].Holds:
		c.State = stateHolds
		r := &v.Checks[at]
		if c.Expect.Outcome == "" {
			c.Mark = v.Mark(r.Outcome)
		}
		c.Also = others(v.Doc, c, &r.Came)
		s.Hold++
	default:
		r := &v.Checks[at]
		c.State, c.Says, c.Mark = stateFails, r.Sentence(v.Doc), v.Mark(r.Outcome)
		c.Also, c.Accept = others(v.Doc, c, &r.Came), accept(c, &r.Came)
		s.Fail++
	}
}

func isBelow(where, at string) bool { return len(where) > len(at) && where[:len(at)+1] == at+"/" }

// propose answers with the edit that keeps a check for each outcome, or for both sides of each cut point.
func (h *Handler) propose(c *gin.Context) {
	d := h.Bench.Load(c)
	if d == nil {
		return
	}
	if len(d.Doc.Validate()) > 0 || len(d.Doc.Questions) == 0 {
		refuse(c, "The quiz can’t be tested yet. Fix the problems listed below first.")
		return
	}
	find, none := check.ForOutcomes, "Every reachable outcome already has a check."
	if c.Query("of") == "cuts" {
		find, none = check.ForCuts, "There are no cut points left to check."
	}
	list, err := find(c.Request.Context(), d.Doc, counting.Options())
	switch {
	case err != nil && !counting.GivenUp(err) && c.Request.Context().Err() == nil:
		refuse(c, "Couldn’t create the checks: "+err.Error()+". Answer the quiz here and save the checks one by one.")
		return
	case err != nil:
		h.uncounted(c, err)
		return
	case len(list) == 0:
		refuse(c, none)
		return
	}
	var ops []quiz.Operation
	for _, k := range list {
		ops = append(ops, workbench.AddTo("/checks", k))
	}
	c.PureJSON(http.StatusOK, gin.H{"patch": ops, "count": len(ops)})
}

// failingSince answers with the edit since which a check does not hold.
func (h *Handler) failingSince(c *gin.Context) {
	d := h.Bench.Load(c)
	if d == nil {
		return
	}
	b, err := h.Bench.Editor.Broke(c.Request.Context(), d.Quiz.ID, c.Param("check"))
	if err != nil {
		page.Failed(c, err)
		return
	}
	if b == nil {
		c.PureJSON(http.StatusOK, gin.H{"says": "Couldn’t find the edit that broke this check; it may be older than " +
			"the saved history."})
		return
	}
	who, err := h.Bench.Store.People.AccountName(b.AccountID)
	if err != nil {
		page.Failed(c, err)
		return
	}
	c.PureJSON(http.StatusOK, gin.H{"says": "Broken since “" + b.Text + "”, by " + who + " on " + d.Moment(b.At) + "."})
}
