package leads

import (
	"html/template"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/page"
	"omphalos/app/store/responses"
	"omphalos/app/workbench"
	"omphalos/core/insight"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

func TestAnswersInWords(t *testing.T) {
	n := rule.MustNumber("2.5")
	choices := []quiz.Choice{{ID: "a", Label: "Air"}, {ID: "b"}}
	for _, c := range []struct {
		q    quiz.Question
		a    walk.Answer
		want string
	}{
		{quiz.Question{Kind: quiz.Single, Choices: choices}, walk.Answer{Picks: []string{"a"}}, "Air"},
		{quiz.Question{Kind: quiz.Single, Choices: choices}, walk.Answer{Picks: []string{"gone"}}, "gone"},
		{quiz.Question{Kind: quiz.Multiple, Choices: choices}, walk.Answer{Picks: []string{"a", "b"}, Other: "else"}, "Air, b, else"},
		{quiz.Question{Kind: quiz.NumberQ, Unit: "m"}, walk.Answer{Number: &n}, "2.5 m"},
		{quiz.Question{Kind: quiz.Grid, Choices: choices, Rows: []quiz.Row{{ID: "r", Label: "Rain"}, {ID: "s"}}}, walk.Answer{Rows: map[string]string{"r": "a"}}, "Rain: Air"},
		{quiz.Question{Kind: quiz.ShortText}, walk.Answer{Text: "=1+1"}, "=1+1"},
		{quiz.Question{Kind: quiz.ShortText}, walk.Answer{}, "blank"},
	} {
		require.Equal(t, c.want, c.a.Words(&c.q))
	}
	require.Equal(t, "+2.5", signed(n))
	require.Equal(t, "−3", signed(rule.Int(-3)))
	require.Equal(t, "48 s", duration(48*time.Second))
	require.Equal(t, "1 min 8 s", duration(68*time.Second))
}

// Many different numbers are put into a few ranges that hold each of them once, blanks apart.
func TestNumbersInRanges(t *testing.T) {
	c := &crossTable{asked: map[string]int{"a": 101}, values: map[string]map[string]int{}}
	put := func(value string, n int) {
		c.values[value] = map[string]int{"a": n}
		c.order = append(c.order, value)
	}
	put("", 1)
	for i := range 100 {
		put(strconv.Itoa(i*7-20), 1)
	}
	got := c.inRanges()
	require.True(t, got.ranges)
	require.LessOrEqual(t, len(numbers(got)), mostValues)
	sum := 0
	for _, name := range numbers(got) {
		sum += total(got.values[name])
	}
	require.Equal(t, 100, sum)
	require.Equal(t, "−100 to under 0", numbers(got)[0])
	require.Equal(t, 3, total(got.values["−100 to under 0"])) // −20, −13, −6
	require.Equal(t, 1, total(got.values[""]))

	few := &crossTable{values: map[string]map[string]int{"10": {"a": 1}, "9.5": {"a": 1}, "": {"a": 2}}, order: []string{"", "10", "9.5"}}
	require.Same(t, few, few.inRanges())
	require.Equal(t, []string{"9.5", "10"}, numbers(few))
}

// Dates that were answered are read by month, or by year where there are many; what is typed is listed, the newest
// first.
func TestWhatWasTyped(t *testing.T) {
	doc := &quiz.Document{Outcomes: []quiz.Outcome{{ID: "o", Name: "O"}}, Questions: []quiz.Question{
		{ID: "day", Kind: quiz.Date}, {ID: "note", Kind: quiz.LongText},
		{ID: "how", Kind: quiz.Single, Choices: []quiz.Choice{{ID: "a"}, {ID: "else", Other: true}}}, {ID: "plain", Kind: quiz.Single, Choices: []quiz.Choice{{ID: "a"}}},
	}}
	d := &workbench.Draft{Doc: doc, Marks: page.Marks(doc)}
	require.True(t, isTyped(&doc.Questions[2]))
	require.False(t, isTyped(&doc.Questions[3]))
	s := &typedAnswers{map[string][]saidText{}, map[string]map[string]map[string]int{}}
	r := &responses.Response{ID: "r", Outcome: "o"}
	for _, day := range []string{"2026-03-01", "2026-03-31", "2026-05-02", "", "soon"} {
		s.add(&doc.Questions[0], r, walk.Answer{Text: day})
	}
	s.add(&doc.Questions[2], r, walk.Answer{Picks: []string{"else"}, Other: "By bicycle"})
	for range 9 {
		s.add(&doc.Questions[1], r, walk.Answer{Text: "Words"})
	}
	require.Equal(t, []saidText{{"r", "By bicycle"}}, s.texts["how"])
	require.Len(t, s.texts["note"], mostSaid)
	v := &questionView{Texts: true}
	v.months(d, s.months["day"])
	require.Len(t, v.Bars, 2)
	require.Equal(t, []any{"March 2026", 2, "May 2026", 1}, []any{v.Bars[0].Name, v.Bars[0].Count, v.Bars[1].Name, v.Bars[1].Count})
	require.True(t, v.Dates && !v.Texts)
	for i := range 30 {
		s.add(&doc.Questions[0], r, walk.Answer{Text: time.Date(2020+i, 1, 1, 0, 0, 0, 0, time.UTC).Format(time.DateOnly)})
	}
	v = &questionView{}
	v.months(d, s.months["day"])
	require.Equal(t, "2020", v.Bars[0].Name)
	require.Equal(t, 4, v.Bars[6].Count)
}

// What is expected is put into the same ranges as what came, and drawn over it.
func TestWhatIsExpectedOfAScore(t *testing.T) {
	bins := []insight.Bin{{From: 0, To: 2, Count: 10}, {From: 2, To: 4, Count: 30}}
	points := []reach.Point{{Value: rule.Int(0), Share: 0.25}, {Value: rule.Int(1), Share: 0.25}, {Value: rule.Int(3), Share: 0.4}, {Value: rule.Int(9), Share: 0.1}}
	got := promise(bins, points, 40)
	require.InDeltaSlice(t, []float64{20, 16}, got, 1e-9)
	d := &quiz.Document{Scales: []quiz.Scale{{ID: "s", Name: "S"}}}
	choose := func(insight.Bin) template.URL { return "" }
	svg := string(spreadChart(d, 0, bins, got, choose))
	require.Contains(t, svg, `class="expectedline" d="M0 84.0V28.0H190.0V39.2H380.0V84.0"`)
	require.NotContains(t, string(spreadChart(d, 0, bins, promise(bins, nil, 40), choose)), "expectedline")
}
