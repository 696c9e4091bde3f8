package words

import (
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// Every shipped language has every word, and its messages name what the English ones name.
func TestWordsOfShippedLanguages(t *testing.T) {
	slots := func(s string) []string {
		out := regexp.MustCompile(`\{\d\}`).FindAllString(s, -1)
		slices.Sort(out)
		return out
	}
	require.Greater(t, len(shipped()), 4)
	for code, list := range shipped() {
		for _, key := range Keys() {
			require.NotEmpty(t, list[key], "%s: %s", code, key)
			require.Equal(t, slots(English(key)), slots(list[key]), "%s: %s", code, key)
		}
		require.Len(t, list, len(Keys()), code)
	}
	_, ok := In("sv-SE")
	require.False(t, ok)
	list, ok := In("DE-at")
	require.True(t, ok)
	require.Equal(t, "Weiter", list["next"])
	require.Equal(t, "Deutsch", SelfName("de"))
	require.Equal(t, "xx-not-one", SelfName("xx-not-one"))
}

func TestUsualTextsAreInEveryShippedLanguage(t *testing.T) {
	for english, by := range usual() {
		for code := range shipped() {
			require.True(t, code == "en" || by[code] != "", "%s in %s", english, code)
		}
	}
}

// Months and weekdays are as many in every language; a few of each are named here.
func TestNamesOfTheCalendar(t *testing.T) {
	for i, n := range []int{12, 7} {
		for code, names := range calendar[i] {
			require.Len(t, strings.Fields(names), n, code)
		}
	}
	for _, c := range [][3]string{
		{"May", "de", "Mai"}, {"august", "fr", "Août"}, {"March", "nl-BE", "Maart"}, {"Wednesday", "es", "Miércoles"},
		{"Monday", "it", "Lunedì"}, {"Sunday", "de", "Sonntag"}, {"Saturday", "nl", "Zaterdag"},
	} {
		got, ok := Usual(c[0], c[1])
		require.True(t, ok, c)
		require.Equal(t, c[2], got)
	}
}

// Usual texts come translated where no one has translated them; anything else stays.
func TestUsualTextsComeTranslated(t *testing.T) {
	d, err := quiz.Read([]byte(`{"format":"omphalos-quiz/1","name":"U","language":"en","questions":[
		{"id":"q","kind":"single","text":"Sure?","choices":[{"id":"y","label":"Yes"},{"id":"n","label":"No"},{"id":"m","label":"Maybe"}]}],
		"contact":{"place":"before_outcome","fields":[{"id":"email","kind":"email","label":"E-mail"}]},
		"outcomes":[{"id":"o"}],"otherwise":"o",
		"translations":{"de":{"questions.q.choices.y.label":{"text":"Jawohl"}}}}`))
	require.NoError(t, err)
	labels := func(d *quiz.Document) []string {
		var out []string
		for _, c := range d.Questions[0].Choices {
			out = append(out, c.Label)
		}
		return append(out, d.Contact.Fields[0].Label)
	}
	require.Equal(t, []string{"Jawohl", "Nein", "Maybe", "E-Mail"}, labels(InLanguage(d, "de")))
	require.Equal(t, []string{"Yes", "No", "Maybe", "E-mail"}, labels(InLanguage(d, "en")))
	d.Language = "nl"
	require.Equal(t, []string{"Jawohl", "No", "Maybe", "E-mail"}, labels(InLanguage(d, "de")), "only English is known")
}
