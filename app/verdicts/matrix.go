package verdicts

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"omphalos/app/edit"
	"omphalos/app/page"
	"omphalos/app/workbench"
	"omphalos/core/kind"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// matrixLine is a matrix as it is edited: its two numbers, their cut points, and what each cell can be painted with.
type matrixLine struct {
	Shape  string // a drawing with the same one has the same cells in the same places of the document
	Edges  []edge
	Paints []paint
	Wanted []targetShare
}

// edge is one of the two numbers.
type edge struct {
	Name string // as the sheet calls it: across or down
	On   []option
	Path string // of its cut points
	Cuts []edgeCut
	Add  string
	At   string // of the cut point that is added
}

type edgeCut struct {
	Path, From, Drop string
}

// paint is an outcome that cells can lead to.
type paint struct {
	page.Mark
	Value string // as JSON: an id, or null
}

// targetShare is an outcome whose share can be asked for.
type targetShare struct {
	page.Mark
}

func (s *view) matrix(l *line, m *quiz.Matrix) {
	at := l.Path + "/matrix"
	l.Matrix = &matrixLine{Edges: []edge{
		s.edge("across", at+"/across", &m.Across, m, false), s.edge("down", at+"/down", &m.Down, m, true),
	}}
	l.Matrix.Shape = fmt.Sprint(l.Number, m.Across.On, len(m.Across.Cuts), m.Down.On, len(m.Down.Cuts))
	seen := map[string]bool{}
	for _, mark := range s.Draft.Marks {
		l.Matrix.Paints = append(l.Matrix.Paints, paint{mark, quote(mark.ID)})
	}
	for _, row := range m.Outcomes {
		for _, o := range row {
			if o != "" && !seen[string(o)] {
				seen[string(o)] = true
				l.Marks = append(l.Marks, s.Draft.Mark(string(o)))
				l.Matrix.Wanted = append(l.Matrix.Wanted, targetShare{s.Draft.Mark(string(o))})
			}
		}
	}
	l.Matrix.Paints = append(l.Matrix.Paints, paint{page.Mark{Name: "No outcome", Letters: "–", Style: -1}, "null"})
}

func quote(id string) string { return `"` + id + `"` } // ids have no signs that JSON escapes

// numbersToCut are the numbers that cut points can be on, as entries of a menu.
func (s *view) numbersToCut(current string) []option {
	d := s.Draft.Doc
	var out []option
	offer := func(name, fact string) {
		out = append(out, option{Name: name, Value: fact, Selected: fact == current})
	}
	for i := range d.Scales {
		scale := &d.Scales[i]
		offer(scale.Title()+" (points)", "scale."+scale.ID)
		offer(scale.Title()+" (% of the maximum)", "percent."+scale.ID)
		if scale.Norm != nil || current == "percentile."+scale.ID {
			offer(scale.Title()+" (percentile)", "percentile."+scale.ID)
		}
	}
	for _, k := range d.Keywords {
		offer("Votes for "+k.Title(), "keyword."+k.ID)
	}
	for _, c := range d.Computed {
		offer(quiz.FirstOf(c.Name, c.ID), "computed."+c.ID)
	}
	return out
}

// answersToCut are the answers that cut points can be on: each needs a computed value, which is made for it.
func answersToCut(d *quiz.Document) []option {
	var out []option
	for i := range d.Questions {
		q := &d.Questions[i]
		name := "The answer to “" + quiz.Shorten(q.Title(), 40) + "”"
		switch about := kind.Of(q).About(); {
		case about.Range:
			out = append(out, option{Name: name, Value: "answer." + q.ID})
		case about.Day:
			out = append(out,
				option{Name: "Years since “" + quiz.Shorten(q.Title(), 40) + "”", Value: "years_since(answer." + q.ID + ")"},
				option{Name: "Days until “" + quiz.Shorten(q.Title(), 40) + "”", Value: "days_until(answer." + q.ID + ")"})
		}
	}
	return out
}

// valueOf is the computed value with a formula: the one that is there, or a new one, which ops add.
func valueOf(d *quiz.Document, formula, name string) (fact string, ops quiz.Patch) {
	for _, c := range d.Computed {
		if strings.ReplaceAll(c.Formula, " ", "") == strings.ReplaceAll(formula, " ", "") {
			return "computed." + c.ID, nil
		}
	}
	id := quiz.Unused("v", func(id string) bool {
		return slices.ContainsFunc(d.Computed, func(c quiz.Computed) bool { return c.ID == id })
	})
	value := quiz.Computed{ID: id, Name: name, Formula: formula}
	return "computed." + id, quiz.Patch{workbench.AddTo("/computed", value)}
}

// Acts are what controls of this room alone can mean.
func Acts() map[string]edit.Acting { return map[string]edit.Acting{"bands.on": putBandsOn} }

// putBandsOn puts the cut points of a line on a number; on an answer it makes the computed value that they need.
func putBandsOn(d *quiz.Document, at string, value json.RawMessage) (edit.Change, error) {
	var fact string
	if err := json.Unmarshal(value, &fact); err != nil {
		return edit.Change{}, workbench.Refused(numberCutMissing.With(), chooseScaleOrAnswer.With())
	}
	var ops quiz.Patch
	for _, o := range answersToCut(d) {
		if o.Value == fact {
			fact, ops = valueOf(d, fact, o.Name)
			break
		}
	}
	return edit.Change{Patch: append(ops, quiz.Set(at, fact))}, nil
}

// edge is one number with its cut points: each is added and removed with its row or column of cells.
func (s *view) edge(name, at string, e *quiz.Edge, m *quiz.Matrix, down bool) edge {
	out := edge{Name: name, On: s.numbersToCut(e.On), Path: at + "/cuts"}
	cells := at[:len(at)-len(name)] + "outcomes"
	for i, from := range e.Cuts {
		c := edgeCut{Path: s.Draft.Doc.Below(out.Path, i), From: from.String()}
		if len(e.Cuts) > 1 {
			c.Drop = quiz.JSON(append([]quiz.Operation{quiz.Remove(c.Path)}, removeBand(s.Draft.Doc, cells, m, i, down)...)...)
		}
		out.Cuts = append(out.Cuts, c)
	}
	next := rule.Int(1)
	if n := len(e.Cuts); n > 0 {
		next = e.Cuts[n-1].Add(rule.Int(1))
	}
	out.Add = quiz.JSON(append([]quiz.Operation{quiz.Add(out.Path+"/-", next)}, addBand(s.Draft.Doc, cells, m, down)...)...)
	out.At = s.Draft.Doc.Next(out.Path, next)
	return out
}

// addBand adds a last row or column of cells like the one before it.
func addBand(d *quiz.Document, cells string, m *quiz.Matrix, down bool) []quiz.Operation {
	if down {
		row := []quiz.CellOutcome{}
		if n := len(m.Outcomes); n > 0 {
			row = m.Outcomes[n-1]
		}
		return []quiz.Operation{quiz.Add(cells+"/-", row)}
	}
	var out []quiz.Operation
	for i, row := range m.Outcomes {
		last := quiz.CellOutcome("")
		if len(row) > 0 {
			last = row[len(row)-1]
		}
		out = append(out, quiz.Add(d.Below(cells, i)+"/-", last))
	}
	return out
}

// removeBand removes the row or column of a cut point.
func removeBand(d *quiz.Document, cells string, m *quiz.Matrix, i int, down bool) []quiz.Operation {
	if down {
		return []quiz.Operation{quiz.Remove(d.Below(cells, i))}
	}
	var out []quiz.Operation
	for row := range m.Outcomes {
		out = append(out, quiz.Remove(d.Below(cells, row, i)))
	}
	return out
}

// addMatrix offers two numbers crossed: the first two scales, each cut once, the upper corner to another outcome.
func (s *view) addMatrix(first string) {
	d := s.Draft.Doc
	m := add{
		Name:  "Two scales crossed",
		Says:  "Combine two scores, such as fit and urgency, in a matrix. Each cell has its own outcome.",
		Focus: "/matrix/across/cuts/1",
	}
	if len(d.Scales) < 2 {
		m.Why = "Add a second scale in Script first."
		s.offer(m, quiz.Verdict{})
		return
	}
	cuts := []rule.Number{rule.Int(0), rule.Int(5)}
	rest := quiz.CellOutcome(d.Otherwise)
	s.offer(m, quiz.Verdict{Matrix: &quiz.Matrix{
		Across:   quiz.Edge{On: "scale." + d.Scales[0].ID, Cuts: cuts},
		Down:     quiz.Edge{On: "scale." + d.Scales[1].ID, Cuts: cuts},
		Outcomes: [][]quiz.CellOutcome{{rest, rest}, {rest, quiz.CellOutcome(first)}},
	}})
}
