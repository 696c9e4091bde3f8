package quiz_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

func TestPlacesInWords(t *testing.T) {
	d := quiz.New("Places")
	for pointer, want := range map[string]string{
		"":                                      "the quiz",
		"/name":                                 "name",
		"/questions/1/choices/2/label":          "question 2, answer 3, label",
		"/questions/0/text":                     "question 1, text",
		"/questions/-":                          "a new question",
		"/questions/0/branches/1/when/all/0":    "question 1, branch 2, its condition",
		"/questions/3/visible_if/any/1/value":   "question 4, its “asked only if” condition",
		"/verdicts/0/bands/cuts/2/from":         "verdict line 1, cut point 3, from",
		"/otherwise":                            "everyone else",
		"/contact/fields/0/label":               "the contact step, field 1, label",
		"/outcomes/1/ending/buttons/0/url":      "outcome 2, ending, button 1, url",
		"/intro/heading":                        "the opening page, heading",
		"/questions/0/choices/0/points/my~1fit": "question 1, answer 1, points, my~1fit",
	} {
		require.Equal(t, want, d.Place(pointer), pointer)
	}
	for patch, want := range map[string]string{
		`[{"op":"test","path":"/name","value":"x"},{"op":"add","path":"/questions/0/text","value":"a"},{"op":"add","path":"/questions/0/text","value":"b"},{"op":"move","from":"/verdicts/2","path":"/verdicts/0"},{"op":"remove","path":"/scales/0"}]`: "changed question 1; moved verdict line 3; removed scale “Score”",
		`[{"op":"add","path":"/questions/-","value":{}}]`:           "added a new question",
		`[{"op":"add","path":"/questions/3","value":{}}]`:           "added question 4",
		`[{"op":"replace","path":"/questions/3","value":{}}]`:       "changed question 4",
		`[{"op":"add","path":"/questions/0/choices/-","value":{}}]`: "added a new answer of question 1",
		`[{"op":"add","path":"/intro","value":{}}]`:                 "changed the opening page",
		`[{"op":"copy","from":"/questions/1","path":"/questions/2"},{"op":"add","path":"/questions/2/id","value":"q"},{"op":"remove","path":"/questions/2/branches"}]`:      "copied question 2",
		`[{"op":"add","path":"/scales/1","value":{}},{"op":"add","path":"/questions/10/text","value":""}]`:                                                                  "added scale 2; changed question 11",
		`[{"op":"add","path":"/theme","value":{}},{"op":"add","path":"/theme/words","value":{}},{"op":"add","path":"/theme/words/right_answer","value":"So"}]`:              "changed the look of the pages",
		`[{"op":"remove","path":"/outcomes/3"},{"op":"remove","path":"/translations/de/outcomes.split.text"},{"op":"remove","path":"/translations/de/outcomes.split.alt"}]`: "removed outcome 4",
		`[{"op":"add","path":"/translations/de/name","value":{"text":"N"}}]`:                                                                                                "changed a text in German",
		`[{"op":"add","path":"/questions/0/text","value":""},{"op":"add","path":"/questions/1/text","value":""},{"op":"add","path":"/questions/2/text","value":""},{"op":"add","path":"/questions/3/text","value":""},{"op":"add","path":"/questions/4/text","value":""},{"op":"add","path":"/questions/5/text","value":""}]`: "changed question 1; changed question 2; changed question 3; changed question 4; 2 more",
		`[]`: "",
	} {
		p, err := quiz.ReadPatch([]byte(patch))
		require.NoError(t, err)
		require.Equal(t, want, d.Describe(p), patch)
	}
}

func TestConditionsInWords(t *testing.T) {
	d, err := quiz.Read([]byte(strings.NewReplacer(`"id":"looks",`, `"id":"looks","text":"Which?",`, `"id":"a"}`, `"id":"a","label":"Air"}`, `"id":"fit"}`, `"id":"fit","name":"Fit"}`).Replace(small)))
	require.NoError(t, err)
	has := rule.Condition{Fact: "answer.looks", Op: rule.OpHas, Value: rule.One(rule.Scalar{Text: "a"})}
	over := rule.Condition{Fact: "scale.fit", Op: rule.OpGt, Value: rule.One(rule.Scalar{Num: rule.MustNumber("2.5"), IsNum: true})}
	between := rule.Condition{Fact: "percent.fit", Op: rule.OpBetween, Value: &rule.Operand{IsList: true, List: []rule.Scalar{{Num: rule.Int(10), IsNum: true}, {Num: rule.Int(20), IsNum: true}}}}
	country := rule.Condition{Fact: "visitor.country", Op: rule.OpNotIn, Value: &rule.Operand{IsList: true, List: []rule.Scalar{{Text: "IE"}, {Text: "GB"}}}}
	leader := rule.Condition{Fact: "leader", Op: rule.OpIs, Value: rule.One(rule.Scalar{Text: "fern"})}
	blank := rule.Condition{Fact: "param.src", Op: rule.OpBlank}
	for want, c := range map[string]rule.Condition{
		"“Which?” includes Air":                                   has,
		"Fit is more than 2.5":                                    over,
		"Fit (%) is between 10 and 20":                            between,
		"respondent’s country is none of Ireland, United Kingdom": country,
		"the leading keyword is fern":                             leader,
		"link parameter src is blank":                             blank,
		"always":                                                  {All: []rule.Condition{}},
		"never":                                                   {Any: []rule.Condition{}},
		"“Which?” includes Air and Fit is more than 2.5":          {All: []rule.Condition{has, over}},
		"“Which?” includes Air and (Fit is more than 2.5 or link parameter src is blank)": {All: []rule.Condition{has, {Any: []rule.Condition{over, blank}}}},
		"none of: Fit is more than 2.5; link parameter src is blank":                      {None: []rule.Condition{over, blank}},
	} {
		require.Equal(t, want, d.Sentence(&c))
	}
	require.Equal(t, "If Fit is more than 2.5 → yes", d.VerdictSentence(&quiz.Verdict{When: &over, Outcome: "yes"}))
	require.Equal(t, "If link parameter src is blank: Fit: from 3 yes", d.VerdictSentence(&quiz.Verdict{When: &blank, Bands: d.Verdicts[0].Bands}))
	require.Equal(t, "A table of “Which?”", d.VerdictSentence(&quiz.Verdict{Table: &quiz.Table{Facts: []string{"answer.looks"}}}))
	require.Contains(t, d.VerdictSentence(&quiz.Verdict{Leader: &quiz.Leader{Outcomes: map[string]string{"fern": "yes"}, Ties: "question:looks"}}), "most votes from “Which?”")
}

func TestWhatKeepsADraftFromBeingLaunched(t *testing.T) {
	d := quiz.New("Draft")
	says := func() string { return d.LaunchProblems().Error() }
	require.Contains(t, says(), "the quiz has no questions yet. Add a question.")
	d.Questions = []quiz.Question{{ID: "q", Kind: quiz.Single, Choices: []quiz.Choice{{ID: "a", Label: "A"}, {ID: "b", Label: " "}}}}
	require.Contains(t, says(), "question 1 has no text")
	require.Contains(t, says(), "answer 2 of question 1 is empty")
	d.Questions[0].Text, d.Questions[0].Choices[1].Label = "Why?", "B"
	require.Empty(t, d.LaunchProblems())
	d.Outcomes[0].Ending = &quiz.Ending{Kind: quiz.EndRedirect}
	require.Contains(t, says(), "Thank you redirects, but has no address. Type the address, or change the ending to a page.")
	d.Outcomes[0].Ending = &quiz.Ending{Kind: quiz.EndPage, Buttons: []quiz.Button{{Label: "Go"}}}
	require.Contains(t, says(), "button 1 on Thank you needs a label and an address. Add both, or remove the button")
	d.Otherwise = ""
	require.Contains(t, says(), "/otherwise: no outcome is chosen")
}

func TestPatchesAreMade(t *testing.T) {
	require.JSONEq(t, `[{"op":"add","path":"/a/0","value":{"id":"x","kind":"date"}},{"op":"remove","path":"/b"},{"op":"move","from":"/c","path":"/d"}]`,
		quiz.JSON(quiz.Add("/a/0", quiz.Question{ID: "x", Kind: quiz.Date}), quiz.Remove("/b"), quiz.Move("/c", "/d")))
	require.Equal(t, "q3", quiz.Unused("q", func(id string) bool { return id == "q1" || id == "q2" }))
	require.Equal(t, "/a~1b/~0c/3", quiz.Pointer("a/b", "~c", 3))
}
