package score

import (
	"bytes"
	"encoding/csv"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
	"omphalos/core/walk"
)

func compiled(t *testing.T) *walk.Compiled {
	t.Helper()
	points := func(n int64) map[string]rule.Number { return map[string]rule.Number{"score": rule.Int(n)} }
	d := quiz.New("Table")
	d.Questions = []quiz.Question{
		{ID: "m", Kind: quiz.Multiple, Choices: []quiz.Choice{{ID: "a", Label: "A|B", Points: points(1)}, {ID: "b", Label: "C", Points: points(10)}}},
		{ID: "care", Kind: quiz.Grid, Rows: []quiz.Row{{ID: "water"}, {ID: "light"}}, Choices: []quiz.Choice{{ID: "o", Label: "Often", Points: points(100)}, {ID: "r", Label: "Rarely"}}},
	}
	d.Params = []string{"src"}
	d.Outcomes = append(d.Outcomes, quiz.Outcome{ID: "gb"}, quiz.Outcome{ID: "fair"}, quiz.Outcome{ID: "old"})
	is := func(fact string, op rule.Op, v string) *rule.Condition {
		return &rule.Condition{Fact: fact, Op: op, Value: rule.One(rule.Scalar{Text: v})}
	}
	d.Verdicts = []quiz.Verdict{{When: is("visitor.country", rule.OpIs, "GB"), Outcome: "gb"}, {When: is("param.src", rule.OpIs, "fair"), Outcome: "fair"}, {When: is("today", rule.OpLt, "2026-01-01"), Outcome: "old"}}
	c, err := walk.New(d)
	require.NoError(t, err)
	return c
}

func scored(t *testing.T, text, today string) (string, []BadCell, error) {
	t.Helper()
	var out bytes.Buffer
	bad, err := Table(compiled(t), strings.NewReader(text), &out, today)
	return out.String(), bad, err
}

func TestTablesAsSpreadsheetsWriteThem(t *testing.T) {
	for in, want := range map[string]string{
		"\ufeffm,care.water,care.light\r\na|b,Often,r\r\n": "m,care.water,care.light|a|b,Often,r,111",
		"m\nA|B\n":              "m|A|B,1",     // a label with the separator in it
		"m\nb | a\n":            "m|b | a,11",  // spaces around
		"m,who\nC\n":            "m,who|C,,10", // a short row
		"who,care.light\nx,o\n": "who,care.light|x,o,100",
		"\"m\"\n\"\"\n":         "m|,0",          // blank
		"who,who\nx,y\n":        "who,who|x,y,0", // other columns may come twice
	} {
		out, bad, err := scored(t, in, "2026-03-01")
		require.NoError(t, err, in)
		require.Empty(t, bad, in)
		lines := strings.Split(strings.TrimSpace(out), "\n")
		head, row := lines[0], lines[1]
		head = strings.TrimSuffix(head, ",scale.score,percent.score,leader,outcome,verdict,path")
		cells := strings.Split(row, ",")
		require.Equal(t, want, head+"|"+strings.Join(cells[:len(cells)-5], ","), in)
	}
}

func TestFactsBesideTheAnswers(t *testing.T) {
	for in, want := range map[string]string{
		"visitor.country\nGB\n": "gb,1", "param.src\nfair\n": "fair,2", "today\n2025-12-31\n": "old,3", "who\nx\n": "thanks,0",
	} {
		out, _, err := scored(t, in, "2026-03-01")
		require.NoError(t, err)
		require.Contains(t, out, ","+want+",m|care\n", in)
	}
	out, _, err := scored(t, "who\nx\n", "2025-06-01")
	require.NoError(t, err)
	require.Contains(t, out, ",old,3,")
}

func TestTablesThatCannotBeRead(t *testing.T) {
	for in, says := range map[string]string{"": "is empty", "m,m\na,b\n": "the column \"m\" appears twice; remove one"} {
		_, _, err := scored(t, in, "")
		require.ErrorContains(t, err, says, in)
	}
	_, bad, err := scored(t, "m\na,b,c\n", "")
	require.NoError(t, err)
	require.Len(t, bad, 1)
	require.Contains(t, bad[0].Error(), "more cells than columns")
	out, bad, err := scored(t, "who,m\nx,a\ny,\"a\"b\nz,a\n", "2026-03-01")
	require.NoError(t, err)
	require.Len(t, bad, 1)
	require.Contains(t, bad[0].Error(), "row 3: a quotation mark isn’t closed, or text follows the closing one; put the whole cell in quotes, and double those within it")
	lines := strings.Split(strings.TrimSpace(out), "\n")
	require.Len(t, lines, 4, "a bad line keeps its place")
	require.True(t, strings.HasPrefix(lines[2], "y,") && strings.HasSuffix(lines[2], ",,,,"), lines[2])
	require.Contains(t, lines[3], ",thanks,0,", "the rest is read")
}

// Hours and weekdays are columns; a weekday that is not given is that of the day.
func TestTimesAreColumns(t *testing.T) {
	d, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"Open","questions":[{"id":"q","kind":"statement"}],
		"outcomes":[{"id":"open"},{"id":"late"},{"id":"weekend"}],"otherwise":"open","verdicts":[
		{"when":{"fact":"time.weekday","op":"ge","value":6},"outcome":"weekend"},
		{"when":{"fact":"time.hour","op":"ge","value":18},"outcome":"late"}]}`))
	require.NoError(t, err)
	c, err := walk.New(d)
	require.NoError(t, err)
	var out strings.Builder
	in := "today,time.weekday,time.hour\n2026-12-05,,9\n2026-12-05,2,9\n2026-12-04,,18\n2026-12-04,,\n,7,0\n2026-12-04,8,9\n,,24\n"
	bad, err := Table(c, strings.NewReader(in), &out, "")
	require.NoError(t, err)
	require.Len(t, bad, 2)
	require.Equal(t, "time.weekday", bad[0].Column)
	require.Equal(t, "time.hour", bad[1].Column)
	rows, err := csv.NewReader(strings.NewReader(out.String())).ReadAll()
	require.NoError(t, err)
	at := slices.Index(rows[0], "outcome")
	var got []string
	for _, row := range rows[1:] {
		got = append(got, row[at])
	}
	require.Equal(t, []string{"weekend", "open", "late", "open", "weekend"}, got[:5])
}
