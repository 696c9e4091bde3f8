// Package quiztest generates random quizzes and enumerates their paths, for the tests of packages that calculate on
// quizzes.
package quiztest

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"

	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// Size bounds a random quiz.
type Size struct {
	Questions int // at most
	Choices   int // at most, of one question
	Visitor   bool
	Time      bool // conditions on weekdays and hours
	Text      bool // short texts, and conditions on them
}

type maker struct {
	*rand.Rand
	d      *quiz.Document
	size   Size
	steady bool // votes are never below 0
}

// Random returns a valid random document: scales, keywords, weights, decimals, optional questions, every scored kind,
// branches, hidden questions and every kind of verdict line.
func Random(r *rand.Rand, size Size) *quiz.Document {
	m := maker{Rand: r, d: &quiz.Document{Format: quiz.Format, Name: "Random", Settings: quiz.Settings{}}, size: size}
	for i := range 1 + r.IntN(2) {
		m.d.Scales = append(m.d.Scales, quiz.Scale{ID: fmt.Sprint("s", i), Start: m.points()})
	}
	for i := range r.IntN(4) {
		m.d.Keywords = append(m.d.Keywords, quiz.Keyword{ID: fmt.Sprint("k", i)})
	}
	for i := range 2 + r.IntN(2) {
		m.d.Outcomes = append(m.d.Outcomes, quiz.Outcome{ID: fmt.Sprint("o", i)})
	}
	for i := range m.d.Scales {
		if m.IntN(3) == 0 {
			m.d.Scales[i].Norm = m.norm()
		}
	}
	if m.IntN(3) == 0 {
		for i := range m.d.Keywords {
			m.d.Keywords[i].Start = rule.MustNumber(pick(m.Rand, "0", "1", "0.5", "-1", "2"))
		}
	}
	m.steady = m.IntN(2) == 0
	n := 1 + r.IntN(size.Questions)
	for i := range n {
		m.question(i)
	}
	for i := range m.d.Questions {
		if m.IntN(4) == 0 && i > 0 {
			m.d.Questions[i].VisibleIf = m.condition(i, 1)
		}
		for range m.IntN(3) {
			if m.IntN(2) == 0 {
				m.d.Questions[i].Branches = append(
					m.d.Questions[i].Branches,
					quiz.Branch{When: *m.condition(i+1, 1), Go: m.target(i)},
				)
			}
		}
	}
	for range r.IntN(4) {
		v := m.verdict()
		v.Off = m.IntN(9) == 0
		m.d.Verdicts = append(m.d.Verdicts, v)
	}
	m.d.Otherwise = m.outcome()
	return m.reread()
}

// reread takes the document through its JSON, as every real one comes.
func (m *maker) reread() *quiz.Document {
	b, err := json.Marshal(m.d)
	if err != nil {
		panic(err)
	}
	d, err := quiz.Read(b)
	if err != nil {
		panic(fmt.Sprintf("%v\n%s", err, b))
	}
	return d
}

func pick[T any](r *rand.Rand, list ...T) T { return list[r.IntN(len(list))] }

func (m *maker) points() rule.Number {
	return rule.MustNumber(pick(m.Rand, "0", "0", "1", "2", "-1", "3", "0.5", "-0.25", "0.1", "0.2"))
}

func (m *maker) pointMap(ids int, prefix string) map[string]rule.Number {
	out := map[string]rule.Number{}
	for i := range ids {
		if p := m.points(); m.IntN(3) > 0 && p.Sign() != 0 {
			out[fmt.Sprint(prefix, i)] = p
		}
	}
	return out
}

// votes are points of which half of the quizzes have none below 0.
func (m *maker) votes(ids int, prefix string) map[string]rule.Number {
	out := m.pointMap(ids, prefix)
	for id, n := range out {
		if m.steady && n.Sign() < 0 {
			out[id] = rule.Int(0).Sub(n)
		}
	}
	return out
}

func (m *maker) question(i int) {
	kinds := []kind.Name{
		quiz.Single, quiz.Single, quiz.Single, quiz.Multiple, quiz.Rating, quiz.NumberQ, quiz.Grid, kind.Ranking,
	}
	if m.size.Text {
		kinds = append(kinds, quiz.ShortText, quiz.Statement)
	}
	q := quiz.Question{ID: fmt.Sprint("q", i), Kind: pick(m.Rand, kinds...), Required: m.IntN(2) == 0}
	if m.IntN(4) == 0 {
		w := rule.MustNumber(pick(m.Rand, "0", "2", "0.5", "-1", "1.1"))
		q.Weight = &w
	}
	switch q.Kind {
	case quiz.Single, quiz.Multiple, quiz.Grid, kind.Ranking:
		for j := range 1 + m.IntN(m.size.Choices) {
			q.Choices = append(
				q.Choices,
				quiz.Choice{ID: fmt.Sprint("c", j), Exclusive: q.Kind == quiz.Multiple && m.IntN(5) == 0,
					Points: m.pointMap(len(m.d.Scales), "s"), Votes: m.votes(len(m.d.Keywords), "k")},
			)
		}
		if q.Kind == quiz.Multiple {
			q.Most = m.IntN(len(q.Choices) + 1)
			q.Least = m.IntN(max(q.Most, 1) + 1)
			open := 0
			for _, c := range q.Choices {
				if !c.Exclusive {
					open++
				}
			}
			if q.Least > open {
				q.Least = 0
			}
		}
		if q.Kind == kind.Ranking {
			m.places(&q)
		}
		if q.Kind == quiz.Grid {
			for j := range 1 + m.IntN(2) {
				q.Rows = append(q.Rows, quiz.Row{ID: fmt.Sprint("r", j)})
			}
		}
	case quiz.Rating, quiz.NumberQ:
		from, to := rule.Int(int64(m.IntN(3)-1)), rule.Int(int64(2+m.IntN(2)))
		q.From, q.To = &from, &to
		if m.IntN(2) == 0 {
			q.Linear = map[string]quiz.LinearPoint{"s0": {Factor: m.points(), Offset: m.points()}}
		}
		if m.IntN(2) == 0 {
			q.Steps = []quiz.Step{
				{
					From:   rule.Int(0),
					Points: m.pointMap(len(m.d.Scales), "s"),
					Votes:  m.votes(len(m.d.Keywords), "k"),
				},
				{From: rule.Int(2), Points: m.pointMap(len(m.d.Scales), "s")},
			}
		}
	}
	m.d.Questions = append(m.d.Questions, q)
}

// places sets how many choices of a ranking are put in order, and what each place counts.
func (m *maker) places(q *quiz.Question) {
	q.Most = m.IntN(len(q.Choices) + 1)
	most := q.Most
	if most == 0 {
		most = len(q.Choices)
	}
	q.Least = m.IntN(most + 1)
	if m.IntN(3) > 0 {
		for range 1 + m.IntN(len(q.Choices)+1) {
			q.Places = append(q.Places, rule.MustNumber(pick(m.Rand, "3", "2", "1", "0.5", "0", "-1")))
		}
	}
}

func (m *maker) outcome() string { return pick(m.Rand, m.d.Outcomes...).ID }

func (m *maker) target(i int) string {
	if later := len(m.d.Questions) - i - 1; later > 0 && m.IntN(2) == 0 {
		return fmt.Sprint("question:q", i+1+m.IntN(later))
	}
	return pick(m.Rand, "finish", "outcome:"+m.outcome())
}

// condition makes one over facts of the first n questions, now and then of later ones too.
func (m *maker) condition(n, depth int) *rule.Condition {
	if depth > 0 && m.IntN(3) == 0 {
		list := []rule.Condition{}
		for range m.IntN(4) {
			list = append(list, *m.condition(n, depth-1))
		}
		switch m.IntN(4) {
		case 0:
			return &rule.Condition{All: list}
		case 1:
			return &rule.Condition{Any: list}
		case 2:
			if len(list) > 0 {
				return &rule.Condition{AtLeast: 1 + m.IntN(len(list)), Of: list}
			}
		}
		return &rule.Condition{None: list}
	}
	order := func() rule.Op {
		return pick(m.Rand, rule.OpLt, rule.OpLe, rule.OpGt, rule.OpGe, rule.OpIs, rule.OpIsNot)
	}
	num := func() *rule.Operand { return rule.One(rule.Scalar{Num: m.points(), IsNum: true}) }
	text := func(s string) *rule.Operand { return rule.One(rule.Scalar{Text: s}) }
	switch kind := m.IntN(9); {
	case kind == 0 && m.size.Visitor:
		return &rule.Condition{
			Fact:  pick(m.Rand, "visitor.country", "param.src"),
			Op:    pick(m.Rand, rule.OpIs, rule.OpIsNot),
			Value: text(pick(m.Rand, "IE", "GB")),
		}
	case kind == 8 && m.size.Time:
		return &rule.Condition{
			Fact:  pick(m.Rand, "time.weekday", "time.weekday", "time.hour"),
			Op:    order(),
			Value: rule.One(rule.Scalar{Num: rule.Int(int64(m.IntN(9))), IsNum: true}),
		}
	case kind == 1 && len(m.d.Keywords) > 0:
		return &rule.Condition{
			Fact:  "leader",
			Op:    pick(m.Rand, rule.OpIs, rule.OpIsNot),
			Value: text(pick(m.Rand, m.d.Keywords...).ID),
		}
	case kind == 2 && len(m.d.Keywords) > 0:
		return &rule.Condition{Fact: "keyword." + pick(m.Rand, m.d.Keywords...).ID, Op: order(), Value: num()}
	case kind == 3:
		return &rule.Condition{Fact: fmt.Sprint("percent.s", m.IntN(len(m.d.Scales))), Op: order(),
			Value: rule.One(
				rule.Scalar{Num: rule.MustNumber(pick(m.Rand, "0", "50", "33.3333", "100")), IsNum: true},
			)}
	case kind <= 5:
		return &rule.Condition{Fact: fmt.Sprint("scale.s", m.IntN(len(m.d.Scales))), Op: order(), Value: num()}
	}
	return m.answerCondition(&m.d.Questions[m.IntN(min(len(m.d.Questions), n+1))])
}

func (m *maker) answerCondition(q *quiz.Question) *rule.Condition {
	c := &rule.Condition{Fact: "answer." + q.ID}
	if m.IntN(4) == 0 {
		c.Op = pick(m.Rand, rule.OpBlank, rule.OpAnswered)
		return c
	}
	switch q.Kind {
	case quiz.Rating, quiz.NumberQ:
		c.Op = pick(m.Rand, rule.OpLt, rule.OpGe, rule.OpIs, rule.OpIsNot, rule.OpBetween)
		v := rule.Scalar{Num: rule.Int(int64(m.IntN(4) - 1)), IsNum: true}
		c.Value = rule.One(v)
		if c.Op == rule.OpBetween {
			c.Value = &rule.Operand{IsList: true, List: []rule.Scalar{v, {Num: v.Num.Add(rule.Int(1)), IsNum: true}}}
		}
		return c
	case quiz.Single, quiz.Grid, quiz.Multiple, kind.Ranking:
		if q.Kind == quiz.Grid {
			c.Fact += "." + pick(m.Rand, q.Rows...).ID
		}
		v := rule.Scalar{Text: pick(m.Rand, q.Choices...).ID}
		if q.Kind == kind.Ranking && m.IntN(2) == 0 {
			c.Fact += ".first"
		} else if q.Kind == quiz.Multiple || q.Kind == kind.Ranking {
			c.Op, c.Value = rule.OpHas, rule.One(v)
			return c
		}
		c.Op = pick(m.Rand, rule.OpIs, rule.OpIsNot, rule.OpIn, rule.OpNotIn)
		if c.Op == rule.OpIs || c.Op == rule.OpIsNot {
			c.Value = rule.One(v)
		} else {
			c.Value = &rule.Operand{IsList: true, List: []rule.Scalar{v, {Text: pick(m.Rand, q.Choices...).ID}}}
		}
		return c
	}
	c.Op = rule.OpAnswered
	return c
}

func (m *maker) verdict() quiz.Verdict {
	var v quiz.Verdict
	if m.IntN(3) == 0 {
		v.When = m.condition(len(m.d.Questions), 2)
	}
	switch m.IntN(5) {
	case 0:
		e := m.edge()
		v.Bands = &quiz.Bands{On: e.On}
		for _, at := range e.Cuts {
			v.Bands.Cuts = append(v.Bands.Cuts, quiz.Cut{From: at, Outcome: m.outcome()})
		}
		return v
	case 3:
		v.Matrix = m.matrix()
		return v
	case 1:
		if len(m.d.Keywords) == 0 {
			break
		}
		v.Leader = &quiz.Leader{
			Outcomes: map[string]string{},
			Ties:     pick(m.Rand, "", "order", "latest", "question:"+pick(m.Rand, m.d.Questions...).ID),
		}
		for _, k := range m.d.Keywords {
			if m.IntN(4) > 0 || len(v.Leader.Outcomes) == 0 {
				v.Leader.Outcomes[k.ID] = m.outcome()
			}
		}
		return v
	case 4:
		if m.IntN(2) == 0 {
			v.Closest = m.closest()
			return v
		}
	case 2:
		if t := m.table(); t != nil {
			v.Table = t
			return v
		}
	}
	if v.When == nil {
		v.When = m.condition(len(m.d.Questions), 2)
	}
	v.Outcome = m.outcome()
	return v
}

// closest are profiles of some outcomes in one or two numbers.
func (m *maker) closest() *quiz.Closest {
	c := &quiz.Closest{Profiles: map[string][]rule.Number{}, Ties: pick(m.Rand, "", "order")}
	for range 1 + m.IntN(2) {
		on := fmt.Sprint(pick(m.Rand, "scale.s", "percent.s"), m.IntN(len(m.d.Scales)))
		if len(m.d.Keywords) > 0 && m.IntN(3) == 0 {
			on = "keyword." + pick(m.Rand, m.d.Keywords...).ID
		}
		c.On = append(c.On, on)
	}
	for _, o := range m.d.Outcomes {
		if m.IntN(4) == 0 && len(c.Profiles) > 0 {
			continue
		}
		var profile []rule.Number
		for range c.On {
			profile = append(profile, rule.MustNumber(pick(m.Rand, "0", "1", "2.5", "-1", "50", "33.3333")))
		}
		c.Profiles[o.ID] = profile
	}
	return c
}

// edge is a number with cut points.
func (m *maker) edge() quiz.Edge {
	e := quiz.Edge{On: fmt.Sprint(pick(m.Rand, "scale.s", "percent.s", "percentile.s"), m.IntN(len(m.d.Scales)))}
	at := rule.MustNumber(pick(m.Rand, "0", "0.3", "-1", "20"))
	for range 1 + m.IntN(3) {
		e.Cuts = append(e.Cuts, at)
		at = at.Add(rule.MustNumber(pick(m.Rand, "1", "0.5", "30")))
	}
	return e
}

func (m *maker) matrix() *quiz.Matrix {
	x := &quiz.Matrix{Across: m.edge(), Down: m.edge()}
	for range x.Down.Cuts {
		var row []quiz.CellOutcome
		for range x.Across.Cuts {
			cell := quiz.CellOutcome("")
			if m.IntN(4) > 0 {
				cell = quiz.CellOutcome(m.outcome())
			}
			row = append(row, cell)
		}
		x.Outcomes = append(x.Outcomes, row)
	}
	return x
}

// norm is one over a few values.
func (m *maker) norm() quiz.Norm {
	var out quiz.Norm
	left := 100
	for at := -1; left > 0; at++ {
		share := min(left, 1+m.IntN(60))
		out = append(out, quiz.NormPoint{rule.Int(int64(at)), rule.Ratio(rule.Int(int64(share)), rule.Int(100))})
		left -= share
	}
	return out
}

func (m *maker) table() *quiz.Table {
	var singles []*quiz.Question
	for i := range m.d.Questions {
		if m.d.Questions[i].Kind == quiz.Single {
			singles = append(singles, &m.d.Questions[i])
		}
	}
	if len(singles) == 0 {
		return nil
	}
	t := &quiz.Table{}
	for range 1 + m.IntN(2) {
		t.Facts = append(t.Facts, "answer."+pick(m.Rand, singles...).ID)
	}
	for range 1 + m.IntN(3) {
		row := quiz.TableRow{Outcome: m.outcome()}
		for _, f := range t.Facts {
			var cell quiz.Cell
			if m.IntN(3) > 0 {
				q := &m.d.Questions[m.d.Question(f[len("answer."):])]
				cell = quiz.Cell{{Text: pick(m.Rand, q.Choices...).ID}, {Text: pick(m.Rand, q.Choices...).ID}}
			}
			row.Cells = append(row.Cells, cell)
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}
