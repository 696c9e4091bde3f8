package workbench

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/core/quiz"
)

func TestTablesThatAreAskedForMustBeThere(t *testing.T) {
	d := quiz.New("Tables")
	d.Questions = []quiz.Question{{ID: "place", Kind: quiz.Single, Text: "Where?", ChoicesFrom: &quiz.ChoicesFrom{Table: "places", Label: "name"}}}
	d.Outcomes = []quiz.Outcome{
		{ID: "thanks", Ending: &quiz.Ending{Kind: quiz.EndProducts, Products: []string{"fern"}}},
		{ID: "go", Ending: &quiz.Ending{Kind: quiz.EndRedirect, Lookup: &quiz.Lookup{Table: "regions", Column: "url"}}},
		{ID: "safe", Ending: &quiz.Ending{Kind: quiz.EndRedirect, URL: "https://example.org/", Lookup: &quiz.Lookup{Table: "regions", Column: "url"}}},
	}
	places := func(tables ...store.Table) []string {
		var out []string
		for _, p := range tableProblems(d, tables) {
			out = append(out, p.Where+" "+p.Message)
		}
		return out
	}
	require.Equal(t, []string{`/questions/0/choices_from there is no table "places" beside the quiz`, `/outcomes/0/ending/products there is no table "catalogue" beside the quiz`, `/outcomes/1/ending/lookup there is no table "regions" beside the quiz`}, places())
	row := [][]string{{"a", "b"}}
	require.Equal(t, []string{`/questions/0/choices_from the table "places" has no column "name"`, `/outcomes/0/ending/products the table "catalogue" has no lines yet`},
		places(store.Table{Name: "places", Columns: []string{"key", "title"}, Rows: row}, store.Table{Name: "catalogue", Columns: []string{"sku"}}, store.Table{Name: "regions", Columns: []string{"key", "url"}, Rows: row}))
	require.Empty(t, places(store.Table{Name: "places", Columns: []string{"key", "name"}, Rows: row}, store.Table{Name: "catalogue", Columns: []string{"sku"}, Rows: row}, store.Table{Name: "regions", Columns: []string{"key", "url"}, Rows: row}))
}
