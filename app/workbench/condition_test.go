package workbench

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

func asked() *quiz.Document {
	d := quiz.New("Asked")
	five := rule.Int(5)
	d.Keywords = []quiz.Keyword{{ID: "fern", Name: "Fern"}}
	d.Params = []string{"src"}
	d.Questions = []quiz.Question{
		{ID: "one", Kind: quiz.Single, Text: "One?", Choices: []quiz.Choice{{ID: "a", Label: "A"}, {ID: "b", Label: "B"}}},
		{ID: "many", Kind: quiz.Multiple, Text: "Many?", Choices: []quiz.Choice{{ID: "x", Label: "X"}, {ID: "y", Label: "Y"}}},
		{ID: "rate", Kind: quiz.Rating, Text: "Rate?", From: &five, To: &five},
		{ID: "say", Kind: quiz.Statement, Text: "Listen."},
		{ID: "grid", Kind: quiz.Grid, Text: "Grid?", Rows: []quiz.Row{{ID: "r", Label: "Row"}}, Choices: []quiz.Choice{{ID: "o", Label: "Often"}}},
		{ID: "words", Kind: quiz.ShortText, Text: "Words?"},
		{ID: "day", Kind: quiz.Date, Text: "Day?"},
		{ID: "may", Kind: quiz.Consent, Text: "May we?"},
	}
	return d
}

// Whatever is chosen in the builder makes a condition that is valid as it stands, and shows itself as chosen.
func TestEveryChoiceOfTheBuilderIsAValidCondition(t *testing.T) {
	d := asked()
	seen := map[string]bool{}
	var try func(c rule.Condition, depth int)
	try = func(c rule.Condition, depth int) {
		key, err := json.Marshal(c)
		require.NoError(t, err)
		if seen[string(key)] || depth > 4 {
			return
		}
		seen[string(key)] = true
		d.Verdicts = []quiz.Verdict{{When: &c, Outcome: "thanks"}}
		require.Empty(t, d.Validate(), string(key))
		text, err := json.Marshal(d)
		require.NoError(t, err)
		v := NewCondition(d, "/verdicts/0/when", &c, len(d.Questions), "Test", "")
		require.NotEmpty(t, v.Sentence)
		one := 0
		for _, o := range append(append([]Option{}, v.Facts...), v.Ops...) {
			if o.Selected {
				one++
			}
		}
		if v.Group == "" {
			require.Equal(t, 2, one, "one fact and one comparison are chosen of %s", key)
		}
		patches := []string{v.Add, v.AddGroup}
		for _, list := range [][]Option{v.Facts, v.Ops, v.Groups, v.Value.Options} {
			for _, o := range list {
				patches = append(patches, o.Patch)
			}
		}
		for _, p := range patches {
			if p == "" {
				continue
			}
			patch, err := quiz.ReadPatch([]byte(p))
			require.NoError(t, err)
			edited, err := quiz.Edit(text, patch)
			require.NoError(t, err, p)
			try(*edited.Document.Verdicts[0].When, depth+1)
		}
	}
	try(DefaultCondition(d, len(d.Questions)), 0)
	require.Greater(t, len(seen), 100)
}

// A menu within a group changes its own comparison: it adds none and moves none.
func TestAMenuInAGroupReplacesItsOwn(t *testing.T) {
	d := asked()
	one, two := DefaultCondition(d, 1), DefaultCondition(d, 2)
	d.Verdicts = []quiz.Verdict{{When: &rule.Condition{Any: []rule.Condition{one, {All: []rule.Condition{one, two}}, two}}, Outcome: "thanks"}}
	text, err := json.Marshal(d)
	require.NoError(t, err)
	tried := 0
	var try func(v *Condition)
	try = func(v *Condition) {
		for _, list := range [][]Option{v.Facts, v.Ops, v.Groups} {
			for _, o := range list {
				if v.Path == "/verdicts/0/when" || o.Patch == "" {
					continue
				}
				patch, err := quiz.ReadPatch([]byte(o.Patch))
				require.NoError(t, err)
				edited, err := quiz.Edit(text, patch)
				require.NoError(t, err)
				when := edited.Document.Verdicts[0].When
				require.Len(t, when.Any, 3, o.Patch)
				if g, _ := group(&when.Any[1]); v.Path != "/verdicts/0/when/any/1" {
					require.Len(t, g, 2, o.Patch)
				}
				if v.Path != "/verdicts/0/when/any/0" {
					require.Equal(t, one, when.Any[0], o.Patch)
				}
				tried++
			}
		}
		for _, item := range v.Items {
			try(item)
		}
	}
	try(NewCondition(d, "/verdicts/0/when", d.Verdicts[0].When, len(d.Questions), "", ""))
	require.Greater(t, tried, 60)
}

func TestABranchSeesOnlyWhatWasAsked(t *testing.T) {
	d := asked()
	c := DefaultCondition(d, 1)
	require.Equal(t, "answer.one", c.Fact)
	for _, o := range NewCondition(d, "/x", &c, 1, "", "").Facts {
		require.NotContains(t, o.Value, "many")
	}
	late := rule.Condition{Fact: "answer.words", Op: rule.OpAnswered}
	facts := NewCondition(d, "/x", &late, 1, "", "").Facts
	require.Contains(t, facts[0].Name, "asked later")
	gone := rule.Condition{Fact: "answer.gone", Op: rule.OpAnswered}
	require.Contains(t, NewCondition(d, "/x", &gone, 1, "", "").Facts[0].Name, "gone")
	require.Equal(t, "scale.score", DefaultCondition(d, 0).Fact)
}

func TestCountriesHaveTheirCode(t *testing.T) {
	require.Greater(t, len(Countries), 240)
	codes := map[string]string{}
	for _, c := range Countries {
		require.Len(t, c.Value, 2)
		require.Empty(t, codes[c.Value], "each once")
		codes[c.Value] = c.Name
	}
	require.Equal(t, "Ireland", codes["IE"])
	require.Equal(t, "Ireland", quiz.CountryName("IE"))
	require.Equal(t, "elsewhere", quiz.CountryName("elsewhere"))
	require.Equal(t, "ZZ", quiz.CountryName("ZZ"))
}
