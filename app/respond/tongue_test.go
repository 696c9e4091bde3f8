package respond

import (
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/documents"
)

const bilingual = `"questions":[{"id":"q","kind":"single","required":true,"text":"Which?","choices":[{"id":"a","label":"A fern"},{"id":"b","label":"A stone"}]},
	{"id":"t","kind":"short_text","text":"Its name?","required":true}],
	"verdicts":[{"when":{"fact":"visitor.language","op":"is","value":"de"},"outcome":"d"}],
	"outcomes":[{"id":"o","heading":"{q} named {t}"},{"id":"d","heading":"Spoken to: {q} named {t}"}],"otherwise":"o",
	"translations":{"de":{"questions.q.text":{"text":"Bitte angeben"},"questions.q.choices.a.label":{"text":"Ein Farn"},"questions.t.text":{"text":"Wie heißt sie?"},"outcomes.d.heading":{"text":"{q} namens {t}"},"words.next":{"text":"Vorwärts"}},
	"ar":{"questions.q.text":{"text":"أيها؟"}}}`

// prefer begins a walk with a browser of the given languages.
func (v *visit) prefer(path, languages string) {
	r := httptest.NewRequest("GET", path, nil)
	r.Header.Set("Accept-Language", languages)
	v.follow(r)
}

func TestTheLanguageOfTheBrowser(t *testing.T) {
	v := newVisit(t, bilingual)
	for header, want := range map[string]string{ // RFC 9110 12.5.4: weights say the order; a region narrows, and its language serves
		"": "en", "de": "de", "de-AT,de;q=0.9,en;q=0.5": "de", "en;q=0.4,de;q=0.8": "de", "en,de;q=0.9": "en", "fr": "en", "fr,de;q=0.1": "de", "ar-EG": "ar", "not a header;;": "en"} {
		v.prefer("/q/pages", header)
		require.Contains(t, v.body, `<html lang="`+want+`"`, header)
	}
	v.prefer("/q/pages", "de")
	require.NotContains(t, v.body, `dir="rtl"`)
	v.prefer("/q/pages?lang=ar", "de")
	require.Contains(t, v.body, `dir="rtl"`, "the link's language comes first, and its direction with it")
	v.prefer("/q/pages?lang=xx", "de")
	require.Contains(t, v.body, `<html lang="de"`, "a language that the quiz has not is passed over")
}

func TestALanguageIsChangedOnTheWay(t *testing.T) {
	v := newVisit(t, bilingual)
	v.prefer("/q/pages", "de-DE")
	require.Contains(t, v.text(), "Bitte angeben")
	require.Contains(t, v.text(), "Ein Farn A stone", "what is not translated is shown in the original")
	require.Contains(t, v.text(), "Vorwärts")
	v.send(".lang=en&q=a&.shown=q")
	require.Contains(t, v.text(), "Which?")
	require.Regexp(t, `value="a"[^>]* checked`, v.body, "what was chosen stays chosen")
	v.send("q=a&.shown=q")
	v.send(".lang=de&t=Frieda&.shown=t")
	require.Contains(t, v.text(), "Wie heißt sie?")
	require.Contains(t, v.body, `value="Frieda"`, "what was typed stays typed")
	v.send("t=&.shown=t")
	require.Contains(t, v.text(), "Geben Sie eine Antwort ein.", "messages are in the language too")
	v.send("t=Frieda&.shown=t")
	require.Contains(t, v.text(), "Ein Farn namens Frieda", "who changes to a language is of that language for the rules")
	at := strings.Split(v.at, "?")[0]
	v.get(at + "?lang=en")
	require.Contains(t, v.text(), "Spoken to: A fern named Frieda", "the outcome stays what it is")
	list := v.responses()
	require.Len(t, list, 1)
	require.Equal(t, "d", list[0].Outcome)
	require.NotContains(t, list[0].Reason, "Farn", "the owner reads the quiz's own language")
	again := regexp.MustCompile(`\?again=[^"]+`).FindString(v.body)
	v.prefer("/q/pages"+strings.ReplaceAll(again, "&amp;", "&"), "de")
	require.Contains(t, v.text(), "Which?", "taken again in the language that was chosen")
}

func TestTablesInAnotherLanguage(t *testing.T) {
	v := newVisit(t, `"questions":[{"id":"p","kind":"single","text":"Where?","choices_from":{"table":"places","label":"name"}}],"outcomes":[{"id":"o"}],"otherwise":"o","translations":{"de":{}}`)
	q, err := v.s.Documents.QuizBySlug("pages")
	require.NoError(t, err)
	require.NoError(t, v.s.Documents.SaveTable(q.ID, 1, 0, tableOf("places", "id,name,name de", "c,Cologne,Köln", "m,Mainz,")))
	v.prefer("/q/pages", "de")
	require.Contains(t, v.text(), "Köln")
	require.Contains(t, v.text(), "Mainz", "an empty cell gives way to the original's")
	v.prefer("/q/pages", "en")
	require.Contains(t, v.text(), "Cologne")
}

func tableOf(name, columns string, rows ...string) *documents.Table {
	t := &documents.Table{Name: name, Columns: strings.Split(columns, ",")}
	for _, row := range rows {
		t.Rows = append(t.Rows, strings.Split(row, ","))
	}
	return t
}
