package quiz

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/rule"
)

func TestAQuestionComesWithItsWeights(t *testing.T) {
	to := New("Here")
	to.Questions = []Question{{ID: "size", Kind: ShortText, Text: "Taken"}}
	to.Keywords = []Keyword{{ID: "k", Name: "Moss"}}
	from := New("There")
	from.Scales = []Scale{{ID: "s", Name: "score"}, {ID: "urgency", Name: "Urgency", Start: rule.Int(2)}}
	from.Keywords = []Keyword{{ID: "m", Name: "moss"}, {ID: "k", Name: "Fern"}}
	from.Sections = []Section{{ID: "p"}}
	one := func(n int64, id string) map[string]rule.Number { return map[string]rule.Number{id: rule.Int(n)} }
	from.Questions = []Question{{ID: "size", Kind: Single, Text: "Size?", Section: "p", VisibleIf: &rule.Condition{All: []rule.Condition{}},
		Branches: []Branch{{When: rule.Condition{All: []rule.Condition{}}, Go: "finish"}},
		Choices:  []Choice{{ID: "a", Points: one(3, "s"), Votes: one(1, "m")}, {ID: "b", Points: one(1, "urgency"), Votes: one(2, "k")}}}}
	edited, err := Edit(textOf(t, to), Adopt(to, from, 0))
	require.NoError(t, err)
	d := edited.Document
	require.Empty(t, d.Validate())
	require.Len(t, d.Questions, 2)
	q := d.Questions[1]
	require.Equal(t, "size1", q.ID)
	require.Nil(t, q.Branches)
	require.Equal(t, "3", q.Choices[0].Points["score"].String(), "the scale of that name is used")
	require.Equal(t, "1", q.Choices[0].Votes["k"].String(), "so is the keyword, whatever its case")
	require.Equal(t, "Urgency", d.Scales[1].Name)
	require.Equal(t, "2", d.Scales[1].Start.String())
	require.Equal(t, "Fern", d.Keywords[1].Name)
	require.NotEqual(t, "k", d.Keywords[1].ID, "its id was taken by another keyword")
	require.Equal(t, "2", q.Choices[1].Votes[d.Keywords[1].ID].String())
	require.Equal(t, "size", from.Questions[0].ID, "the other quiz stays as it is")
}
