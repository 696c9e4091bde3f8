package paths

import (
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/page"
	"omphalos/app/store/documents"
	"omphalos/app/workbench"
	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/reach"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

// Of any quiz the map has every question and outcome; what goes into the verdicts and what branches send comes to all
// respondents, and every example that is lit is a walk of the quiz.
func TestTheMapShowsEverybody(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 1))
	arcs, lit := 0, 0
	for range 80 {
		d := quiztest.Random(r, quiztest.Size{Questions: 6, Choices: 3})
		report, err := reach.Check(t.Context(), d, reach.Options{})
		require.NoError(t, err)
		v := &workbench.Counted{Draft: &workbench.Draft{Doc: d, Quiz: &documents.Quiz{ID: "x"}, Marks: page.Marks(d)}, Report: report, Context: t.Context()}
		m := newMap(v, selection{Question: -1}, nil, true)
		require.Len(t, m.Ends, len(d.Outcomes))
		require.Len(t, m.Stations, len(d.Questions)+1)
		total := 0.0
		for _, rb := range m.Ribbons {
			require.NotContains(t, rb.D, "NaN")
			if !rb.Nobody {
				total++
			}
		}
		require.Positive(t, total)
		for i := 1; i < len(m.Stations); i++ {
			require.Greater(t, m.Stations[i].Y, m.Stations[i-1].Y)
		}
		for i := 1; i < len(m.Ends); i++ {
			require.GreaterOrEqual(t, m.Ends[i].Y-m.Ends[i-1].Y, 58, "outcomes do not cover each other")
		}
		for _, e := range m.Ends {
			require.Less(t, e.Y+30, m.Height)
		}
		html := string(page.Execute(templates, "map", m))
		require.NotContains(t, html, "ZgotmplZ", "every link can be followed")
		for _, a := range m.Arcs {
			require.GreaterOrEqual(t, a.X-50, float64(m.Left), "what arcs say has room")
		}
		require.GreaterOrEqual(t, m.Left+m.Width, endX+endW)
		for i, q := range report.Questions {
			s := m.Stations[i]
			require.Equal(t, q.Asked == 0, s.Below == "No one is asked this")
			require.Equal(t, q.Asked > 0 && report.Exact && q.Matters, strings.Contains(s.Below, "explains"))
		}
		arcs += len(m.Arcs)
		h := &Handler{}
		for _, o := range report.Outcomes {
			l, err := h.walkOf(v, selection{Question: -1, Outcome: o.ID})
			require.NoError(t, err)
			require.Equal(t, !o.Reachable, l.Nobody)
			if o.Reachable {
				require.Equal(t, o.ID, l.Outcome)
				lit++
			}
		}
		for i := range d.Questions {
			l, err := h.walkOf(v, selection{Question: i})
			require.NoError(t, err)
			if !l.Nobody {
				require.Contains(t, l.Path, d.Questions[i].ID)
			}
			for _, b := range d.Questions[i].Branches {
				l, err := h.walkOf(v, selection{Question: -1, From: d.Questions[i].ID, To: b.Go})
				require.NoError(t, err)
				if l.Nobody || !strings.HasPrefix(b.Go, "outcome:") {
					continue
				}
				require.Equal(t, strings.TrimPrefix(b.Go, "outcome:"), l.Outcome)
			}
		}
	}
	require.Greater(t, arcs, 20)
	require.Greater(t, lit, 80)
}

func TestSixtyQuestionsStayReadable(t *testing.T) {
	d := quiz.New("Sixty")
	for i := range 60 {
		d.Questions = append(d.Questions, quiz.Question{ID: "q" + strconv.Itoa(i), Kind: quiz.Single, Required: true, Choices: []quiz.Choice{{ID: "a"}, {ID: "b"}}})
	}
	report, err := reach.Check(t.Context(), d, reach.Options{})
	require.NoError(t, err)
	v := &workbench.Counted{Draft: &workbench.Draft{Doc: d, Quiz: &documents.Quiz{ID: "x"}, Marks: page.Marks(d)}, Report: report, Context: t.Context()}
	m := newMap(v, selection{Question: -1}, nil, true)
	for i := 1; i < len(m.Stations); i++ {
		require.GreaterOrEqual(t, m.Stations[i].Y-m.Stations[i-1].Y, 34)
	}
	require.True(t, m.Small)
}

// What a question asks is shown as far as nothing else stands there.
func TestTitlesTakeTheRoomThereIs(t *testing.T) {
	d := quiz.New("Long")
	for i := range 30 {
		d.Questions = append(d.Questions, quiz.Question{ID: "q" + strconv.Itoa(i), Kind: quiz.Single, Required: true, Text: strings.Repeat("word ", 30),
			Choices: []quiz.Choice{{ID: "a", Label: "A"}, {ID: "b", Label: "B"}}})
	}
	lengths := func() (first, last int) {
		report, err := reach.Check(t.Context(), d, reach.Options{})
		require.NoError(t, err)
		m := newMap(&workbench.Counted{Draft: &workbench.Draft{Doc: d, Quiz: &documents.Quiz{ID: "x"}, Marks: page.Marks(d)}, Report: report, Context: t.Context()}, selection{Question: -1}, nil, true)
		return len([]rune(m.Stations[0].Title)), len([]rune(m.Stations[29].Title))
	}
	first, last := lengths()
	require.InDelta(t, 64, first, 5)
	require.InDelta(t, 38, last, 5, "beside the outcome")
	d.Questions[3].Branches = []quiz.Branch{{When: rule.Condition{Fact: "answer.q3", Op: rule.OpIs, Value: rule.One(rule.Scalar{Text: "a"})}, Go: "outcome:" + d.Outcomes[0].ID}}
	first, _ = lengths()
	require.InDelta(t, 38, first, 5, "ribbons cross the map")
}

// Of every way that someone takes the map says its share, and an example that goes over it goes over it indeed.
func TestEveryWayHasItsShareAndItsExample(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 8))
	ways, examples := 0, 0
	for range 120 {
		d := quiztest.Random(r, quiztest.Size{Questions: 5, Choices: 3})
		report, err := reach.Check(t.Context(), d, reach.Options{})
		require.NoError(t, err)
		v := &workbench.Counted{Draft: &workbench.Draft{Doc: d, Quiz: &documents.Quiz{ID: "x"}, Marks: page.Marks(d)}, Report: report, Context: t.Context()}
		compiled, err := walk.New(d)
		require.NoError(t, err)
		leaving := map[string]float64{}
		for _, e := range report.Edges {
			require.Equal(t, page.Percent(e.Share)+" of respondents take this path.", share(v, e.From, e.To))
			leaving[e.From] += e.Share
			ways++
			witness, found := walksOver(v, e.From, e.To)
			if !found {
				continue // no outcome's own example goes there
			}
			examples++
			result := compiled.Walk(reach.InputOf(d, witness))
			at := slices.Index(result.Path, e.From)
			require.GreaterOrEqual(t, at, 0)
			require.Equal(t, e.To, result.Exit(at))
		}
		for _, q := range report.Questions {
			require.InDelta(t, q.Asked, leaving[q.ID], 1e-9, "who is asked goes on somewhere")
		}
		require.Equal(t, "No respondent takes this path.", share(v, d.Questions[0].ID, "question:nowhere"))
		_, found := walksOver(v, d.Questions[0].ID, "question:nowhere")
		require.False(t, found)
	}
	require.Greater(t, ways, 300)
	require.Greater(t, examples, 150)
}
