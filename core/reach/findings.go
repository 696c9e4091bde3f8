package reach

import (
	"fmt"
	"slices"
	"strings"

	"omphalos/core/fact"
	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/say"
	"omphalos/core/walk"
)

// Severities of findings.
const (
	Error   = "error"   // it cannot have been meant
	Warning = "warning" // it is probably not what was meant
	Note    = "note"    // worth knowing
)

// Finding is something that the specialist should look at.
type Finding struct {
	Code     string         `json:"code"`
	Severity string         `json:"severity"`
	Where    string         `json:"where"` // JSON Pointer
	Message  string         `json:"message"`
	Share    *float64       `json:"share,omitempty"`
	Values   []string       `json:"values,omitempty"`
	Witness  map[string]any `json:"witness,omitzero"`

	// Said is Message with its code and arguments, for other languages.
	Said say.Text `json:"-"`
}

// Found completes a finding: it says its message.
func Found(f Finding) Finding {
	f.Message = f.Said.String()
	return f
}

// In says the finding in the language of a list of sentences by code.
func (f Finding) In(list map[string]string) Finding {
	if f.Said.Code() != "" {
		f.Message = f.Said.In(list)
	}
	return f
}

// Faults are the findings of severity error.
func (r *Report) Faults() []Finding {
	return slices.DeleteFunc(slices.Clone(r.Findings), func(f Finding) bool { return f.Severity != Error })
}

func (k *checker) find(f Finding) { k.r.Findings = append(k.r.Findings, Found(f)) }

// findings says what is wrong or worth knowing, in document order within each kind.
func (k *checker) findings() {
	k.unreachable()
	k.impossible()
	if k.counted != nil {
		k.verdicts()
		k.tables()
		k.uncovered()
		k.influences()
	}
	k.addresses()
	k.names()
	k.translations()
}

func (k *checker) unreachable() {
	d := k.m.d
	for i, o := range k.r.Outcomes {
		if o.Reachable || o.Settled == Unsettled {
			continue
		}
		f := Finding{Code: "unreachable_outcome", Severity: Error, Where: quiz.Pointer("outcomes", i),
			Said: noRespondentCanReachOutcome.With(d.Outcomes[i].Title())}
		switch {
		case d.Otherwise == o.ID:
			f.Severity = Warning
			f.Said = verdictLinesMatchEveryRespondent.With(d.Outcomes[i].Title())
		case !k.m.isNamed(o.ID):
			f.Said = noVerdictLineOrBranch.With(d.Outcomes[i].Title())
		}
		k.find(f)
	}
	if k.counted == nil {
		return
	}
	for q := range k.m.n() {
		if !k.counted.tables[q].anybody() {
			k.find(Finding{Code: "unreachable_question", Severity: Error, Where: quiz.Pointer("questions", q),
				Said: noRespondentAskedQuestionCheck.With(q+1, d.Questions[q].Title())})
		}
	}
}

// impossible finds conditions that can never hold.
func (k *checker) impossible() {
	d := k.m.d
	slips := map[string]bool{}
	d.EachCondition(func(at string, c *rule.Condition) {
		if name, ok := k.slip(c); ok {
			slips[at] = true
			k.find(Finding{Code: "impossible_condition", Severity: Error, Where: at,
				Said: conditionCanNeverTrueAllows.With(name)})
		}
	})
	if k.counted == nil {
		return
	}
	never := func(at string, c *rule.Condition) {
		for slip := range slips {
			if strings.HasPrefix(slip, at) {
				return // said already, and closer to the place
			}
		}
		k.find(Finding{Code: "impossible_condition", Severity: Error, Where: at,
			Said: conditionCanNeverTrueNo.With(d.Sentence(c))})
	}
	c := k.counted
	for q := range k.m.n() {
		if r := c.p.rootOf[q]; r >= 0 && c.truth[r][0] && !c.truth[r][1] {
			never(quiz.Pointer("questions", q, "visible_if"), d.Questions[q].VisibleIf)
		}
		for b, r := range c.p.branchAt[q] {
			if c.tables[q].anybody() && !c.truth[r][1] {
				never(quiz.Pointer("questions", q, "branches", b, "when"), &d.Questions[q].Branches[b].When)
			}
		}
	}
	if len(k.final.verdicts) == 0 {
		return // every walk ends by a branch
	}
	for i := range d.Verdicts {
		if d.Verdicts[i].When == nil || d.Verdicts[i].Table != nil || d.Verdicts[i].Off {
			continue
		}
		at := slices.IndexFunc(k.m.lines, func(l line) bool { return l.number == i+1 })
		if !k.final.ever[at] {
			never(quiz.Pointer("verdicts", i, "when"), d.Verdicts[i].When)
		}
	}
}

// typo finds the usual one: an "all" with two answers of one single choice.
func (k *checker) slip(c *rule.Condition) (string, bool) {
	allowed := map[string][]string{}
	for _, sub := range c.All {
		if sub.Op != rule.OpIs && sub.Op != rule.OpIn || sub.Value == nil || !k.oneAnswer(sub.Fact) {
			continue
		}
		var values []string
		for _, v := range sub.Value.List {
			values = append(values, v.String())
		}
		if before, seen := allowed[sub.Fact]; seen {
			values = slices.DeleteFunc(values, func(v string) bool { return !slices.Contains(before, v) })
		}
		if allowed[sub.Fact] = values; len(values) == 0 {
			return k.m.d.FactName(sub.Fact), true
		}
	}
	return "", false
}

// oneAnswer reports whether a fact is one of several things and never two: a single choice, a row of a grid, the
// leader.
func (k *checker) oneAnswer(name string) bool {
	if class := fact.ClassOf(name); class == fact.Leader || class == fact.Before && !fact.Find(name).Type.Day() {
		return true
	}
	_, f := k.m.d.AnswerFact(name)
	return f != nil && f.Type != rule.SetType && f.Type != rule.OrderType
}

// verdicts finds lines that never decide, bands that no one falls in, and ties.
func (k *checker) verdicts() {
	d, f := k.m.d, k.final
	for i := range d.Verdicts {
		if d.Verdicts[i].Off {
			continue
		}
		decides := false
		for j, l := range k.m.lines {
			decides = decides || l.number == i+1 && f.lineGot[j]
		}
		if !decides {
			k.find(Finding{Code: "dead_verdict", Severity: Warning, Where: quiz.Pointer("verdicts", i),
				Said: lineNeverDecidesBecauseLines.With(i + 1)})
			continue
		}
		for j, l := range k.m.lines {
			if l.number != i+1 {
				continue
			}
			l.body.findings(k, i, j)
			if f.tieAt[j] >= 0 {
				share := f.tied[j]
				k.find(
					Finding{Code: "tie", Severity: Note, Where: quiz.Pointer("verdicts", i, "leader"), Share: &share,
						Said: respondentsHaveTieInLine.With(Percent(share), i+1),
						Witness: k.witness(
							k.counted.traceFinal(f.tieAt[j]),
							(*walk.Result).TieRule,
						)},
				)
			}
		}
	}
}

// Percent writes a share of 1 for the beginning of a sentence: “12.5%”, “Less than 0.1%”.
func Percent(share float64) string {
	if share > 0 && share < 0.0005 {
		return "Less than 0.1%"
	}
	return strings.TrimSuffix(fmt.Sprintf("%.1f", 100*share), ".0") + "%"
}

func bandName(cuts []rule.Number, i int) string {
	if i+1 < len(cuts) {
		return fmt.Sprintf("from %s to under %s", cuts[i], cuts[i+1])
	}
	return "from " + cuts[i].String()
}

// tables finds combinations that no row of a table covers, and rows that overlap, among walks that come to the table.
func (k *checker) tables() {
	for i := range k.m.d.Verdicts {
		t := k.m.d.Verdicts[i].Table
		if t == nil || k.m.d.Verdicts[i].Off {
			continue
		}
		first := slices.IndexFunc(k.m.lines, func(l line) bool { return l.number == i+1 })
		if first < 0 {
			continue
		}
		met := k.meet(t, first)
		if met.gap >= 0 && k.m.plant(k.m.d.Verdicts[i].When) == trueNode {
			k.tableGap(i, t, met.gap)
		}
		for _, pair := range met.pairs {
			k.tableOverlap(i, t, pair, met.overlap[pair])
		}
	}
}

// tableMet is what the walks that come to a table find there, each with a state that shows it.
type tableMet struct {
	gap     int            // a state for which no row holds, −1 for none
	pairs   [][2]int       // of rows that hold together, from above
	overlap map[[2]int]int // a state of each pair
}

// meet takes every state that comes to a table, whose first row is line first of the model, to all its rows.
func (k *checker) meet(t *quiz.Table, first int) tableMet {
	c, n := k.counted, k.m.n()
	vec := make([]int64, c.p.end)
	met := tableMet{gap: -1, overlap: map[[2]int]int{}}
	for s := range c.tables[n].people() {
		if v := k.final.verdicts[s]; v.line >= 0 && v.line < first {
			continue // taken by a line before
		}
		c.p.unpack(n, c.tables[n].key(s), vec)
		var rows []int
		for r := range t.Rows {
			if c.p.evaluate(int32(vec[c.p.lineAt[first+r]]), vec) {
				rows = append(rows, r)
			}
		}
		if len(rows) == 0 && met.gap < 0 {
			met.gap = s
		}
		for a, upper := range rows {
			for _, lower := range rows[a+1:] {
				pair := [2]int{upper, lower}
				if _, seen := met.overlap[pair]; !seen {
					met.overlap[pair] = s
					met.pairs = append(met.pairs, pair)
				}
			}
		}
	}
	slices.SortFunc(met.pairs, func(a, b [2]int) int { return slices.Compare(a[:], b[:]) })
	return met
}

// shownValues is how many values a message lists.
const shownValues = 3

func (k *checker) tableGap(i int, t *quiz.Table, state int) {
	values := k.uncoveredRows(t)
	shown := strings.Join(values[:min(shownValues, len(values))], "; ")
	message := tableDoesntCoverThese.With(i+1, shown)
	if more := len(values) - shownValues; more > 0 {
		message = tableDoesntCoverMore.With(i+1, shown, more)
	} else if len(values) == 0 {
		message = tableDoesntCover.With(i + 1)
	}
	k.find(Finding{
		Code:     "table_gap",
		Severity: Warning,
		Where:    quiz.Pointer("verdicts", i, "table"),
		Values:   values,
		Said:     addRowsThemOrLeave.With(message),
		Witness:  k.anyWitness(state),
	})
}

func (k *checker) tableOverlap(i int, t *quiz.Table, pair [2]int, state int) {
	severity, what := Warning, upperRowWins
	if t.Rows[pair[0]].Outcome == t.Rows[pair[1]].Outcome {
		severity, what = Note, bothLeadToSame
	}
	k.find(Finding{
		Code:     "table_overlap",
		Severity: severity,
		Where:    quiz.Pointer("verdicts", i, "table", "rows", pair[1]),
		Said:     rowsTableInLineMatch.With(pair[0]+1, pair[1]+1, i+1, what.With()),
		Witness:  k.anyWitness(state),
	})
}

// anyWitness is a walk that comes to the verdicts in a state.
func (k *checker) anyWitness(state int) map[string]any {
	in := k.counted.traceFinal(state)
	return k.witness(in, func(*walk.Result) bool { return true })
}

// maxCombinations bounds how many combinations of a table are listed.
const maxCombinations = 20_000

// uncoveredRows lists the combinations of the table's facts that no row covers, where all facts are choices.
func (k *checker) uncoveredRows(t *quiz.Table) []string {
	type value struct {
		v    rule.Value
		name string
	}
	var columns [][]value
	total := 1
	for _, fact := range t.Facts {
		s := k.m.slotOf(fact)
		if _, f := k.m.d.AnswerFact(fact); f == nil || f.Type != rule.ChoiceType {
			return nil
		}
		q := &k.m.d.Questions[k.m.slots[s].q]
		if fact != "answer."+q.ID {
			return nil
		}
		var list []value
		for j := range q.Choices {
			list = append(list, value{rule.TextValue(q.Choices[j].ID), q.Choices[j].Title()})
		}
		asked := 0.0
		for _, p := range k.counted.tables[k.m.slots[s].q].p {
			asked += p
		}
		if !q.Required || asked < 1-1e-9 {
			list = append(list, value{rule.Value{}, "no answer"})
		}
		columns = append(columns, list)
		if total *= len(list); total > maxCombinations {
			return nil
		}
	}
	var out []string
	for n := range total {
		at, rest := make([]value, len(columns)), n
		for i := len(columns) - 1; i >= 0; i-- {
			at[i], rest = columns[i][rest%len(columns[i])], rest/len(columns[i])
		}
		covered := slices.ContainsFunc(t.Rows, func(row quiz.TableRow) bool {
			for i, cell := range row.Cells {
				if cell != nil && !rule.Compare(at[i].v, rule.OpIn, &rule.Operand{IsList: true, List: cell}) {
					return false
				}
			}
			return true
		})
		if !covered {
			names := make([]string, len(at))
			for i := range at {
				names[i] = at[i].name
			}
			out = append(out, strings.Join(names, ", "))
		}
	}
	return out
}
