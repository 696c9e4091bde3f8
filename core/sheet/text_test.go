package sheet

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/corpus"
	"omphalos/core/kind"
	"omphalos/core/quiz"
)

const example = `# Is your office ready?

Seven questions, two minutes.

## The wall
1. How large is the wall?
   Roughly is enough.
   - Under 5 m² [1]
   - 5 to 20 m² [4, Urgency 2]
   - More [Fit -0.5, #Moss, #Fern 2]
2) What matters to you? (several, optional)
* Quiet [+3]
* Air [right]
3. How likely is it? (rating 0 - 10)
4. How many people? (number 1 to 500)
5. Do you own the building? (yes/no)
   - yes [2]
## You
6. Tell us more (long text, optional)
7. Why plants (and not paint)?
`

func TestAnExampleReadsAsItLooks(t *testing.T) {
	d, faults := ParseText(example, "Score")
	require.Empty(t, faults)
	require.Empty(t, d.Validate())
	require.Equal(t, "Is your office ready?", d.Name)
	require.Equal(t, "Seven questions, two minutes.", d.Intro.Text)
	require.Len(t, d.Sections, 2)
	require.Len(t, d.Questions, 7)
	kinds := []kind.Name{quiz.Single, quiz.Multiple, quiz.Rating, quiz.NumberQ, quiz.Single, quiz.LongText, quiz.ShortText}
	for i, k := range kinds {
		require.Equal(t, k, d.Questions[i].Kind, "question %d", i+1)
	}
	wall := d.Questions[0]
	require.Equal(t, "Roughly is enough.", wall.Help)
	require.Equal(t, "The wall", d.Sections[0].Heading)
	require.Equal(t, d.Sections[0].ID, wall.Section)
	require.Equal(t, d.Sections[1].ID, d.Questions[5].Section)
	require.Equal(t, "5 to 20 m²", wall.Choices[1].Label)
	require.Equal(t, []string{"score", "urgency", "fit"}, []string{d.Scales[0].ID, d.Scales[1].ID, d.Scales[2].ID})
	require.Equal(t, "4", wall.Choices[1].Points["score"].String())
	require.Equal(t, "2", wall.Choices[1].Points["urgency"].String())
	require.Equal(t, "-0.5", wall.Choices[2].Points["fit"].String())
	require.Equal(t, "1", wall.Choices[2].Votes["moss"].String())
	require.Equal(t, "2", wall.Choices[2].Votes["fern"].String())
	require.False(t, d.Questions[1].Required)
	require.True(t, d.Questions[1].Choices[1].Correct)
	require.Equal(t, "0", d.Questions[2].From.String())
	require.Equal(t, "500", d.Questions[3].To.String())
	require.Len(t, d.Questions[4].Choices, 2)
	require.Equal(t, "2", d.Questions[4].Choices[0].Points["score"].String())
	require.Equal(t, "Why plants (and not paint)?", d.Questions[6].Text)
}

func TestFaultsNameTheirLine(t *testing.T) {
	for text, want := range map[string]Fault{
		"- an answer":                   {1, "", "there’s an answer before the first question"},
		"# A\n\n1. B?\n- x\nwhat":       {5, "", "line 5: “what” is neither a question nor an answer; start questions with “1.” and answers with “-”"},
		"1. B?\n- [3]":                  {2, "", "the answer has no text"},
		"1. B?\n- x [Fern]":             {2, "", `line 2: "Fern" isn’t a weight; use a form such as 3, Fit 3, #Fern, #Fern 2 or right`},
		"1. B?\n- x [0.12345]":          {2, "", `"0.12345" is not a weight: 0.12345 has more than 4 decimals`},
		"1. B? (rating)\n- x":           {2, "", `line 2: a question of type "rating" can’t have answers to choose from`},
		"# Only a name":                 {1, "", "there are no questions; type one like “1. What do you want to ask?”"},
		"1. B?\r\n- x\r\n\r\n- y [#]\r": {4, "", `line 4: "#" isn’t a weight; use a form such as 3, Fit 3, #Fern, #Fern 2 or right`},
	} {
		_, faults := ParseText(text, "Score")
		require.NotEmpty(t, faults, text)
		require.Contains(t, fmt.Sprint(faults), want.Message, text)
		require.Equal(t, want.Line, faults[0].Line, text)
	}
}

// Whatever is pasted, reading ends, and what was read is a well-formed draft.
func FuzzText(f *testing.F) {
	corpus.Add(f)
	f.Add(example)
	f.Add("1. (\n- [[]]\n# \n## ")
	f.Fuzz(func(t *testing.T, text string) {
		d, _ := ParseText(text, "Score")
		if len(d.Questions) < 200 && len(text) < 20000 {
			_, err := quiz.Edit([]byte(`{"format":"omphalos-quiz/1","name":"x","questions":[],"outcomes":[{"id":"a"}],"otherwise":"a"}`),
				quiz.Patch{quiz.Add("/questions", d.Questions), quiz.Add("/scales", append([]quiz.Scale{}, d.Scales...)), quiz.Add("/keywords", append([]quiz.Keyword{}, d.Keywords...)), quiz.Add("/sections", append([]quiz.Section{}, d.Sections...))})
			require.NoError(t, err)
		}
	})
}
