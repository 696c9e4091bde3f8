package quiz_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

const worded = `{"format":"omphalos-quiz/1","name":"Walls","scales":[{"id":"fit","name":"Fit"}],"keywords":[{"id":"fern","name":"Mist-keeper"}],
	"contact":{"place":"before_outcome","fields":[{"id":"email","kind":"email","label":"E-mail"}]},
	"questions":[{"id":"b","kind":"single","text":"What is the budget?","choices":[{"id":"s","label":"Under 10,000","points":{"fit":1}},{"id":"l","label":"Over 10,000","points":{"fit":5}}],"branches":[{"when":{"fact":"answer.b","op":"is","value":"s"},"go":"finish"}]},
		{"id":"w","kind":"short_text","text":"Where?"}],
	"outcomes":[{"id":"t","name":"Thank you","ending":{"kind":"redirect","url":"https://a.example/"}},{"id":"h","name":"Hot"}],"otherwise":"t",
	"verdicts":[{"bands":{"on":"scale.fit","cuts":[{"from":0,"outcome":"t"},{"from":4,"outcome":"h"}]}},{"when":{"all":[]},"outcome":"t"}]}`

func TestPlacesByTheirWords(t *testing.T) {
	d, err := quiz.Read([]byte(worded))
	require.NoError(t, err)
	for pointer, want := range map[string]string{
		"":                                  "the quiz",
		"/name":                             "the name of the quiz",
		"/questions":                        "the questions",
		"/questions/0":                      "question 1 “What is the budget?”",
		"/questions/0/text":                 "the text of question 1 “What is the budget?”",
		"/questions/7/text":                 "question 8",
		"/questions/-":                      "a new question",
		"/questions/0/choices/1/label":      "the wording of “Over 10,000” in question 1",
		"/questions/0/choices/1/points/fit": "the points of “Over 10,000” for Fit",
		"/questions/0/choices/1/votes/fern": "the votes of “Over 10,000” for Mist-keeper",
		"/questions/0/choices/-":            "a new answer of question 1",
		"/questions/0/branches/0/when":      "the condition of branch 1 of question 1",
		"/outcomes/0":                       "outcome “Thank you”",
		"/outcomes/0/ending/url":            "the address of “Thank you”",
		"/outcomes/0/ending/lookup/column":  "the address from a table of “Thank you”",
		"/outcomes/0/ending/buttons/0/url":  "button 1 of “Thank you”",
		"/verdicts/0/bands/cuts/1/from":     "cut point 2 of verdict line 1",
		"/verdicts/0/bands/cuts/1/outcome":  "where band 2 of verdict line 1 leads",
		"/verdicts/1/outcome":               "where verdict line 2 leads",
		"/contact/fields/0/required":        "whether an answer is required of the contact field “E-mail”",
		"/settings/pages":                   "the settings of the quiz",
		"/scales/0/name":                    "the name of scale “Fit”",
		"/translations/de/name":             "a text in German",
	} {
		require.Equal(t, want, d.Named(pointer), pointer)
	}
}

func TestDifferencesInWords(t *testing.T) {
	tree := func(text []byte) *quiz.Tree {
		d, err := quiz.ReadDraft(text)
		require.NoError(t, err)
		tree, err := quiz.NewTree(d, text)
		require.NoError(t, err)
		return tree
	}
	for _, c := range []struct {
		patch string
		want  []quiz.Difference
	}{
		{`[]`, nil},
		{`[{"op":"add","path":"/questions/0/required","value":false},{"op":"add","path":"/params","value":[]}]`, nil},
		{`[{"op":"replace","path":"/questions/0/choices/1/points/fit","value":7}]`,
			[]quiz.Difference{{"/questions/0/choices/1/points/fit", "the points of “Over 10,000” for Fit: 5 → 7"}}},
		{`[{"op":"add","path":"/questions/0/choices/0/votes","value":{"fern":2}}]`,
			[]quiz.Difference{{"/questions/0/choices/0/votes/fern", "the votes of “Under 10,000” for Mist-keeper: added"}}},
		{`[{"op":"add","path":"/questions/1","value":{"id":"n","kind":"long_text","text":"Anything else?"}}]`,
			[]quiz.Difference{{"/questions/1", "question 2 “Anything else?”: added"}}},
		{`[{"op":"remove","path":"/questions/1"}]`, []quiz.Difference{{"/questions", "question 2 “Where?”: removed"}}},
		{`[{"op":"move","from":"/outcomes/0","path":"/outcomes/1"}]`, []quiz.Difference{{"/outcomes", "the order of outcomes: changed"}}},
		{`[{"op":"replace","path":"/verdicts/0/bands/cuts/1/from","value":16}]`,
			[]quiz.Difference{{"/verdicts/0/bands/cuts/1/from", "cut point 2 of verdict line 1: 4 → 16"}}},
		{`[{"op":"add","path":"/verdicts/0","value":{"when":{"all":[]},"outcome":"h"}}]`, []quiz.Difference{{"/verdicts/0", "verdict line 1: added"}}},
		{`[{"op":"replace","path":"/outcomes/0/ending/url","value":"https://b.example/"},{"op":"replace","path":"/name","value":"Green walls"}]`,
			[]quiz.Difference{{"/name", "the name of the quiz: “Walls” → “Green walls”"},
				{"/outcomes/0/ending/url", "the address of “Thank you”: “https://a.example/” → “https://b.example/”"}}},
	} {
		var patch quiz.Patch
		require.NoError(t, json.Unmarshal([]byte(c.patch), &patch))
		edited, err := quiz.Edit([]byte(worded), patch)
		require.NoError(t, err, c.patch)
		require.Equal(t, c.want, quiz.Differences(tree([]byte(worded)), tree(edited.Text)), c.patch)
	}
}
