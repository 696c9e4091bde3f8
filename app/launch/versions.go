package launch

import (
	"errors"
	"fmt"
	"html/template"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"omphalos/app/counting"
	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/store/database"
	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/reach"
)

// station is a version on the line.
type station struct {
	Number   int
	Live     bool
	Tried    bool // it shares the traffic
	Again    int
	Since    string
	Who      string
	Starts   int
	Finishes int
	Leads    int
	Midway   int // begun yesterday or today, and not finished
	Gone     int // begun before, and not finished
}

// versions fills in the line of versions, and what differs between the two that are compared.
func (h *Handler) versions(s *view, query url.Values) error {
	d := s.Draft
	list, err := h.Store.Documents.Versions(d.Quiz.ID)
	if err != nil {
		return err
	}
	counts, err := h.Store.Tallies.VersionCounts(d.Quiz.ID)
	if err != nil {
		return err
	}
	access, err := responses.AccessOf(d.Quiz)
	if err != nil {
		return err
	}
	yesterday := time.Now().In(d.Zone).AddDate(0, 0, -1).Format(time.DateOnly)
	midway, err := h.Store.Tallies.Midway(d.Quiz.ID, yesterday)
	if err != nil {
		return err
	}
	s.Next = 1
	if len(list) > 0 {
		s.Next = list[0].Number + 1
	}
	for _, v := range list {
		who, err := h.Store.People.AccountName(v.AccountID)
		if err != nil && !errors.Is(err, database.ErrNotFound) {
			return err
		}
		at := station{Number: v.Number, Live: v.Number == d.Quiz.LiveVersion, Again: v.Again, Since: d.Moment(v.At), Who: who}
		at.Tried = access.Split != nil && access.Split.B == v.Number
		if n := counts[v.Number]; n != nil {
			at.Starts, at.Finishes, at.Leads = n.Starts, n.Finishes, n.Leads
			at.Midway = min(midway[v.Number], max(0, n.Starts-n.Finishes))
			if v.Number == d.Quiz.LiveVersion {
				s.Midway = at.Midway
			}
			at.Gone = max(0, n.Starts-n.Finishes-at.Midway)
		}
		s.Stations = append(s.Stations, at)
	}
	return h.compare(s, query)
}

// comparison is what two states of the quiz differ in; 0 is the draft.
type comparison struct {
	From, To int
	Names    []state // to choose from
	Changes  []quiz.Difference
	Groups   []group
}

// group are the changes of one room.
type group struct {
	Room    string
	Changes []quiz.Difference
}

// grouped puts changes together by the room that they are made in, in the order of the rooms.
func grouped(changes []quiz.Difference) []group {
	var out []group
	for _, room := range []string{"script", "verdicts", "endings", "rehearse"} {
		g := group{Room: strings.ToUpper(room[:1]) + room[1:]}
		for _, c := range changes {
			if workbench.RoomOf(c.Where) == room {
				g.Changes = append(g.Changes, c)
			}
		}
		if len(g.Changes) > 0 {
			out = append(out, g)
		}
	}
	return out
}

// state is a version, or the draft.
type state struct {
	Number int
	Name   string
}

func stateName(number int) string {
	if number == 0 {
		return "the draft"
	}
	return "version " + strconv.Itoa(number)
}

// compare finds the differences of the two states that are asked for.
func (h *Handler) compare(s *view, query url.Values) error {
	from, to, ok := comparedVersions(query)
	if !ok {
		return nil
	}
	c := &comparison{From: from, To: to, Names: []state{{0, stateName(0)}}}
	for _, v := range s.Stations {
		c.Names = append(c.Names, state{v.Number, stateName(v.Number)})
	}
	a, err := h.tree(s.Draft, from)
	if err != nil {
		return ignoreMissing(err)
	}
	b, err := h.tree(s.Draft, to)
	if err != nil {
		return ignoreMissing(err)
	}
	c.Changes, s.Compare = quiz.Differences(a, b), c
	c.Groups = grouped(c.Changes)
	return nil
}

func ignoreMissing(err error) error {
	if errors.Is(err, database.ErrNotFound) {
		return nil
	}
	return err
}

// comparedVersions are the two states of ?from=3&to=0.
func comparedVersions(query url.Values) (from, to int, ok bool) {
	from, errFrom := strconv.Atoi(query.Get("from"))
	to, errTo := strconv.Atoi(query.Get("to"))
	return from, to, errFrom == nil && errTo == nil && from >= 0 && to >= 0
}

// document is the text of a version, or of the draft.
func (h *Handler) document(d *workbench.Draft, number int) (*quiz.Document, []byte, error) {
	if number == 0 {
		return d.Doc, d.Quiz.Document, nil
	}
	v, err := h.Store.Documents.Version(d.Quiz.ID, number)
	if err != nil {
		return nil, nil, err
	}
	doc, err := quiz.ReadStored(v.Document)
	return doc, v.Document, err
}

func (h *Handler) tree(d *workbench.Draft, number int) (*quiz.Tree, error) {
	doc, text, err := h.document(d, number)
	if err != nil {
		return nil, err
	}
	return quiz.NewTree(doc, text)
}

// effectView is what a change does to where respondents end.
type effectView struct {
	Draft *workbench.Draft
	Lines []effectLine
	Moved string // who ends elsewhere
	Moves []moveLine
	Exact bool
}

type effectLine struct {
	Mark          page.Mark
	Name          string
	Before, After float64
	New, Gone     bool
}

type moveLine struct {
	From, To string
	Share    float64
	Walk     []string
}

// movedSamples is how many respondents are tried in both states.
const movedSamples = 2000

// effect draws what the compared change does, once both states can be counted.
func (h *Handler) effect(v *workbench.Counted, out map[string]template.HTML) error {
	from, to, ok := comparedVersions(v.Query)
	if !ok {
		return nil
	}
	a, _, err := h.document(v.Draft, from)
	if err == nil {
		var b *quiz.Document
		if b, _, err = h.document(v.Draft, to); err == nil {
			return drawEffect(v, a, b, out)
		}
	}
	return ignoreMissing(err)
}

func drawEffect(v *workbench.Counted, a, b *quiz.Document, out map[string]template.HTML) error {
	if len(a.Validate())+len(b.Validate()) > 0 {
		out["effect"] = `<p class="quiet small">Fix the draft’s problems to see the effect of these changes.</p>`
		return nil
	}
	o := counting.Options()
	o.Only = true
	before, err := reach.Check(v.Context, a, o)
	if err != nil {
		return err
	}
	after, err := reach.Check(v.Context, b, o)
	if err != nil {
		return err
	}
	e := &effectView{Draft: v.Draft, Exact: before.Exact && after.Exact}
	e.shares(a, b, before, after)
	moves, n, err := reach.Moved(v.Context, a, b, movedSamples, o)
	if err != nil {
		return err
	}
	all := 0
	for _, m := range moves {
		all += m.Count
		if len(e.Moves) < 5 {
			e.Moves = append(e.Moves, moveLine{
				From: a.OutcomeName(m.From), To: b.OutcomeName(m.To), Share: float64(m.Count) / float64(n),
				Walk: workbench.Steps(a, m.Witness),
			})
		}
	}
	if e.Moved = "No respondent would get a different outcome."; all > 0 {
		e.Moved = fmt.Sprintf(
			"About %s of respondents would get a different outcome (%d of %s simulated).",
			page.Percent(float64(all)/float64(n)),
			all,
			page.Thousands(n),
		)
	}
	out["effect"] = template.HTML(page.Execute(templates, "effect", e))
	return nil
}

// shares compares the shares of every outcome that one of the two has.
func (e *effectView) shares(a, b *quiz.Document, before, after *reach.Report) {
	was := map[string]float64{}
	for _, o := range before.Outcomes {
		was[o.ID] = o.Share
	}
	marks := page.Marks(b)
	for _, o := range after.Outcomes {
		_, had := was[o.ID]
		e.Lines = append(
			e.Lines,
			effectLine{Mark: page.MarkOf(marks, o.ID), Name: b.OutcomeName(o.ID), Before: was[o.ID], After: o.Share, New: !had},
		)
	}
	marks = page.Marks(a)
	for _, o := range before.Outcomes {
		if b.Outcome(o.ID) == nil {
			e.Lines = append(
				e.Lines,
				effectLine{Mark: page.MarkOf(marks, o.ID), Name: a.OutcomeName(o.ID), Before: o.Share, Gone: true},
			)
		}
	}
}

// relaunch makes a version live again.
func (h *Handler) relaunch(c *gin.Context) {
	number, _ := strconv.Atoi(c.Param("number")) // 0 is no version
	h.saved("", func(_ *gin.Context, who edit.Actor, id string) error {
		_, err := h.Bench.Editor.LaunchAgain(who, id, number)
		return err
	})(c)
}

// take makes the draft what a version is.
func (h *Handler) take(c *gin.Context) {
	number, _ := strconv.Atoi(c.Param("number"))
	h.saved("", func(c *gin.Context, who edit.Actor, id string) error {
		_, err := h.Bench.Editor.Take(c.Request.Context(), who, id, database.NewID()+database.NewID(), number)
		return err
	})(c)
}
