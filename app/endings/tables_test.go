package endings

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/core/quiz"
)

func TestATableIsCheckedByLineAndColumn(t *testing.T) {
	table := func(columns []string, rows ...[]string) *store.Table {
		return &store.Table{Name: "regions", Columns: columns, Rows: rows}
	}
	for name, c := range map[string]struct {
		table *store.Table
		want  string
	}{
		"fine":             {table([]string{"key", "url"}, []string{"ie", "https://example.org/{area}"}), ""},
		"no columns":       {table(nil), "at least one column"},
		"a column unnamed": {table([]string{"key", ""}), "column 2"},
		"a column twice":   {table([]string{"key", "key"}), "column 2"},
		"cells missing":    {table([]string{"key", "url"}, []string{"ie"}), "line 1 has 1 cells for 2 columns"},
		"no key":           {table([]string{"key", "url"}, []string{"", "x"}), "line 1 has no key"},
		"a key twice":      {table([]string{"key"}, []string{"a"}, []string{"b"}, []string{"a"}), "lines 1 and 3"},
		"an address":       {table([]string{"key", "link"}, []string{"a", "javascript:alert(1)"}), "line 1, link"},
		"a bad name":       {&store.Table{Name: "No Name", Columns: []string{"key"}}, "small letters"},
	} {
		err := checkTable(c.table)
		if c.want == "" {
			require.NoError(t, err, name)
			continue
		}
		require.ErrorContains(t, err, c.want, name)
	}
	messy := table([]string{" key "}, []string{" a "}, []string{"  "})
	tidy(messy)
	require.Equal(t, []string{"key"}, messy.Columns)
	require.Equal(t, [][]string{{"a"}}, messy.Rows)
}

func TestWhatIsTypedIsCheckedBeforeItIsStored(t *testing.T) {
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
		err := check(quiz.Patch{quiz.Add(path, c.value)})
		if c.ok {
			require.NoError(t, err, path)
			continue
		}
		var ps quiz.Problems
		require.ErrorAs(t, err, &ps, path)
		require.Equal(t, path, ps[0].Where)
	}
}
