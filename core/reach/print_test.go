package reach

import (
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
	"omphalos/core/rule"
)

// An edit of wording leaves the print as it is, one of what a question gives leaves all but its weights, and any other
// edit changes the rest.
func TestWhatAnEditChangesOfAPrint(t *testing.T) {
	of := func(change func(d *quiz.Document)) print {
		d := doc(t, two+`"questions":[
			{"id":"a","kind":"single","required":true,"choices":[{"id":"p","points":{"s":4}},{"id":"q","votes":{"k":1}}]},
			{"id":"n","kind":"number","from":0,"to":9,"linear":{"s":{"factor":1}},"steps":[{"from":3,"points":{"s":2}}]}],
			"verdicts":[{"bands":{"on":"scale.s","cuts":[{"from":3,"outcome":"x"}]}}]`)
		if change != nil {
			change(d)
		}
		p, err := printOf(d, Options{})
		require.NoError(t, err)
		return p
	}
	two := rule.Int(2)
	for name, c := range map[string]struct {
		change func(d *quiz.Document)
		same   bool // the documents are the same but for weights
		which  []int
	}{
		"nothing":        {nil, true, nil},
		"wording":        {func(d *quiz.Document) { d.Questions[0].Text, d.Name, d.Scales[0].Name = "x", "x", "x" }, true, nil},
		"a label":        {func(d *quiz.Document) { d.Questions[0].Choices[1].Label = "x" }, true, nil},
		"points":         {func(d *quiz.Document) { d.Questions[0].Choices[0].Points["s"] = rule.Int(5) }, true, []int{0}},
		"votes":          {func(d *quiz.Document) { d.Questions[0].Choices[1].Votes["k"] = rule.Int(5) }, true, []int{0}},
		"a weight":       {func(d *quiz.Document) { d.Questions[1].Weight = &two }, true, []int{1}},
		"a linear":       {func(d *quiz.Document) { d.Questions[1].Linear["s"] = quiz.LinearPoint{Factor: two} }, true, []int{1}},
		"a step's gift":  {func(d *quiz.Document) { d.Questions[1].Steps[0].Points["s"] = rule.Int(7) }, true, []int{1}},
		"where a step":   {func(d *quiz.Document) { d.Questions[1].Steps[0].From = two }, false, nil},
		"a cut point":    {func(d *quiz.Document) { d.Verdicts[0].Bands.Cuts[0].From = two }, false, nil},
		"an answer more": {func(d *quiz.Document) { d.Questions[0].Choices = append(d.Questions[0].Choices, quiz.Choice{ID: "r"}) }, false, nil},
		"required":       {func(d *quiz.Document) { d.Questions[0].Required = false }, false, nil},
		"exclusive":      {func(d *quiz.Document) { d.Questions[0].Choices[0].Exclusive = true }, false, nil},
		"a start":        {func(d *quiz.Document) { d.Scales[0].Start = two }, false, nil},
		"another order":  {func(d *quiz.Document) { d.Questions[0], d.Questions[1] = d.Questions[1], d.Questions[0] }, false, nil},
	} {
		which, same := of(nil).reweighed(of(c.change))
		require.Equal(t, c.same, same, name)
		require.Equal(t, c.which, which, name)
	}
	d := doc(t, two1)
	even, err := printOf(d, Options{})
	require.NoError(t, err)
	other, err := printOf(d, Options{Assume: &Assumption{Answers: map[string]map[string]float64{"a": {"p": 1}}}})
	require.NoError(t, err)
	_, same := even.reweighed(other)
	require.False(t, same, "other shares are another count")
}

const two1 = two + `"questions":[` + ab + `],"verdicts":[{"bands":{"on":"scale.s","cuts":[{"from":3,"outcome":"x"}]}}]`
