// Package verdicts is the room where scores decide outcomes: an ordered list of lines, of which the first match
// decides.
package verdicts

import (
	"embed"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/verdict"
)

//go:embed *.html *.js
var files embed.FS

func init() { page.RegisterAssets(files, ".") }

// Handler answers the room's own addresses.
type Handler struct {
	Bench *workbench.Handler
}

// Room is the Verdicts room of the workbench.
func (h *Handler) Room() workbench.Room {
	return workbench.Room{Key: "verdicts", Title: "Verdicts",
		Scripts:  []string{"vendor/sortable.js", "matrix.js", "verdicts.js"},
		Template: templates, View: newView, Reach: shares,
		Count: func(d *workbench.Draft) string { return strconv.Itoa(len(d.Doc.Verdicts)) },
		Keys: []workbench.Keys{{Name: "Verdicts", List: [][2]string{
			{"Alt+↑ Alt+↓", "Move the line (from its summary)"},
			{"← →", "Move the cut point by one step"},
			{"Shift+← Shift+→", "Move the cut point by ten steps"},
			{"Enter", "Open or close the line"},
			{"Ctrl+D", "In a table: copy the outcome from the row above, or from the first selected row"},
			{"Shift+click", "In a table: select the rows up to here"},
			{"Ctrl+V", "In a table: paste outcome names, starting at this row"},
			{"← → ↑ ↓", "In a matrix: move between cells"},
			{"A–Z", "In a matrix: set the cell to the outcome with these letters"},
			{"Space", "In a matrix: clear the cell"},
		}}},
	}
}

var templates = workbench.Templates(files)

type option = workbench.Option

type cut struct {
	Path     string
	From     string
	Outcomes []option
	Mark     page.Mark
	Drop     string
}

// lead is one keyword of a leader line.
type lead struct {
	Name     string
	Start    string
	StartAt  string // JSON Pointer
	Path     string
	Listed   bool
	Outcomes []option
	Mark     page.Mark
}

type line struct {
	Number   int
	Path     string
	Sentence string
	Off      bool
	Switch   string // patch that switches it off or on
	Kind     string // as documents call it: rule, bands, leader, table, matrix, closest
	Open     bool
	Marks    []page.Mark
	Up, Down string
	Drop     string
	Outcomes []option             // of a rule
	When     *workbench.Condition // of a rule, or the guard of another
	AddWhen  string               // patch: a guard
	On       []option             // of bands
	Cuts     []cut
	Below    string
	AddCut   string
	AddAt    string
	Tops     []option // bands that the advice can be asked for
	Leads    []lead
	Ties     []option
	Others   []option // rules for ties that are not in use
	Table    *table
	Matrix   *matrixLine
	Closest  *profiles
	Wanted   []targetShare // outcomes of a leader whose shares can be asked for
}

// Editor names the template of what is edited of a line.
func (l line) Editor() string { return "line-" + l.Kind }

type view struct {
	Draft     *workbench.Draft
	Lines     []line
	Otherwise []option
	Rest      page.Mark
	Adds      []add
}

// add is a button that adds a line.
type add struct {
	Says  string // what such a line does
	Name  string
	Patch string
	Focus string
	Why   string // why it cannot be added yet
}

func newView(draft *workbench.Draft, _ url.Values) (any, error) {
	d := draft.Doc
	s := &view{Draft: draft, Rest: draft.Mark(d.Otherwise)}
	for i := range d.Verdicts {
		s.Lines = append(s.Lines, s.line(i))
	}
	s.Otherwise = workbench.Outcomes(d, d.Otherwise)
	s.adds()
	return s, nil
}

// adds are the kinds of line that can be added, each as what it starts as.
func (s *view) adds() {
	d := s.Draft.Doc
	first := d.Otherwise // where a new line sends people
	for i := range d.Outcomes {
		if d.Outcomes[i].ID != d.Otherwise {
			first = d.Outcomes[i].ID
			break
		}
	}
	when := workbench.DefaultCondition(d, len(d.Questions))
	s.offer(
		add{
			Name:  "Rule",
			Says:  "Send people who meet a condition to one outcome. Combine answers, scores, country and date.",
			Focus: "/when/fact",
		},
		quiz.Verdict{When: &when, Outcome: d.Otherwise}, // no one is moved before it is filled in
	)
	s.addCuts(first)
	s.addLeaders(first)
	s.addTable()
	s.addMatrix(first)
	s.addClosest()
}

// offer offers a line to add, unless a says why there can be none; the focus of a is a place within it.
func (s *view) offer(a add, v quiz.Verdict) {
	if a.Why != "" {
		a.Focus = ""
	} else {
		a.Patch, a.Focus = quiz.JSON(workbench.AddTo("/verdicts", v)), s.next(v, a.Focus)
	}
	s.Adds = append(s.Adds, a)
}

// next is a place within a line once that is added.
func (s *view) next(v quiz.Verdict, within string) string {
	var segments []any
	for _, segment := range strings.Split(strings.TrimPrefix(within, "/"), "/") {
		segments = append(segments, segment)
	}
	return s.Draft.Doc.Next("/verdicts", v, segments...)
}

func (s *view) addCuts(first string) {
	d := s.Draft.Doc
	cuts := add{
		Name:  "Cut points on a scale",
		Says:  "Split a score into bands, each with its own outcome. The chart updates while you drag the cut points.",
		Focus: "/bands/cuts/0/from",
	}
	if answers := answersToCut(d); len(answers) > 0 {
		s.cutAnswer(answers[0], first)
	}
	if len(d.Computed) > 0 {
		c := &d.Computed[len(d.Computed)-1]
		s.offer(add{
			Name:  "Cut points on a computed value",
			Says:  "“" + quiz.FirstOf(c.Name, c.ID) + "” is cut into bands, each with its outcome.",
			Focus: "/bands/cuts/0/from",
		}, quiz.Verdict{Bands: &quiz.Bands{On: "computed." + c.ID, Cuts: []quiz.Cut{{From: rule.Int(1), Outcome: first}}}})
	}
	if len(d.Scales) == 0 {
		cuts.Why = "Add a scale in Script first."
		s.offer(cuts, quiz.Verdict{})
		return
	}
	s.offer(cuts, quiz.Verdict{Bands: &quiz.Bands{
		On:   "scale." + d.Scales[0].ID,
		Cuts: []quiz.Cut{{From: rule.Int(1), Outcome: first}},
	}})
	s.Adds = append(s.Adds, add{
		Name:  "Two endings from one score",
		Says:  "“" + d.Scales[0].Title() + "” is split at its midpoint, with one ending for each side.",
		Patch: workbench.EndingsForCut(d, 0),
		Focus: workbench.AddedLine(d, workbench.EndingsForCut(d, 0), "bands", "cuts", 1, "from"),
	})
}

// cutAnswer offers cut points straight on an answer.
func (s *view) cutAnswer(answer option, first string) {
	d := s.Draft.Doc
	fact, ops := valueOf(d, answer.Value, answer.Name)
	line := quiz.Verdict{Bands: &quiz.Bands{On: fact, Cuts: []quiz.Cut{{From: rule.Int(1), Outcome: first}}}}
	s.Adds = append(s.Adds, add{
		Name:  "Cut points on an answer",
		Says:  answer.Name + " is cut into bands, each with its outcome. Other numbers can be chosen in the line.",
		Patch: quiz.JSON(append(ops, workbench.AddTo("/verdicts", line))...),
		Focus: d.Next("/verdicts", line, "bands", "cuts", 0, "from"),
	})
}

func (s *view) addLeaders(first string) {
	d := s.Draft.Doc
	leading := add{
		Name:  "Leading keyword",
		Says:  "Answers vote for keywords, and the keyword with the most votes decides. You choose how to break ties.",
		Focus: "/leader/outcomes/" + firstKeyword(d),
	}
	if len(d.Keywords) == 0 {
		leading.Why = "Add a keyword in Script first."
	}
	leader := &quiz.Leader{Outcomes: map[string]string{}, Ties: "order"}
	for i, k := range d.Keywords {
		leader.Outcomes[k.ID] = first
		if i < len(d.Outcomes) {
			leader.Outcomes[k.ID] = d.Outcomes[i].ID
		}
	}
	s.offer(leading, quiz.Verdict{Leader: leader})
	if patch := workbench.EndingsForKeywords(d); patch != "" {
		s.Adds = append(s.Adds, add{
			Name:  "One ending per keyword",
			Says:  "Creates an ending for each keyword; the leading keyword decides.",
			Patch: patch,
			Focus: workbench.AddedLine(d, patch, "leader", "outcomes", firstKeyword(d)),
		})
	}
}

func (s *view) addTable() {
	d := s.Draft.Doc
	const facts = 3 // a table of more has more rows than anyone reads
	t := &quiz.Table{Rows: []quiz.TableRow{}}
	for i := range d.Questions {
		if q := &d.Questions[i]; kind.OfOne(q) && len(q.Choices) > 0 && len(t.Facts) < facts {
			t.Facts = append(t.Facts, "answer."+q.ID)
		}
	}
	table := add{
		Name:  "Decision table",
		Says:  "List combinations of answers as rows, each with its outcome. Gaps and overlaps are marked.",
		Focus: "/table",
	}
	if len(t.Facts) == 0 {
		table.Why = "Add a question with answers in Script first."
	}
	s.offer(table, quiz.Verdict{Table: t})
}

func firstKeyword(d *quiz.Document) string {
	if len(d.Keywords) == 0 {
		return ""
	}
	return d.Keywords[0].ID
}

func (s *view) line(i int) line {
	d := s.Draft.Doc
	at := d.At("verdicts", i)
	v := &d.Verdicts[i]
	l := line{
		Number:   i + 1,
		Path:     at,
		Sentence: d.VerdictSentence(v),
		Off:      v.Off,
		Drop:     quiz.JSON(quiz.Remove(at)),
		Kind:     verdict.RuleName,
	}
	if l.Switch = quiz.JSON(quiz.Add(at+"/off", true)); v.Off {
		l.Switch = quiz.JSON(quiz.Remove(at + "/off"))
	}
	l.Up, l.Down = workbench.Order(d, "/verdicts", i, len(d.Verdicts))
	if of := v.Line(); of != nil {
		l.Kind = of.Name()
	}
	l.Open = l.Kind != verdict.RuleName
	editors[l.Kind].show(s, &l, v)
	if v.When != nil {
		l.When = workbench.NewCondition(
			d,
			at+"/when",
			v.When,
			len(d.Questions),
			"Condition of line "+strconv.Itoa(i+1),
			l.Kind == verdict.RuleName,
		)
	} else {
		l.AddWhen = quiz.JSON(quiz.Add(at+"/when", workbench.DefaultCondition(d, len(d.Questions))))
	}
	return l
}

// editor is how lines of a kind are edited, and what is said of what they take.
type editor struct {
	show func(s *view, l *line, v *quiz.Verdict)
	// blank empties what shares fills in, for a draft that cannot be counted.
	blank func(out parts, d *quiz.Document, i int)
	// shares says what verdict line i takes; taken is by part.
	shares func(out parts, v *workbench.Counted, i int, taken map[int]float64) error
}

// editors are by the kinds of verdict lines. Each has a template "line-KIND".
var editors = map[string]editor{
	verdict.RuleName: {show: (*view).rule},
	"bands":          {func(s *view, l *line, v *quiz.Verdict) { s.bands(l, v.Bands) }, parts.blankBands, parts.bands},
	"leader":         {func(s *view, l *line, v *quiz.Verdict) { s.leader(l, v.Leader) }, nil, parts.leader},
	"table":          {func(s *view, l *line, v *quiz.Verdict) { s.table(l, v.Table) }, nil, parts.table},
	"matrix":         {func(s *view, l *line, v *quiz.Verdict) { s.matrix(l, v.Matrix) }, parts.blankMatrix, parts.matrix},
	"closest":        {func(s *view, l *line, v *quiz.Verdict) { s.closest(l, v.Closest) }, nil, parts.closest},
}

func (s *view) rule(l *line, v *quiz.Verdict) {
	l.Outcomes = workbench.Outcomes(s.Draft.Doc, v.Outcome)
	l.Marks = []page.Mark{s.Draft.Mark(v.Outcome)}
}

func (s *view) bands(l *line, b *quiz.Bands) {
	d := s.Draft.Doc
	l.On = append(s.numbersToCut(b.On), answersToCut(d)...)
	cuts := l.Path + "/bands/cuts"
	for j, c := range b.Cuts {
		place := d.Below(cuts, j)
		mark := s.Draft.Mark(c.Outcome)
		l.Cuts = append(
			l.Cuts,
			cut{
				place,
				c.From.String(),
				workbench.Outcomes(d, c.Outcome),
				mark,
				quiz.JSON(quiz.Remove(place)),
			},
		)
		l.Marks = append(l.Marks, mark)
		l.Tops = append(
			l.Tops,
			option{Name: mark.Name + upward(j, len(b.Cuts)), Value: strconv.Itoa(j), Selected: j == len(b.Cuts)-1},
		)
	}
	next := quiz.Cut{From: rule.Int(1), Outcome: d.Otherwise}
	if n := len(b.Cuts); n > 0 {
		last := b.Cuts[n-1]
		next = quiz.Cut{From: last.From.Add(rule.Int(1)), Outcome: s.unused(b)}
		l.Below = "Below " + b.Cuts[0].From.String() + ", the next line decides"
	}
	l.AddCut, l.AddAt = quiz.JSON(quiz.Add(cuts+"/-", next)), d.Next(cuts, next, "from")
}

func upward(j, n int) string {
	if j == n-1 {
		return ""
	}
	return " and above"
}

// unused is an outcome that no cut of the bands has yet, else the last one's.
func (s *view) unused(b *quiz.Bands) string {
	taken := map[string]bool{s.Draft.Doc.Otherwise: true}
	for _, c := range b.Cuts {
		taken[c.Outcome] = true
	}
	for i := range s.Draft.Doc.Outcomes {
		if id := s.Draft.Doc.Outcomes[i].ID; !taken[id] {
			return id
		}
	}
	return b.Cuts[len(b.Cuts)-1].Outcome
}

// otherRules are the rules for ties that a line could have instead of its own.
func otherRules(v *quiz.Leader) []option {
	return slices.DeleteFunc(
		[]option{{Name: "to the first keyword listed", Value: "order"}, {Name: "to the latest vote", Value: "latest"}},
		func(o option) bool { return o.Value == quiz.FirstOf(v.Ties, "order") },
	)
}

func (s *view) leader(l *line, v *quiz.Leader) {
	d := s.Draft.Doc
	l.Others = otherRules(v)
	for i, k := range d.Keywords {
		at := l.Path + "/leader/outcomes" + quiz.Pointer(k.ID)
		current, listed := v.Outcomes[k.ID]
		row := lead{
			Name: k.Title(), Path: at, Listed: listed, Mark: s.Draft.Mark(current),
			StartAt: d.At("keywords", i, "start"),
		}
		if k.Start.Sign() != 0 {
			row.Start = k.Start.String()
		}
		for i := range d.Outcomes {
			o := &d.Outcomes[i]
			row.Outcomes = append(
				row.Outcomes,
				option{Name: o.Title(), Value: o.ID, Selected: o.ID == current},
			)
		}
		none := option{Name: "Ignore in this line", Selected: !listed}
		if listed {
			none.Patch = quiz.JSON(quiz.Remove(at))
			l.Marks = append(l.Marks, row.Mark)
			if !slices.ContainsFunc(l.Wanted, func(w targetShare) bool { return w.ID == current }) {
				l.Wanted = append(l.Wanted, targetShare{row.Mark})
			}
		}
		row.Outcomes = append([]option{none}, row.Outcomes...)
		row.Outcomes = append(row.Outcomes, workbench.NewOutcome())
		l.Leads = append(l.Leads, row)
	}
	offer := func(name, value string) {
		l.Ties = append(
			l.Ties,
			option{
				Name:     name,
				Value:    value,
				Selected: value == v.Ties || value == "order" && v.Ties == "",
			},
		)
	}
	offer("the first keyword listed", "order")
	offer("the keyword voted for last", "latest")
	for i := range d.Questions {
		q := &d.Questions[i]
		if votesIn(q) {
			offer("the keyword with the most votes from “"+quiz.Shorten(q.Title(), 40)+"”", "question:"+q.ID)
		}
	}
}

func votesIn(q *quiz.Question) bool {
	for _, c := range q.Choices {
		if len(c.Votes) > 0 {
			return true
		}
	}
	for _, s := range q.Steps {
		if len(s.Votes) > 0 {
			return true
		}
	}
	return false
}
