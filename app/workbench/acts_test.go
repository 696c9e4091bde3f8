package workbench

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/edit"
	"omphalos/core/quiz"
	"omphalos/core/rule"
)

const sheet = `{"format":"omphalos-quiz/1","name":"n",
"scales":[{"id":"fit","name":"Fit"},{"id":"speed","name":"Speed"}],"keywords":[{"id":"fern","name":"Fern"}],
"questions":[
 {"id":"area","kind":"single","text":"Area","choices":[{"id":"small","label":"Small","points":{"fit":1},"votes":{"fern":1}},{"id":"large","label":"Large","points":{"fit":2}}],
  "branches":[{"when":{"fact":"answer.area","op":"is","value":"small"},"go":"question:light"}]},
 {"id":"staff","kind":"rating","text":"Staff","from":1,"to":5,"linear":{"fit":{"factor":1,"offset":0}}},
 {"id":"light","kind":"multiple","text":"Light for {area}","choices":[{"id":"a1","label":"x"}]}],
"outcomes":[{"id":"yes","name":"Yes"},{"id":"no","name":"No"}],
"verdicts":[{"bands":{"on":"scale.fit","cuts":[{"from":2,"outcome":"yes"}]}},
 {"table":{"facts":["answer.area"],"rows":[{"cells":[["small"]],"outcome":"no"}]}}],
"messages":[{"id":"m","name":"Hello","to":"team","addresses":["a@example.org"],"subject":"s","text":"{scale.fit}"}],
"otherwise":"no"}`

func sheetDocument(t *testing.T) *quiz.Document {
	t.Helper()
	d, err := quiz.ReadDraft([]byte(sheet))
	require.NoError(t, err)
	return d
}

// What is deleted says what went with it and what used it, and one undo brings all of it back.
func TestDeletingSaysWhatWentAndWhatUsedIt(t *testing.T) {
	for _, c := range []struct{ at, said string }{
		{"/scales/@fit", "Column “Fit” and 3 points deleted. Still used by: message “Hello”, verdict line 1."},
		{"/scales/@speed", "Column “Speed” deleted."},
		{"/keywords/@fern", "Column “Fern” and 1 vote deleted."},
		{"/questions/@area", "Question 1 “Area”, 2 points and 1 vote deleted. Still used by: question 3 “Light for {area}”, verdict line 2."},
		{"/questions/@area/choices/@small", "“Small” in question 1, 1 point and 1 vote deleted."},
		{"/outcomes/@yes", "Outcome “Yes” deleted. Still used by: verdict line 1."},
		{"/messages/@m", "Message “Hello” deleted."},
	} {
		t.Run(c.at, func(t *testing.T) {
			d := sheetDocument(t)
			at, ok := d.Find(c.at)
			require.True(t, ok)
			change, err := drop(d, at, nil)
			require.NoError(t, err)
			require.Equal(t, c.said, change.Said)
			edited, err := quiz.Edit([]byte(sheet), change.Patch)
			require.NoError(t, err)
			_, there := edited.Document.Find(c.at)
			require.False(t, there)
			back, err := quiz.Edit(edited.Text, edited.Inverse)
			require.NoError(t, err)
			require.JSONEq(t, sheet, string(back.Text))
		})
	}
}

func TestNamesOfColumns(t *testing.T) {
	for name, c := range map[string]struct {
		at, text string
		want     []string // names of the list
	}{
		"several":                    {"/keywords/@fern", "Purist, Comfort, Express", []string{"Fern"}}, // it has a vote already
		"several of an empty one":    {"/scales/@speed", "Purist, Comfort ,Express", []string{"Fit", "Purist", "Comfort", "Express"}},
		"pasted, one a line":         {"/scales/@speed", "Purist\nComfort\n", []string{"Fit", "Purist", "Comfort"}},
		"one":                        {"/scales/@speed", "Price", []string{"Fit", "Price"}},
		"a comma where points count": {"/scales/@fit", "Price, quality", []string{"Price, quality", "Speed"}},
	} {
		t.Run(name, func(t *testing.T) {
			next := acted(t, []byte(sheet), edit.Act{Name: "column.name", At: c.at, Value: said(c.text)})
			var got []string
			if c.at[1] == 's' {
				for _, s := range next.Scales {
					got = append(got, s.Name)
				}
			} else {
				require.Len(t, next.Keywords, 1)
				return
			}
			require.Equal(t, c.want, got)
		})
	}
}

// A box that is ticked twice, or in two windows, is ticked once.
func TestMembersAreInOrOut(t *testing.T) {
	cell := "/verdicts/1/table/rows/0/cells/0"
	tick := func(text []byte, value string, in bool) (*quiz.Document, quiz.Patch) {
		d, err := quiz.ReadStored(text)
		require.NoError(t, err)
		change, err := member(d, cell, said(map[string]any{"value": value, "in": in}))
		require.NoError(t, err)
		e, err := quiz.Edit(text, change.Patch)
		require.NoError(t, err)
		return e.Document, change.Patch
	}
	d, _ := tick([]byte(sheet), "large", true)
	require.Len(t, d.Verdicts[1].Table.Rows[0].Cells[0], 2)
	d, _ = tick([]byte(sheet), "small", false)
	require.Nil(t, d.Verdicts[1].Table.Rows[0].Cells[0], "without the last one any answer does")
	_, patch := tick([]byte(sheet), "small", true)
	require.Empty(t, patch)
}

func TestBranchesBesideAnswers(t *testing.T) {
	set := func(text []byte, choice, to string) *quiz.Document {
		return acted(t, text, edit.Act{Name: "branch.set", At: "/questions/@area", Value: said(map[string]string{"choice": choice, "go": to})})
	}
	d := set([]byte(sheet), "small", "finish")
	require.Equal(t, "finish", d.Questions[0].Branches[0].Go)
	d = set([]byte(sheet), "small", "")
	require.Empty(t, d.Questions[0].Branches)
	d = set([]byte(sheet), "large", "outcome:yes")
	require.Len(t, d.Questions[0].Branches, 2)
	require.Equal(t, "large", d.Questions[0].Branches[1].When.Value.List[0].Text)
}

// What a new quiz begins with goes once something of one’s own takes its place, and only if no one has touched it.
func TestLeftoversGo(t *testing.T) {
	text, err := json.Marshal(quiz.New("n"))
	require.NoError(t, err)
	d := acted(t, text, edit.Act{Name: "outcome.new", At: "", Value: said("Site visit")})
	require.Len(t, d.Outcomes, 1)
	require.Equal(t, "Site visit", d.Outcomes[0].Name)
	require.Equal(t, d.Outcomes[0].ID, d.Otherwise)

	touched := quiz.New("n")
	touched.Outcomes[0].Text = "Thanks"
	text, err = json.Marshal(touched)
	require.NoError(t, err)
	d = acted(t, text, edit.Act{Name: "outcome.new", At: "", Value: said("Site visit")})
	require.Len(t, d.Outcomes, 2)
	require.Equal(t, "thanks", d.Otherwise)

	fresh := quiz.New("n")
	require.Len(t, WithoutScore(fresh, quiz.Patch{AddTo("/keywords", quiz.Keyword{ID: "k1"})}), 2)
	fresh.Questions = []quiz.Question{{ID: "q", Kind: quiz.Single, Choices: []quiz.Choice{{ID: "a", Points: map[string]rule.Number{"score": rule.Int(1)}}}}}
	require.Len(t, WithoutScore(fresh, quiz.Patch{AddTo("/keywords", quiz.Keyword{ID: "k1"})}), 1)
}

func TestASheetOfEndingsIsPasted(t *testing.T) {
	value := said(map[string]any{"field": "heading", "rows": [][]string{
		{"Come and see", "We **call** you", "Book", "https://larkmoor.example/book"}, {"Later", "", "", ""}, {"Third"},
	}})
	d := acted(t, []byte(sheet), edit.Act{Name: "outcomes.fill", At: "/outcomes/@yes", Value: value})
	require.Len(t, d.Outcomes, 3)
	require.Equal(t, "Yes", d.Outcomes[0].Name)
	require.Equal(t, "Come and see", d.Outcomes[0].Heading)
	require.Equal(t, []quiz.Button{{Label: "Book", URL: "https://larkmoor.example/book"}}, d.Outcomes[0].Ending.Buttons)
	require.Equal(t, "Later", d.Outcomes[1].Heading)
	require.Equal(t, "Third", d.Outcomes[2].Name)
}

// Property: an act at a place or with a value that no page sends is refused, or changes the draft to another that is well
// formed; it never stops the server.
func TestOddActsAreRefused(t *testing.T) {
	places := []string{"", "/", "/-", "/questions", "/questions/-", "/questions/@area", "/questions/@area/choices",
		"/questions/@area/choices/@small", "/questions/@area/choices/-", "/questions/@area/branches/-/when", "/scales/@fit",
		"/scales/-", "/keywords/@fern", "/outcomes/@yes", "/outcomes/-/sheet/name", "/verdicts/0", "/verdicts/0/bands/on",
		"/verdicts/1/table/rows/0/cells/0", "/messages/@m", "/messages/@m/when", "/contact/place", "/sections/-", "/computed/-",
		"/name", "/otherwise", "/questions/@area/text/x"}
	values := []string{"", "null", "0", `""`, `"x"`, `"group"`, "[]", "{}", `{"field":"name","rows":[["a"]]}`, `{"field":"x","rows":[[]]}`,
		`{"choice":"small","go":"outcome:yes"}`, `{"choice":"x"}`, `{"value":"x","in":true}`, `{"name":"N","id":"yes"}`, `"a, b"`}
	for name, do := range Acts() {
		for _, place := range places {
			d := sheetDocument(t)
			at, ok := d.Find(place)
			require.True(t, ok, place)
			for _, value := range values {
				change, err := do(d, at, json.RawMessage(value))
				if err != nil {
					require.ErrorAs(t, err, new(quiz.Problems), "%s at %q with %s", name, place, value)
					continue
				}
				edited, err := quiz.Edit([]byte(sheet), change.Patch)
				if err != nil {
					require.ErrorAs(t, err, new(quiz.Problems), "%s at %q with %s", name, place, value)
					continue
				}
				_, err = quiz.ReadDraft(edited.Text)
				require.NoError(t, err)
			}
		}
	}
	for _, nowhere := range []string{"questions/0", "x", "/questions/99", "/questions/-1", "/scales/7/name", "/questions/@none", "/verdicts/=none"} {
		_, ok := sheetDocument(t).Find(nowhere)
		require.False(t, ok, nowhere)
	}
}
