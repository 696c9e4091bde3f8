package verdicts

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/page"
	"omphalos/app/store/documents"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
)

// crossedLine is a counted quiz whose only line is a matrix of two scales.
func crossedLine(t *testing.T) *workbench.Counted {
	t.Helper()
	v := counted(t, 3, "1", "scale.score", "2")
	d := v.Doc
	d.Scales = append(d.Scales, quiz.Scale{ID: "other"})
	for i := range d.Questions {
		d.Questions[i].Choices[2].Points["other"] = rule.Int(2)
	}
	d.Verdicts = []quiz.Verdict{{Matrix: &quiz.Matrix{
		Across:   quiz.Edge{On: "scale.score", Cuts: []rule.Number{rule.Int(0), rule.Int(3)}},
		Down:     quiz.Edge{On: "scale.other", Cuts: []rule.Number{rule.Int(1), rule.Int(9)}},
		Outcomes: [][]quiz.CellOutcome{{"low", ""}, {"high", "high"}},
	}}}
	require.Empty(t, d.Validate())
	r, err := reach.Check(t.Context(), d, reach.Options{})
	require.NoError(t, err)
	v.Report, v.Draft = r, &workbench.Draft{Doc: d, Quiz: &documents.Quiz{ID: "x"}, Marks: page.Marks(d)}
	return v
}

// Cut points come and go with their cells.
func TestCutPointsComeWithTheirCells(t *testing.T) {
	v := crossedLine(t)
	text, err := json.Marshal(v.Doc)
	require.NoError(t, err)
	view, err := newView(v.Draft, nil)
	require.NoError(t, err)
	for _, e := range view.(interface{ edges() []edge }).edges() {
		patches := []string{e.Add}
		for _, c := range e.Cuts {
			patches = append(patches, c.Drop)
		}
		for _, patch := range patches {
			p, err := quiz.ReadPatch([]byte(patch))
			require.NoError(t, err)
			edited, err := quiz.Edit(text, p)
			require.NoError(t, err)
			require.Empty(t, edited.Document.Validate(), patch)
		}
	}
}

func (s *view) edges() []edge { return s.Lines[0].Matrix.Edges }

// The drawing has every cell that can be painted, and those below the lowest cut points where someone is.
func TestTheMatrixIsDrawn(t *testing.T) {
	c, err := newCrossing(crossedLine(t), 1)
	require.NoError(t, err)
	painted, under := 0, 0
	total := 0.0
	for _, one := range c.Cells {
		if one.Path == "" {
			under++
		} else {
			painted++
		}
		total += one.Width * one.Height
		require.NotEmpty(t, one.Label)
	}
	require.Equal(t, 4, painted)
	require.Equal(t, 2, under, "three answers of 1 come to 3 and give nothing to the other scale; so do fewer")
	require.LessOrEqual(t, total, cross.Width*cross.Height+1)
	require.Contains(t, c.Say, "match no cell and continue to the next line")
	require.Contains(t, c.Say, "100% reach this line; 88.9% match no cell and continue to the next line; no one reaches 2 of the cells")
	require.Len(t, c.Cuts, 3, "the lowest across lets everybody in, and is typed")
	drawing := string(draw("crossing", c))
	require.Equal(t, painted, strings.Count(drawing, "data-cell="))
	require.Equal(t, 3, strings.Count(drawing, `role="slider"`))
	require.NotContains(t, drawing, "NaN")
}
