package quiz

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Every text has one place, and its pointer leads to it in the document. The demonstration's documents have them of
// every kind.
func TestTextsStandWhereTheySay(t *testing.T) {
	files, err := filepath.Glob("../../demo/*.json")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, file := range files {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		d, err := Read(text)
		require.NoError(t, err)
		var tree any
		require.NoError(t, json.Unmarshal(text, &tree))
		seen := map[string]bool{}
		for _, x := range d.Texts() {
			require.False(t, seen[x.Place], "%s: %s comes twice", file, x.Place)
			seen[x.Place] = true
			got, there := lookUp(tree, x.At)
			require.Equal(t, x.Original != "", there && got != "", "%s: %s", file, x.At)
			if there && got != "" {
				require.Equal(t, x.Original, got, "%s: %s", file, x.At)
			}
		}
		require.Greater(t, len(seen), 20)
	}
}

func lookUp(tree any, pointer string) (any, bool) {
	for _, part := range strings.Split(strings.TrimPrefix(pointer, "/"), "/") {
		switch at := tree.(type) {
		case map[string]any:
			var ok bool
			if tree, ok = at[part]; !ok {
				return nil, false
			}
		case []any:
			i := 0
			for _, c := range part {
				i = i*10 + int(c-'0')
			}
			tree = at[i]
		default:
			return nil, false
		}
	}
	return tree, true
}

func spoken(t *testing.T) *Document {
	t.Helper()
	d, err := Read([]byte(`{"format":"omphalos-quiz/1","name":"Ferns","scales":[{"id":"s","name":"Fit"}],
	"questions":[{"id":"q","kind":"single","text":"Which?","choices":[{"id":"a","label":"This","points":{"s":2}},{"id":"b","label":"That"}]},
	{"id":"r","kind":"rating","text":"How much?","from":0,"to":4,"ends":["Little","Much"]}],
	"outcomes":[{"id":"o","heading":"End, {q}","ending":{"kind":"page","buttons":[{"label":"Go","url":"https://larkmoor.example/"}]}}],"otherwise":"o","theme":{"colour":"#112233","direction":"ltr","words":{"next":"Onward"}},
	"translations":{"de":{"questions.q.text":{"text":"Bitte angeben","of":"Which?"},"questions.q.choices.a.label":{"text":"Diese","of":"This one"},"questions.r.ends.0":{"text":"Wenig","of":"Little"},
	"questions.r.ends.1":{"text":"Viel","of":"A lot"},"outcomes.o.heading":{"text":"Ende, {q}"},"outcomes.o.buttons.0":{"text":"Los","of":"Go"},"words.next":{"text":"Vorwärts"}}}}`))
	require.NoError(t, err)
	return d
}

func TestInAnotherLanguage(t *testing.T) {
	d := spoken(t)
	before := string(textOf(t, d))
	de := d.In("de")
	require.Equal(t, before, string(textOf(t, d)), "the original stays")
	require.Equal(t, []string{"en", "de"}, d.Languages())
	require.Equal(t, "de", de.Language)
	require.Equal(t, "Bitte angeben", de.Questions[0].Text)
	require.Equal(t, "Diese", de.Questions[0].Choices[0].Label, "a changed original keeps its translation until it is looked at")
	require.Equal(t, "That", de.Questions[0].Choices[1].Label, "what is missing is shown in the original")
	require.Equal(t, []string{"Wenig", "Much"}, de.Questions[1].Ends, "a counted place holds only for the wording it was made for")
	require.Equal(t, "Ende, {q}", de.Outcomes[0].Heading)
	require.Equal(t, "Los", de.Outcomes[0].Ending.Buttons[0].Label)
	require.Equal(t, Theme{Colour: "#112233", Words: map[string]string{"next": "Vorwärts"}}, de.Theme, "words and direction are the language's")
	require.Equal(t, "2", de.Questions[0].Choices[0].Points["s"].String())
	require.Same(t, d, d.In("en"))
	require.Equal(t, "the texts in Brazilian Portuguese, name", d.Place("/translations/pt-BR/name"))
	require.Same(t, d, d.In("fr"))

	missing, changed := d.Untranslated("de")
	var places []string
	for _, x := range missing {
		places = append(places, x.Place)
	}
	require.Equal(t, []string{"name", "questions.q.choices.b.label", "questions.r.text", "scales.s"}, places)
	require.Len(t, changed, 2)
	require.Equal(t, "questions.q.choices.a.label", changed[0].Place)
	require.Equal(t, "questions.r.ends.1", changed[1].Place)
}

// What is said of a line in other languages goes with it, comes back by Undo, and never shows at a new line with its
// id.
func TestTranslationsGoWithTheirLines(t *testing.T) {
	text := textOf(t, spoken(t))
	gone, err := Edit(text, Patch{Remove("/questions/0/choices/0")})
	require.NoError(t, err)
	require.NotContains(t, string(gone.Text), "Diese")
	require.Contains(t, string(gone.Text), "Bitte angeben")
	back, err := Edit(gone.Text, gone.Inverse)
	require.NoError(t, err)
	require.JSONEq(t, string(text), string(back.Text))
	renamed, err := Edit(text, Patch{Add("/questions/0/choices/0/id", "other")})
	require.NoError(t, err)
	require.NotContains(t, string(renamed.Text), "Diese", "nothing stays at an id that is free")
	moved, err := Edit(text, Patch{Move("/questions/0", "/questions/1")})
	require.NoError(t, err)
	require.Equal(t, "Bitte angeben", moved.Document.In("de").Questions[1].Text, "a line that moves keeps its words")
}

func TestBadTranslationsAreNamed(t *testing.T) {
	for name, c := range map[string]struct{ add, at string }{
		"isn’t a language code": {`"not a language":{}`, "/translations/not a language"},
		"the own one":           {`"en":{}`, "/translations/en"},
		"no such text":          {`"de":{"questions.gone.text":{"text":"?"}}`, "/translations/de/questions.gone.text"},
		"no such word":          {`"de":{"words.":{"text":"?"}}`, "/translations/de/words."},
	} {
		_, err := Read([]byte(`{"format":"omphalos-quiz/1","name":"N","questions":[],"outcomes":[{"id":"o"}],"otherwise":"o","translations":{` + c.add + `}}`))
		var ps Problems
		require.ErrorAs(t, err, &ps, name)
		require.Equal(t, c.at, ps[0].Where, name)
	}
}
