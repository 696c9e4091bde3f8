package workbench

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/edit"
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

// said is the value of an act.
func said(value any) json.RawMessage {
	text, err := json.Marshal(value)
	if err != nil {
		panic(err)
	}
	return text
}

// acted is a draft after an act.
func acted(t *testing.T, text []byte, a edit.Act) *quiz.Document {
	t.Helper()
	d, err := quiz.ReadStored(text)
	require.NoError(t, err)
	at, ok := d.Find(a.At)
	require.True(t, ok, a.At)
	change, err := Acts()[a.Name](d, at, a.Value)
	require.NoError(t, err, a.Name)
	e, err := quiz.Edit(text, change.Patch)
	require.NoError(t, err, "%s %s", a.Name, a.Value)
	return e.Document
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
		v := NewCondition(d, "/verdicts/0/when", &c, len(d.Questions), "Test", false)
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
		acts := []edit.Act{{Name: "condition.and"}, {Name: "condition.or"}, {Name: "condition.more"}, {Name: "condition.more", Value: said("group")}}
		for _, o := range v.Facts {
			acts = append(acts, edit.Act{Name: "condition.fact", Value: said(o.Value)})
		}
		for _, o := range v.Ops {
			acts = append(acts, edit.Act{Name: "condition.op", Value: said(o.Value)})
		}
		for _, o := range v.Groups {
			acts = append(acts, edit.Act{Name: "condition.group", Value: said(o.Value)})
		}
		for _, a := range acts {
			a.At = "/verdicts/0/when"
			try(*acted(t, text, a).Verdicts[0].When, depth+1)
		}
		for _, o := range v.Value.Options {
			if v.Value.Kind == "choices" || v.Value.Kind == "countries" {
				value := said(map[string]any{"value": o.Value, "in": !o.Selected})
				acted(t, text, edit.Act{Name: "member", At: "/verdicts/0/when/value", Value: value})
			}
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
		for name, list := range map[string][]Option{"condition.fact": v.Facts, "condition.op": v.Ops, "condition.group": v.Groups} {
			for _, o := range list {
				if v.Path == d.Ref("/verdicts/0/when") {
					continue
				}
				when := acted(t, text, edit.Act{Name: name, At: v.Path, Value: said(o.Value)}).Verdicts[0].When
				require.Len(t, when.Any, 3, o.Value)
				at, _ := d.Find(v.Path)
				if g, _ := group(&when.Any[1]); at != "/verdicts/0/when/any/1" {
					require.Len(t, g, 2, o.Value)
				}
				if at != "/verdicts/0/when/any/0" {
					require.Equal(t, one, when.Any[0], o.Value)
				}
				tried++
			}
		}
		for _, item := range v.Items {
			try(item)
		}
	}
	try(NewCondition(d, d.Ref("/verdicts/0/when"), d.Verdicts[0].When, len(d.Questions), "", true))
	require.Greater(t, tried, 60)
}

func TestABranchSeesOnlyWhatWasAsked(t *testing.T) {
	d := asked()
	c := DefaultCondition(d, 1)
	require.Equal(t, "answer.one", c.Fact)
	for _, o := range NewCondition(d, "/x", &c, 1, "", false).Facts {
		require.NotContains(t, o.Value, "many")
	}
	late := rule.Condition{Fact: "answer.words", Op: rule.OpAnswered}
	facts := NewCondition(d, "/x", &late, 1, "", false).Facts
	require.Contains(t, facts[0].Name, "asked later")
	gone := rule.Condition{Fact: "answer.gone", Op: rule.OpAnswered}
	require.Contains(t, NewCondition(d, "/x", &gone, 1, "", false).Facts[0].Name, "gone")
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
