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

// Endings, messages, scales and looks come with what they need, under ids of their own.
func TestWhatElseComesAlong(t *testing.T) {
	to, from := New("Here"), New("There")
	to.Scales = []Scale{{ID: "s", Name: "Fit"}}
	to.Theme = Theme{Colour: "#111111", Words: map[string]string{"next": "On"}}
	from.Scales = []Scale{{ID: "a", Name: "fit"}, {ID: "s", Name: "Urgency"}}
	from.Theme = Theme{Colour: "#1f4a3b", Fonts: "plain", Words: map[string]string{"next": "Further"}}
	from.Outcomes = []Outcome{{ID: "thanks", Heading: "You have {scale.a} and {percent.s|none}", Ending: &Ending{Kind: EndPage, Buttons: []Button{{Label: "{scale.s}"}}}}}
	from.Messages = []Message{
		{ID: "m", To: ToTeam, Addresses: []string{"a@x.example"}, Subject: "{scale.a}", When: &rule.Condition{Fact: "outcome", Op: rule.OpIs, Value: &rule.Operand{List: []rule.Scalar{{Text: "thanks"}}}}},
		{ID: "n", To: ToRespondent, Subject: "N", When: &rule.Condition{Fact: "answer.x", Op: rule.OpAnswered}},
	}
	apply := func(d *Document, ops []Operation) *Document {
		edited, err := Edit(textOf(t, d), ops)
		require.NoError(t, err)
		return edited.Document
	}
	d := apply(to, AdoptOutcome(to, from, 0))
	require.Len(t, d.Outcomes, 2)
	o := d.Outcomes[1]
	require.NotEqual(t, "thanks", o.ID)
	require.Equal(t, "Urgency", d.Scales[1].Name)
	require.Equal(t, "You have {scale.s} and {percent."+d.Scales[1].ID+"|none}", o.Heading)
	require.Equal(t, "{scale."+d.Scales[1].ID+"}", o.Ending.Buttons[0].Label)
	plain := to.Clone()
	plain.Scales, plain.Keywords = nil, nil
	from.Outcomes[0].Ending.URL = "https://x.example/{?scale.a,percent.s}"
	from.Outcomes[0].Ending.Charts = []Chart{{Kind: ChartBars, Of: ChartOf{"percent.s"}}, {Kind: ChartBars, Of: ChartOf{"keywords"}}}
	d = apply(plain, AdoptOutcome(plain, from, 0))
	brought := d.Outcomes[len(d.Outcomes)-1].Ending
	require.Equal(t, "https://x.example/{?scale.a,percent.s}", brought.URL)
	require.Len(t, brought.Charts, 1, "there are no keywords here")
	require.Empty(t, d.Validate(), "all that it needs came along")
	d = apply(to, AdoptMessage(to, from, 0))
	require.False(t, d.Messages[0].Off)
	require.Equal(t, "{scale.s}", d.Messages[0].Subject)
	d = apply(d, AdoptMessage(d, from, 1))
	require.True(t, d.Messages[1].Off, "its condition is left behind")
	require.Nil(t, d.Messages[1].When)
	require.Empty(t, d.Validate())
	d = apply(to, AdoptScale(to, from, 1))
	require.Equal(t, "Urgency", d.Scales[1].Name)
	require.Empty(t, AdoptScale(to, from, 0), "there is one of its name")
	d = apply(to, AdoptLook(to, from))
	require.Equal(t, "#1f4a3b", d.Theme.Colour)
	require.Equal(t, "On", d.Theme.Words["next"])
}
