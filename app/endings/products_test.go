package endings

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/documents"
	"omphalos/core/quiz"
)

// garden has two questions with two answers each, and lines for these products; "own" is one that no grid shows.
func garden(t *testing.T, products ...string) *quiz.Document {
	t.Helper()
	var lines []string
	for _, p := range products {
		when := ""
		if p == "own" {
			when = `"when":{"none":[{"fact":"answer.light","op":"is","value":"sun"}]},`
		}
		lines = append(lines, `{`+when+`"product":"`+p+`"}`)
	}
	d, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"G","questions":[
		{"id":"light","kind":"single","text":"Light?","choices":[{"id":"sun","label":"Sun"},{"id":"shade","label":"Shade"}]},
		{"id":"area","kind":"number","text":"Area?","from":1,"to":9},
		{"id":"soil","kind":"multiple","text":"Soil?","choices":[{"id":"dry","label":"Dry"},{"id":"wet","label":"Wet"}]}],
		"outcomes":[{"id":"o","ending":{"kind":"products"}}],"otherwise":"o",
		"recommendations":{"lines":[` + strings.Join(lines, ",") + `]}}`))
	require.NoError(t, err)
	return d
}

// acted is the document after an act, with its lines as “product: condition”.
func acted(t *testing.T, d *quiz.Document, name, at string, value any) (*quiz.Document, []string) {
	t.Helper()
	said, err := json.Marshal(value)
	require.NoError(t, err)
	change, err := Acts()[name](d, at, said)
	require.NoError(t, err)
	text, err := json.Marshal(d)
	require.NoError(t, err)
	edited, err := quiz.Edit(text, change.Patch)
	require.NoError(t, err)
	var out []string
	for _, l := range edited.Document.Recommendations.Lines {
		when := "always"
		if l.When != nil {
			when = edited.Document.Sentence(l.When)
		}
		out = append(out, l.Product+": "+when)
	}
	return edited.Document, out
}

func TestTicksOfTheGrid(t *testing.T) {
	d := garden(t, "fern", "own")
	tick := func(value string, in bool) (lines []string) {
		d, lines = acted(t, d, "product.tick", "/recommendations/lines/0", map[string]any{"value": value, "in": in})
		return lines
	}
	require.Equal(t, "fern: “Light?” is Shade", tick("light shade", true)[0])
	require.Equal(t, "fern: “Light?” is Shade and “Soil?” includes Wet", tick("soil wet", true)[0])
	require.Equal(t, "fern: “Soil?” includes Wet", tick("light shade", false)[0])
	require.Equal(t, "fern: always", tick("soil wet", false)[0])
	require.Equal(t, "fern: always", tick("soil wet", false)[0], "once more changes nothing")
	for _, wrong := range []struct {
		at    string
		value string
	}{
		{"/recommendations/lines/0", "light moon"}, {"/recommendations/lines/0", "area 3"}, {"/recommendations/lines/0", "light"},
		{"/recommendations/lines/9", "light sun"}, {"/recommendations/lines/1", "light sun"},
	} {
		value, err := json.Marshal(map[string]any{"value": wrong.value, "in": true})
		require.NoError(t, err)
		_, err = tickProduct(d, wrong.at, value)
		require.Error(t, err, "%v", wrong)
	}
}

// A pasted block ticks and unticks from its cell on; lines that the grid does not show are no columns, and what lies beyond
// the grid is left out.
func TestABlockOfTicks(t *testing.T) {
	d := garden(t, "fern", "own", "moss")
	d, _ = acted(t, d, "product.tick", "/recommendations/lines/0", map[string]any{"value": "light shade", "in": true})
	_, lines := acted(t, d, "product.paste", "/recommendations/lines/0", map[string]any{
		"from": "light shade", "rows": [][]string{{"no", "x", "x"}, {"1", "-"}, {"0", "yes"}, {"x", "x"}},
	})
	require.Equal(t, []string{
		"fern: “Soil?” includes Dry", "own: " + d.Sentence(d.Recommendations.Lines[1].When),
		"moss: “Light?” is Shade and “Soil?” includes Wet",
	}, lines)
}

func TestProductsAreAddedTogether(t *testing.T) {
	_, lines := acted(t, garden(t, "fern"), "product.add", "/recommendations", `["moss","stag"]`)
	require.Equal(t, []string{"fern: always", "moss: always", "stag: always"}, lines)
	for _, wrong := range []string{`"x"`, `"[]"`, `["moss"]`, `null`, `"[` + strings.Repeat(`\"x\",`, maxAdded) + `\"x\"]"`} {
		_, err := addProducts(garden(t, "fern"), "", json.RawMessage(wrong))
		require.Error(t, err, wrong)
	}
}

// What is drawn of the grid is bounded, however many products and answers there are.
func TestTheGridIsBounded(t *testing.T) {
	cells := func(questions, products int) (n int, g *grid) {
		d := garden(t, "fern")
		q := d.Questions[0]
		d.Questions = nil
		for i := range questions {
			q.ID = fmt.Sprint("q", i)
			d.Questions = append(d.Questions, q)
		}
		d.Recommendations.Lines = make([]quiz.RecommendationLine, products)
		g = productsOf(d, []documents.Table{{Name: documents.Catalogue, Columns: []string{"sku"}, Rows: [][]string{{"fern"}}}}).Grid
		for _, group := range g.Groups {
			for _, row := range group.Rows {
				n += len(row.Cells)
			}
		}
		return n, g
	}
	n, g := cells(3, 5)
	require.Equal(t, 30, n)
	require.False(t, g.Short || g.Large)
	n, g = cells(300, 5)
	require.Equal(t, maxGridRows*5, n)
	require.True(t, g.Short)
	n, g = cells(300, 500)
	require.Zero(t, n)
	require.True(t, g.Large)
}
