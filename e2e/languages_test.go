package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// A quiz is said in a second language, typed and pasted; a wording that changes later is shown for another look; a
// respondent changes the language on the way without scripts and with them.
func TestASecondLanguage(t *testing.T) {
	w := start(t, false)
	h := begin(t, w, "Ferns")
	h.ask(0, "How much light?", "A little", "A lot")
	h.launch()
	h.click("#rooms a", "Script")
	h.click("a", "Other languages")
	h.has("Choose a language to translate the quiz text by text.")
	h.choose("#addlanguage", "German")
	h.has("Deutsch")
	missing, _ := h.document(w).Untranslated("de")
	all := len(missing)
	left := func(n int) { h.Helper(); h.has(fmt.Sprint(n, " left")) }
	left(all)
	german := func(place string) string { return fmt.Sprintf(`[data-do][data-at="/translations/de/%s"]`, place) }
	h.fill(german("questions.q1.text"), "Wie viel Licht?")
	left(all - 1)
	h.focus(german("questions.q1.choices.a1.label"))
	h.eval(`(() => { const data = new DataTransfer(); data.setData("text/plain", "Ein wenig\n\"Viel, sehr\nviel\"\n"); document.activeElement.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true })); })()`)
	left(all - 3)
	h.wait(fmt.Sprintf(`document.querySelector(%s).value === "Viel, sehr\nviel"`, quote(german("questions.q1.choices.a2.label"))))
	h.click("summary", "Buttons and messages")
	h.fill(german("words.next"), "Vorwärts")
	h.click("a", "Show the full script")
	h.fill(`[data-do][data-at="/questions/0/text"]`, "How much light is there?")
	h.click("a", "Other languages")
	h.has("The original changed after this translation. It used to say: How much light?")
	left(all - 2)
	h.click("button", "Keep this translation")
	left(all - 3)
	h.click("a", "Not translated")
	h.wait(fmt.Sprintf(`document.querySelectorAll(".texts tbody tr").length === %d`, all-3))
	h.click("[data-findings]")
	h.click(".finding a", "translated into German")
	h.wait(`document.activeElement.dataset.at?.startsWith("/translations/de/")`)
	h.settled()
	h.click("#state a", "Launch version 2")
	h.has("since version 1")
	h.click("button", "Launch version 2")
	h.has("Version 2 is live")
	h.quiet()

	quizzes, err := w.Store.Documents.Quizzes()
	require.NoError(t, err)
	for _, scripts := range []bool{true, false} {
		b := open(t, 390, 800)
		b.run(emulation.SetScriptExecutionDisabled(!scripts))
		b.goTo(w.URL + "/q/" + *quizzes[0].Slug)
		b.has("How much light is there?")
		b.click(".languages button", "Deutsch")
		b.has("Wie viel Licht?")
		b.has("Vorwärts")
		b.click(".choice", "Ein wenig")
		if !scripts {
			b.click("button", "Vorwärts")
		}
		b.has("Ihr Ergebnis")
		require.Equal(t, "de", b.eval(`document.documentElement.lang`))
		b.click(".languages a", "English")
		b.has("Your result")
		b.quiet()
	}
}

// document is Draft of the only quiz.
func (b *tab) document(w *world) *quiz.Document {
	b.Helper()
	quizzes, err := w.Store.Documents.Quizzes()
	require.NoError(b, err)
	d, err := quiz.ReadDraft(quizzes[0].Document)
	require.NoError(b, err)
	return d
}
