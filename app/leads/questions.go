package leads

import (
	"fmt"
	"html/template"
	"net/url"
	"strings"

	"omphalos/app/page"
	"omphalos/app/store/tallies"
	"omphalos/app/workbench"
	"omphalos/core/insight"
	"omphalos/core/kind"
	"omphalos/core/quiz"
)

// questionView is how a question was answered, and where those who answered so ended.
type questionView struct {
	Number   int
	ID       string
	Title    string
	Answered int
	Blank    int
	Explains string // how much of the outcome, in words
	Bits     string // the same as mutual information
	Idle     bool   // it tells next to nothing
	Says     string // what it is worth, in words
	Note     string // what its bars show, where that is not how many answered so
	Bars     []answerBar
	Texts    bool       // its answers are typed: they are in the table of people
	Said     []saidText // the newest of what was typed
	Dates    bool       // its bars are months of the newest responses
	Left     int        // how many went no further
	Drop     string     // the patch that leaves it out of the draft; "" where it is worth its place, or something names it
}

// answerBar is one answer, split by outcome.
type answerBar struct {
	Name  string
	Pick  template.URL // the filter of those who answered so; "" where they cannot be told apart
	Count int
	Share string
	Parts []barPart
}

type barPart struct {
	page.Mark
	X, Width float64 // of 100
}

// crossTable are the answers to one field by outcome.
type crossTable struct {
	asked  map[string]int // by outcome
	values map[string]map[string]int
	order  []string
	ranges bool                  // values are ranges of numbers
	bins   map[string][2]float64 // the bounds of each range
}

func (h *Handler) questions(v *view) ([]questionView, error) {
	d := v.Draft
	list, err := h.Store.Tallies.AnswerOutcomes(d.Quiz.ID)
	if err != nil {
		return nil, err
	}
	fields := map[string]*crossTable{}
	for _, a := range list {
		c := fields[a.Field]
		if c == nil {
			c = &crossTable{asked: map[string]int{}, values: map[string]map[string]int{}}
			fields[a.Field] = c
		}
		if a.Value == tallies.ValueAsked {
			c.asked[a.Outcome] += a.Count
			continue
		}
		if c.values[a.Value] == nil {
			c.values[a.Value] = map[string]int{}
			c.order = append(c.order, a.Value)
		}
		c.values[a.Value][a.Outcome] += a.Count
	}
	steps, err := h.Store.Tallies.StageCounts(d.Quiz.ID, tallies.StageStep)
	if err != nil {
		return nil, err
	}
	said := newSaid()
	if !v.public {
		if said, err = h.readTyped(d); err != nil {
			return nil, err
		}
	}
	var out []questionView
	for i := range d.Doc.Questions {
		q := &d.Doc.Questions[i]
		if kind.Of(q).About().Silent {
			continue
		}
		one := newQuestion(d, i, q, fields)
		one.Left, one.Said = dropOuts(d, i, steps), said.texts[q.ID]
		one.months(d, said.months[q.ID])
		if one.Idle {
			one.leaveOut(d, i)
		}
		if v.public {
			one.Drop = ""
			for j := range one.Bars {
				one.Bars[j].Pick = ""
			}
		}
		out = append(out, one)
	}
	return out, nil
}

// dropOuts is how many came to a question and no further, where everyone continues from it to the next one.
func dropOuts(d *workbench.Draft, i int, steps map[string]int) int {
	q := &d.Doc.Questions[i]
	next := d.Counts.Finishes
	if len(q.Branches) > 0 {
		return 0
	}
	if i+1 < len(d.Doc.Questions) {
		if d.Doc.Questions[i+1].VisibleIf != nil {
			return 0
		}
		next = steps[d.Doc.Questions[i+1].ID]
	}
	return max(0, steps[q.ID]-next)
}

// leaveOut says what a question costs that tells nothing, and offers the draft without it.
func (v *questionView) leaveOut(d *workbench.Draft, i int) {
	if v.Left > 0 {
		v.Says = fmt.Sprintf(
			"This question loses %s and barely affects the outcome.",
			page.Plural(v.Left, "respondent", "respondents"),
		)
	}
	patch := quiz.Patch(workbench.DropQuestion(d.Doc, i))
	without, err := quiz.Edit(d.Quiz.Document, patch)
	if err == nil && len(without.Document.Validate()) <= len(d.Doc.Validate()) {
		v.Drop = quiz.JSON(d.Doc.Refer(patch)...)
	}
}

func newQuestion(d *workbench.Draft, i int, q *quiz.Question, fields map[string]*crossTable) questionView {
	v := questionView{Number: i + 1, ID: q.ID, Title: q.Title()}
	c := fields[q.ID]
	if c == nil {
		v.Says = "No one has answered this question yet."
		return v
	}
	asked := 0
	for _, n := range c.asked {
		asked += n
	}
	v.Blank = total(c.values[tallies.ValueBlank])
	v.Answered = asked - v.Blank
	about := kind.Of(q).About()
	if about.Range && !about.Scale {
		c = c.inRanges()
	}
	v.Explains, v.Bits, v.Says = worth(d, c, about)
	v.Idle = v.Says != ""
	switch {
	case about.Rows:
		for _, row := range q.Rows {
			v.rows(d, q, fields[q.ID+"."+row.ID], q.ID+"."+row.ID, quiz.FirstOf(row.Label, row.ID)+": ", asked)
		}
	case about.Ordered:
		v.Note = "Shares of first places"
		v.rows(d, q, fields[q.ID+kind.FirstPart], "", "", asked)
	case about.Scores():
		v.rows(d, q, c, q.ID, "", asked)
	default:
		v.Texts = true
	}
	return v
}

func total(byOutcome map[string]int) int {
	n := 0
	for _, k := range byOutcome {
		n += k
	}
	return n
}

// worth is what knowing the answer tells of the outcome: as a share of all that there is to know, and in words.
func worth(d *workbench.Draft, c *crossTable, about *kind.About) (explains, bits, says string) {
	if about.Many || about.Rows {
		return "", "", "" // answers of several are tallied apart: what they tell together is not known here
	}
	var cross, ends insight.Crossing
	for value, outcomes := range c.values {
		for outcome, n := range outcomes {
			cross.AddMany(value, outcome, n)
		}
	}
	for outcome, n := range c.asked {
		ends.AddMany(outcome, outcome, n)
	}
	information, all := cross.Information(), ends.Information()
	if all <= 0 {
		return "", "", ""
	}
	share := information / all
	explains = "explains " + page.Percent(share) + " of the outcome"
	bits = fmt.Sprintf("%.2f bits of information about the outcome", information)
	if share < 0.01 {
		says = "This question barely affects the outcome."
	}
	return explains, bits, says
}

// rows adds a bar for each answer: the choices in their order, numbers by size, and a blank at the end.
func (v *questionView) rows(d *workbench.Draft, q *quiz.Question, c *crossTable, field, prefix string, asked int) {
	if c == nil || asked == 0 {
		return
	}
	var values []string
	for _, choice := range q.Choices {
		values = append(values, choice.ID)
	}
	if kind.Of(q).About().Range {
		values = numbers(c)
	}
	for _, id := range values {
		name := id
		if at := q.Choice(id); at >= 0 {
			name = q.Choices[at].Title()
		}
		filter := template.URL("")
		if field != "" {
			filter = pick(field, id)
		}
		if b, inRange := c.bins[id]; inRange {
			filter = rangeQuery("questions", field, b[0], b[1])
		}
		v.bar(d, c.values[id], prefix+name, asked, filter)
	}
	for _, id := range c.order { // answers that the draft has no longer, and those that are not told apart
		switch {
		case id == tallies.ValueOthers:
			v.bar(d, c.values[id], prefix+"others", asked, "")
		case id != tallies.ValueBlank && q.Choice(id) < 0 && len(q.Choices) > 0:
			v.bar(d, c.values[id], prefix+id+" (deleted)", asked, pick(field, id))
		}
	}
	if blank := c.values[tallies.ValueBlank]; total(blank) > 0 && prefix == "" {
		v.bar(d, blank, "left blank", asked, pick(field, tallies.ValueBlank))
	}
}

// pick is the filter of those who gave an answer.
func pick(field, value string) template.URL {
	return template.URL(url.Values{"answer": {field + ":" + value}, "view": {"questions"}}.Encode())
}

func (v *questionView) bar(d *workbench.Draft, outcomes map[string]int, name string, asked int, pick template.URL) {
	n := total(outcomes)
	b := answerBar{Name: name, Pick: pick, Count: n, Share: page.Percent(float64(n) / float64(asked))}
	x := 0.0
	put := func(m page.Mark, k int) {
		width := 100 * float64(k) / float64(asked)
		m.Count = k
		b.Parts = append(b.Parts, barPart{m, x, width})
		x += width
	}
	known := map[string]bool{}
	for _, m := range d.Marks {
		known[m.ID] = true
		if k := outcomes[m.ID]; k > 0 {
			put(m, k)
		}
	}
	for id, k := range outcomes {
		if !known[id] {
			put(d.Mark(id), k)
		}
	}
	v.Bars = append(v.Bars, b)
}

// Drawn is the bar as a picture.
func (b answerBar) Drawn() template.HTML {
	var s strings.Builder
	var says []string
	for _, p := range b.Parts {
		says = append(says, fmt.Sprintf("%s %d", p.Name, p.Count))
	}
	label := template.HTMLEscapeString(strings.Join(says, ", "))
	s.WriteString(
		`<svg class="splitbar" viewBox="0 0 100 10" preserveAspectRatio="none" role="img" aria-label="` + label + `">`,
	)
	for _, p := range b.Parts {
		fmt.Fprintf(&s, `<rect class="f%d" x="%.2f" y="0" width="%.2f" height="10"/>`, p.Style, p.X, p.Width)
	}
	s.WriteString("</svg>")
	return template.HTML(s.String())
}
