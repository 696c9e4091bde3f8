package verdicts

import (
	"fmt"
	"html/template"
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

// counted is a quiz of n questions with answers of 0, step and 2 × step points, cut at the given values.
func counted(t *testing.T, n int, step string, on string, cuts ...string) *workbench.Counted {
	t.Helper()
	d := quiz.New("Axis")
	d.Outcomes = []quiz.Outcome{{ID: "thanks"}, {ID: "low"}, {ID: "high"}}
	gap := rule.MustNumber(step)
	for i := range n {
		q := quiz.Question{ID: fmt.Sprint("q", i), Kind: quiz.Single, Required: true}
		for j := range 3 {
			q.Choices = append(q.Choices, quiz.Choice{ID: fmt.Sprint("a", j), Points: map[string]rule.Number{"score": gap.Mul(rule.Int(int64(j)))}})
		}
		d.Questions = append(d.Questions, q)
	}
	b := &quiz.Bands{On: on}
	for i, c := range cuts {
		b.Cuts = append(b.Cuts, quiz.Cut{From: rule.MustNumber(c), Outcome: []string{"low", "high"}[i%2]})
	}
	d.Verdicts = []quiz.Verdict{{Bands: b}}
	require.Empty(t, d.Validate())
	r, err := reach.Check(t.Context(), d, reach.Options{})
	require.NoError(t, err)
	return &workbench.Counted{Draft: &workbench.Draft{Doc: d, Quiz: &documents.Quiz{ID: "x"}, Marks: page.Marks(d)}, Report: r, Context: t.Context()}
}

func TestTheNumberLineShowsEveryValue(t *testing.T) {
	v := counted(t, 3, "1", "scale.score", "2", "4")
	a, err := newAxis(v, 1)
	require.NoError(t, err)
	require.Len(t, a.Bars, 7, "0 to 6")
	require.Len(t, a.Cuts, 2)
	require.Equal(t, "Respondents who reach this line score 0–6", a.Say)
	for i := 1; i < len(a.Bars); i++ {
		require.Greater(t, a.Bars[i].X, a.Bars[i-1].X)
		require.LessOrEqual(t, a.Bars[i].X+a.Bars[i].Width, float64(axisWidth+2*axisLeft)+1)
	}
	require.Equal(t, -1, a.Bars[0].Style, "below the lowest cut the line does not match")
	require.Equal(t, v.Mark("low").Style, a.Bars[2].Style)
	require.Equal(t, v.Mark("high").Style, a.Bars[4].Style)
	require.InDelta(t, a.Bars[2].X-1, a.Cuts[0].X, 0.01, "a cut stands at the left of its value's bar")
	require.Equal(t, "2", a.Cuts[1].Least)
	require.Equal(t, "4", a.Cuts[0].Most)
}

func TestTheNumberLineNamesWhatNobodyGets(t *testing.T) {
	for name, c := range map[string]struct {
		n    int
		step string
		on   string
		cuts []string
		say  string
		bars int
	}{
		"by twos":           {2, "2", "scale.score", []string{"1"}, "Respondents who reach this line score 0–8", 5},
		"a cut above all":   {1, "1", "scale.score", []string{"9"}, "Respondents who reach this line score 0–2", 10},
		"a decimal step":    {2, "0.5", "scale.score", []string{"1"}, "Respondents who reach this line score 0–2", 5},
		"percent":           {1, "1", "percent.score", []string{"50"}, "Respondents who reach this line score 0–100%", 3},
		"too many for bars": {60, "1", "scale.score", []string{"60"}, "Respondents who reach this line score 0–120", 60},
	} {
		a, err := newAxis(counted(t, c.n, c.step, c.on, c.cuts...), 1)
		require.NoError(t, err, name)
		require.Contains(t, a.Say, c.say, name)
		require.Len(t, a.Bars, c.bars, name)
		total := 0
		for _, b := range a.Bars {
			if !b.Nobody {
				total++
			}
		}
		require.Positive(t, total, name)
		require.LessOrEqual(t, len(a.Marks), maxTicks, name)
	}
	// Two questions of which one weighs three times as much: 3, 4 and 5 are got, 1 only alone.
	v := counted(t, 1, "5", "scale.score", "1")
	v.Doc.Questions[0].Choices[1].Points["score"] = rule.Int(1)
	v.Doc.Questions[0].Choices[2].Points["score"] = rule.Int(4)
	r, err := reach.Check(t.Context(), v.Doc, reach.Options{})
	require.NoError(t, err)
	v.Report = r
	a, err := newAxis(v, 1)
	require.NoError(t, err)
	require.Equal(t, "Respondents who reach this line score 0–4; these can’t occur: 2, 3", a.Say)
	require.True(t, a.Bars[2].Nobody)
}

// The stream narrows by what each line takes, and in the end nothing is left.
func TestTheStreamNarrows(t *testing.T) {
	v := counted(t, 3, "1", "scale.score", "2", "4")
	v.Doc.Verdicts = append([]quiz.Verdict{{Off: true}}, v.Doc.Verdicts...)
	r, err := reach.Check(t.Context(), v.Doc, reach.Options{})
	require.NoError(t, err)
	v.Report = r
	s := newStream(v)
	require.Len(t, s.Steps, 2, "a line that is off has no step")
	require.Equal(t, "line 2", s.Steps[0].Label)
	before := float64(streamWidth)
	for _, step := range s.Steps {
		require.InDelta(t, before, step.All, 1e-9)
		width := 0.0
		for _, p := range step.Parts {
			width += p.Width
		}
		require.InDelta(t, step.All-step.Left, width, 1e-9, "what is taken is shown by outcome")
		before = step.Left
	}
	require.InDelta(t, 0, before, 1e-9)

	parts, err := shares(v)
	require.NoError(t, err)
	require.Equal(t, template.HTML("off"), parts["share-1"])
	require.True(t, strings.HasSuffix(string(parts["share-2"]), "%"))
	require.Contains(t, string(parts["axis-2"]), `role="slider"`)
	v.Report = nil
	parts, err = shares(v)
	require.NoError(t, err)
	for id, html := range parts {
		require.Empty(t, html, "%s shows no stale figure", id)
	}
}

func TestATableIsFilledWithWhatIsMissing(t *testing.T) {
	d := quiz.New("Table")
	ab := []quiz.Choice{{ID: "a", Label: "A"}, {ID: "b", Label: "B"}}
	d.Questions = []quiz.Question{{ID: "x", Kind: quiz.Single, Choices: ab}, {ID: "y", Kind: quiz.Single, Choices: ab}, {ID: "n", Kind: quiz.ShortText}}
	cell := func(id string) quiz.Cell { return quiz.Cell{{Text: id}} }
	table := &quiz.Table{Facts: []string{"answer.x", "answer.y"}, Rows: []quiz.TableRow{{Cells: []quiz.Cell{cell("a"), nil}, Outcome: "thanks"}, {Cells: []quiz.Cell{cell("b"), cell("b")}, Outcome: "thanks"}}}
	missing, all := Uncovered(d, table)
	require.True(t, all)
	require.Len(t, missing, 1)
	require.Equal(t, []quiz.Cell{cell("b"), cell("a")}, missing[0].Cells)
	require.Equal(t, d.Otherwise, missing[0].Outcome)
	table.Rows = append(table.Rows, missing...)
	missing, all = Uncovered(d, table)
	require.True(t, all)
	require.Empty(t, missing)
	_, all = Uncovered(d, &quiz.Table{Facts: []string{"answer.n"}})
	require.False(t, all, "words cannot be listed")
	_, all = Uncovered(d, &quiz.Table{Facts: []string{"visitor.country"}})
	require.False(t, all, "too many")
	_, all = Uncovered(d, &quiz.Table{})
	require.False(t, all)
}
