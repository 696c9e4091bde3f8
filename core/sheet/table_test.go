package sheet

import (
	"encoding/json"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/quiztest"
	"omphalos/core/rule"
)

// A sheet that was written and read back into its own quiz changes nothing: whatever the sheet does not show is kept.
func TestAWrittenSheetReadsBackUnchanged(t *testing.T) {
	for seed := range uint64(300) {
		d := quiztest.Random(rand.New(rand.NewPCG(seed, 5)), quiztest.Size{Questions: 5, Choices: 4, Text: true})
		d.Questions[0].Text = []string{"=1+1", "-5", "'quoted", "plain"}[seed%4]
		table := Guarded(Write(d))
		back, faults := Read(d, table)
		require.Empty(t, faults, "seed %d", seed)
		require.JSONEq(t, jsonOf(t, d.Questions), jsonOf(t, normal(back.Questions, d.Questions)), "seed %d", seed)
		require.JSONEq(t, jsonOf(t, d.Scales), jsonOf(t, back.Scales))
	}
}

func jsonOf(t *testing.T, v any) string {
	b, err := json.Marshal(v)
	require.NoError(t, err)
	return string(b)
}

// normal undoes what reading may leave out because it says nothing: points of 0.
func normal(list, like []quiz.Question) []quiz.Question {
	for i := range list {
		for j := range list[i].Choices {
			fillZero(&list[i].Choices[j].Points, like[i].Choices[j].Points)
			fillZero(&list[i].Choices[j].Votes, like[i].Choices[j].Votes)
		}
		for j := range list[i].Steps {
			fillZero(&list[i].Steps[j].Points, like[i].Steps[j].Points)
			fillZero(&list[i].Steps[j].Votes, like[i].Steps[j].Votes)
		}
		for id, l := range like[i].Linear {
			if l.Factor.Sign() == 0 && l.Offset.Sign() == 0 {
				if list[i].Linear == nil {
					list[i].Linear = map[string]quiz.LinearPoint{}
				}
				list[i].Linear[id] = l
			}
		}
	}
	return list
}

func fillZero(got *map[string]rule.Number, like map[string]rule.Number) {
	for id, n := range like {
		if n.Sign() == 0 {
			if *got == nil {
				*got = map[string]rule.Number{}
			}
			(*got)[id] = n
		}
	}
	if like != nil && *got == nil {
		*got = map[string]rule.Number{}
	}
	if like == nil && len(*got) == 0 {
		*got = nil
	}
}

func TestASheetChangesAddsAndKeeps(t *testing.T) {
	d := quiz.New("Here")
	d.Questions = []quiz.Question{
		{ID: "area", Kind: quiz.Single, Text: "Old?", Help: "kept", Required: true, Choices: []quiz.Choice{{ID: "s", Label: "Small", Why: "kept"}, {ID: "l", Label: "Large"}}},
		{ID: "other", Kind: quiz.ShortText, Text: "Stays"},
	}
	got, faults := Read(d, [][]string{
		{"question", "text", "answer", "label", "scale.Score", "scale.Fit", "keyword.Fern", "right"},
		{"area", "New?", "s", "Tiny", "2", "−0,5", "", "yes"},
		{"area", "", "", "Huge", "", "3", "1", ""},
		{},
		{"", "Another one?", "", "Yes", "1", "", "", ""},
		{"", "", "", "No", "", "", "", ""},
	})
	require.Empty(t, faults)
	require.Len(t, got.Questions, 3)
	area := got.Questions[0]
	require.Equal(t, "New?", area.Text)
	require.Equal(t, "kept", area.Help)
	require.Len(t, area.Choices, 2)
	require.Equal(t, quiz.Choice{ID: "s", Label: "Tiny", Why: "kept", Correct: true, Points: area.Choices[0].Points}, area.Choices[0])
	require.Equal(t, "-0.5", area.Choices[0].Points["fit"].String())
	require.Equal(t, "2", area.Choices[0].Points["score"].String(), "the scale is found by its name")
	require.Equal(t, "1", area.Choices[1].Votes["fern"].String())
	require.Equal(t, "Stays", got.Questions[1].Text)
	require.Equal(t, []string{"Yes", "No"}, []string{got.Questions[2].Choices[0].Label, got.Questions[2].Choices[1].Label})
	require.Equal(t, "Old?", d.Questions[0].Text, "the quiz itself is not changed")
}

func TestFaultsOfASheetNameLineAndColumn(t *testing.T) {
	head := []string{"question", "kind", "text", "required", "answer", "label", "scale.score"}
	for name, c := range map[string]struct {
		table [][]string
		want  Fault
	}{
		"unknown column": {[][]string{{"text", "label", "colour"}}, Fault{1, "colour", ""}},
		"no text":        {[][]string{{"label"}}, Fault{1, "text", ""}},
		"twice":          {[][]string{{"text", "label", "text"}}, Fault{1, "text", ""}},
		"not a number":   {[][]string{head, {"a", "single", "A?", "yes", "x", "X", "many"}}, Fault{2, "scale.score", ""}},
		"too fine":       {[][]string{head, {"a", "single", "A?", "yes", "x", "X", "0.00001"}}, Fault{2, "scale.score", ""}},
		"kind":           {[][]string{head, {"a", "circle", "A?"}}, Fault{2, "kind", ""}},
		"answer twice":   {[][]string{head, {"a", "single", "A?", "", "x", "X"}, {"a", "", "", "", "x", "Y"}}, Fault{3, "answer", ""}},
		"bad id":         {[][]string{head, {"a b", "single", "A?"}}, Fault{2, "question", ""}},
		"required":       {[][]string{head, {"a", "single", "A?", "perhaps"}}, Fault{2, "required", ""}},
		"part of rating": {[][]string{head, {"a", "rating", "A?", "", "slope", ""}}, Fault{2, "answer", ""}},
		"nothing":        {[][]string{head}, Fault{1, "", ""}},
	} {
		_, faults := Read(quiz.New("x"), c.table)
		require.NotEmpty(t, faults, name)
		require.Equal(t, c.want.Line, faults[0].Line, name)
		require.Equal(t, c.want.Column, faults[0].Column, name)
		require.NotEmpty(t, faults[0].Message)
	}
}
