package leads

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/workbench"
	"omphalos/core/quiz"
)

const past = `{"format":"omphalos-quiz/1","name":"P","questions":[
	{"id":"area","kind":"single","text":"How large?","choices":[{"id":"s","label":"Small"},{"id":"l","label":"Large"}]},
	{"id":"again","kind":"single","text":"How large?","choices":[{"id":"s","label":"Small"}]},
	{"id":"say","kind":"statement","text":"Hello"},{"id":"heard","kind":"short_text","text":"Source"},
	{"id":"g","kind":"grid","text":"Rate","rows":[{"id":"r","label":"Light"}],"choices":[{"id":"a","label":"A"}]}],
	"contact":{"place":"before_outcome","fields":[{"id":"tel","kind":"phone","label":"Phone"}]},
	"params":["utm_source"],"outcomes":[{"id":"o"}],"otherwise":"o"}`

// Columns are known by their id, by the names that exports use, and by the wording of the quiz; what people choose goes
// first.
func TestColumnsAreMatched(t *testing.T) {
	d, err := quiz.Read([]byte(past))
	require.NoError(t, err)
	taking := newTaking(d)
	for _, c := range []struct{ chosen, head, want string }{
		{"", "area", "area"}, {"", "answer.area", "area"}, {"", " how LARGE? ", "area"}, {"", "finished", "at"}, {"", "Date", "at"},
		{"", "Rate Light", "g.r"}, {"", "Rate · Light", "g.r"}, {"", "Phone", "tel"}, {"", "Email", "email"}, {"", "Source", "heard"}, {"", "contact.tel", "tel"},
		{"", "param.utm_source", "param.utm_source"}, {"", "Remarks", ""}, {"", "say", ""}, {"", "", ""},
		{"How large? (again)", "Remarks", "again"}, {"Leave out", "area", leftOut}, {"Email address", "area", "email"},
		{"no such name", "area", "area"},
	} {
		require.Equal(t, c.want, taking.columnFor(c.chosen, c.head), "%q %q", c.chosen, c.head)
	}
	require.Len(t, taking.id, len(taking.names), "every name is another")
}

// A heading of very many columns is refused before anything is drawn of it, and what is drawn grows with the columns
// alone.
func TestTablesOfManyColumnsAreRefused(t *testing.T) {
	d, err := quiz.Read([]byte(past))
	require.NoError(t, err)
	draft := &workbench.Draft{Doc: d, Zone: time.UTC}
	none := func(int) string { return "" }
	_, err = readPast(draft, d, "x", "at"+strings.Repeat(",x", mostColumns), none, time.Now())
	require.ErrorContains(t, err, "more than 2,000 columns")
	b, err := readPast(draft, d, "x", "when it was,How large?,Remarks\n2026-01-01,Large,none\n", none, time.Now())
	require.ErrorContains(t, err, "choose the column")
	require.Equal(t, []string{leftOut, "How large?", leftOut}, []string{b.Columns[0].As, b.Columns[1].As, b.Columns[2].As})
}
