package edit

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/documents"
	"omphalos/core/quiz"
)

func TestATableIsCheckedByLineAndColumn(t *testing.T) {
	table := func(columns []string, rows ...[]string) *documents.Table {
		return &documents.Table{Name: "regions", Columns: columns, Rows: rows}
	}
	for name, c := range map[string]struct {
		table *documents.Table
		want  string
	}{
		"fine":             {table([]string{"key", "url"}, []string{"ie", "https://example.org/{area}"}), ""},
		"no columns":       {table(nil), "at least one column"},
		"a column unnamed": {table([]string{"key", ""}), "column 2"},
		"a column twice":   {table([]string{"key", "key"}), "column 2"},
		"cells missing":    {table([]string{"key", "url"}, []string{"ie"}), "row 1 has 1 cells, but the table has 2 columns."},
		"no key":           {table([]string{"key", "url"}, []string{"", "x"}), "row 1 has no value for key."},
		"a key twice":      {table([]string{"key"}, []string{"a"}, []string{"b"}, []string{"a"}), "rows 1 and 3 have the same key, a."},
		"an address":       {table([]string{"key", "link"}, []string{"a", "javascript:alert(1)"}), "line 1, link"},
		"a bad name":       {&documents.Table{Name: "No Name", Columns: []string{"key"}}, "start a table name with a lower-case letter; use only lower-case letters, digits and hyphens."},
	} {
		err := checkTable(c.table, []string{"url", "link"}, false)
		if c.want == "" {
			require.NoError(t, err, name)
			continue
		}
		require.Error(t, err, name)
		require.Contains(t, strings.ToLower(err.Error()), c.want, name)
	}
	messy := table([]string{" key "}, []string{" a "}, []string{"  "})
	tidy(messy)
	require.Equal(t, []string{"key"}, messy.Columns)
	require.Equal(t, [][]string{{"a"}}, messy.Rows)
}

func TestWhatIsTypedIsCheckedBeforeItIsStored(t *testing.T) {
	e, q := editor(t, `"outcomes":[{"id":"o","ending":{"kind":"page","buttons":[{"label":"x","url":""}],"lookup":{"table":"t","key":"k","column":"c","fallback":""}}},{"id":"p","ending":{"kind":"redirect"}}],"otherwise":"o"`)
	for path, c := range map[string]struct {
		value any
		ok    bool
	}{
		"/outcomes/0/ending/url":             {"https://example.org/{?a}", true},
		"/outcomes/1/ending/url":             {"/local", false},
		"/outcomes/0/ending/buttons/0/url":   {"data:text/html,x", false},
		"/outcomes/0/ending/lookup/fallback": {"ftp://x", false},
		"/outcomes/0/heading":                {"javascript:alert(1)", true},
		"/theme/colour":                      {"#12345g", false},
		"/theme/background":                  {"#123456", true},
		"/theme/words/next":                  {"Weiter", true},
		"/settings/show_score":               {true, true},
	} {
		base, err := e.store.Documents.RevisionNow(q.ID)
		require.NoError(t, err)
		_, err = e.Apply(t.Context(), ada, q.ID, Edit{Base: base, Patch: quiz.Patch{quiz.Add(path, c.value)}})
		if c.ok {
			require.NoError(t, err, path)
			continue
		}
		var failed *Error
		require.ErrorAs(t, err, &failed, path)
		require.Equal(t, Refused, failed.Kind)
		require.Equal(t, path, failed.Problems[0].Where)
	}
	// Whole parts, imports and tables keep the same rule.
	whole := quiz.Ending{Kind: quiz.EndRedirect, URL: "javascript:alert(1)"}
	_, err := e.Apply(t.Context(), ada, q.ID, Edit{Base: 5, Patch: quiz.Patch{quiz.Add("/outcomes/1/ending", whole)}})
	require.Equal(t, Refused, KindOf(err))
	_, err = e.Create(ada, []byte(`{"format":"omphalos-quiz/1","name":"X","questions":[],"outcomes":[{"id":"o","ending":{"kind":"redirect","url":"javascript:alert(1)"}}],"otherwise":"o"}`))
	require.Equal(t, Refused, KindOf(err))
	require.ErrorContains(t, err, "The address must start with https:// or http://.")
	// The column that a look-up sends people to is one of addresses, whatever it is called.
	table := &documents.Table{Name: "t", Columns: []string{"key", "c", "c de"}, Rows: [][]string{{"a", "", "javascript:alert(1)"}}}
	require.Equal(t, Refused, KindOf(e.SaveTable(ada, q.ID, 0, table)))
	table.Rows[0][2] = "https://example.org/de"
	require.NoError(t, e.SaveTable(ada, q.ID, 0, table))
	require.Equal(t, Stale, KindOf(e.SaveTable(ada, q.ID, 0, table)))
	require.NoError(t, e.DropTable(ada, q.ID, "t"))
	require.Equal(t, Gone, KindOf(e.DropTable(ada, q.ID, "t")))
}

// What was there before a rule is not the fault of the next edit; it can be fixed, and it cannot be launched.
func TestAnOldFaultHindersNoEditAndEveryLaunch(t *testing.T) {
	e, _ := editor(t, `"outcomes":[{"id":"o"}],"otherwise":"o"`)
	text := `{"format":"omphalos-quiz/1","name":"X","questions":[{"id":"q","kind":"statement","text":"T"}],"outcomes":[{"id":"o","ending":{"kind":"redirect","url":"http://0x7f.1/"}}],"otherwise":"o"}`
	q, err := e.store.Documents.CreateQuizText("X", []byte(text)) // as an earlier program took it
	require.NoError(t, err)
	_, err = e.Apply(t.Context(), ada, q.ID, Edit{Patch: quiz.Patch{quiz.Add("/name", "Y")}})
	require.NoError(t, err)
	_, err = e.Launch(t.Context(), ada, Launch{Quiz: q.ID, Base: 1, Link: "x", Anyway: true})
	require.Equal(t, Refused, KindOf(err))
	_, err = e.Apply(t.Context(), ada, q.ID, Edit{Base: 1, Patch: quiz.Patch{quiz.Add("/outcomes/0/ending/url", "https://example.org/")}})
	require.NoError(t, err)
	_, err = e.Launch(t.Context(), ada, Launch{Quiz: q.ID, Base: 1, Link: "x", Anyway: true})
	require.Equal(t, Stale, KindOf(err), "it was changed since")
	_, err = e.Launch(t.Context(), ada, Launch{Quiz: q.ID, Base: 2, Link: "No link", Anyway: true})
	require.Equal(t, Refused, KindOf(err))
	_, err = e.Launch(t.Context(), ada, Launch{Quiz: q.ID, Base: 2, Link: "x", Anyway: true})
	require.NoError(t, err)
	_, err = e.Launch(t.Context(), Actor{}, Launch{Quiz: q.ID, Base: 2, Link: "x", Anyway: true})
	require.Equal(t, Forbidden, KindOf(err))
}
