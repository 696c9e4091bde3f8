package sheet

import (
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

func windowsill(t *testing.T) *quiz.Document {
	t.Helper()
	text, err := os.ReadFile("../../demo/windowsill.json")
	require.NoError(t, err)
	d, err := quiz.Read(text)
	require.NoError(t, err)
	return d
}

// Texts that were written and read back into their own quiz change nothing; read into the quiz without its translations
// they bring them all back, the words of buttons too.
func TestWrittenTextsReadBack(t *testing.T) {
	d := windowsill(t)
	words := []Word{{"next", "Continue"}, {"your_result", "Your plant"}}
	table := GuardedTexts(WriteTexts(d, words...))
	require.Equal(t, []string{"words.next", "buttons and messages", "Continue", ""}, table[len(table)-2])
	require.Equal(t, []string{"words.your_result", "buttons and messages", "Your plant", "Ihre Pflanze"}, table[len(table)-1])
	back, faults := ReadTexts(d, table, words...)
	require.Empty(t, faults)
	require.Equal(t, d.Translations, back.Translations)
	bare := *d
	bare.Translations = nil
	back, faults = ReadTexts(&bare, table, words...)
	require.Empty(t, faults)
	require.Equal(t, d.Translations["de"], back.Translations["de"])
	require.Nil(t, bare.Translations, "the quiz itself stays")
}

func TestTextsOfAChangedTable(t *testing.T) {
	d := windowsill(t)
	d.Questions[1].Text = "How often will you really water?"
	back, faults := ReadTexts(d, [][]string{{"Place", "", "en", "de", "pt-BR"},
		{"questions.light.text", "", "How bright is your windowsill?", "", "Quão claro?"},
		{"questions.water.text", "", "Honestly, how often will you water?", "Wie oft?", "'=1+1"}, nil, {""}})
	require.Empty(t, faults)
	require.Equal(t, "Wie hell ist Ihre Fensterbank?", back.Translations["de"]["questions.light.text"].Text, "an empty cell leaves what is there")
	require.Equal(t, quiz.Translated{Text: "=1+1", Of: "Honestly, how often will you water?"}, back.Translations["pt-BR"]["questions.water.text"])
	_, changed := back.Untranslated("de")
	require.Len(t, changed, 1, "what was said of an older wording is marked")
	require.Equal(t, "questions.water.text", changed[0].Place)
}

func TestBadTextsAreNamedByTheirPlace(t *testing.T) {
	d := windowsill(t)
	for name, c := range map[string]struct {
		table [][]string
		want  string
	}{
		"isn’t a language; use a code such as de or pt-BR as the column heading": {[][]string{{"place", "en", "Deutsch bitte"}}, "isn’t a language; use a code such as de or pt-BR as the column heading"},
		"no column": {[][]string{{"place", "where", "en"}, {"name", "", "x"}}, "there’s no column for another language; add one headed with its code, such as de"},
		"no place":  {[][]string{{"place", "de"}, {"name", "x"}, {"nowhere", "x"}}, `line 3, column place: this quiz has no text "nowhere"`},
	} {
		_, faults := ReadTexts(d, c.table)
		require.Len(t, faults, 1, name)
		require.Contains(t, faults[0].Error(), c.want, name)
	}
}
