package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// hand counts what a specialist does: pointer actions and keystrokes.
type hand struct {
	*tab
	Clicks, Keys int
}

func (h *hand) tap(selector string, text ...string) {
	h.Helper()
	h.click(selector, text...)
	h.Clicks++
}

// words types text, and the keys after it.
func (h *hand) words(text string, keys ...string) {
	h.Helper()
	for _, r := range text {
		h.press(string(r))
	}
	for _, k := range keys {
		h.press(k)
	}
	h.Keys += len([]rune(text)) + len(keys)
}

// begin makes a quiz of this name and waits for its empty script.
func begin(t *testing.T, w *world, name string) *hand {
	h := &hand{tab: open(t, 1280, 800)}
	h.signIn(w)
	h.tap("[data-new]")
	h.wait(`document.activeElement.id === "newname"`)
	h.words(name, enter)
	h.has("What do you want to ask first?")
	h.has("Add a question to see who reaches each outcome") // its scripts are there
	return h
}

// ask adds a question of one answer with its answers, all from the keyboard after the first tap.
func (h *hand) ask(i int, text string, answers ...string) {
	h.Helper()
	at := fmt.Sprintf("/questions/%d", i)
	if h.eval(`document.activeElement.id`) != "newquestion" {
		h.tap("#newquestion")
	}
	h.words(text, enter)
	for j, a := range answers {
		h.wait(fmt.Sprintf(`document.activeElement.dataset.at === "%s/choices/%d/label"`, at, j))
		end := enter
		if j == len(answers)-1 {
			end = tabKey
		}
		h.words(a, end)
	}
	h.settled()
}

func (h *hand) launch() {
	h.Helper()
	h.settled()
	h.tap("#state a", "Launch")
	h.has("Launch version 1")
	h.tap("button", "Launch version 1")
	h.has("Version 1 is live")
	h.quiet()
}

// third holds a count against what one dialog for each thing takes; what it takes is written next to each use.
func third(t *testing.T, what string, got, dialogs int) {
	t.Helper()
	t.Logf("%s: %d, with a dialog each %d", what, got, dialogs)
	require.LessOrEqual(t, 3*got, dialogs, what)
}

// Two questions with three answers, three outcomes, eighteen weights, from nothing to launched. With a dialog for each
// weight (open it, click its field, type, save, each a pointer action but the typing, and choose the outcome) a weight
// takes four pointer actions: 72. The bound of this check is a third: 24.
func TestEighteenWeights(t *testing.T) {
	w := start(t, false)
	h := begin(t, w, "Which plant")
	h.ask(0, "Light?", "Dark", "Half", "Sun")
	h.ask(1, "Water?", "Rarely", "Weekly", "Daily")
	for i, name := range []string{"Fern", "Moss", "Palm"} {
		h.tap("button", "column")
		h.tap("button", "Keyword")
		h.wait(fmt.Sprintf(`document.activeElement.dataset.at === "/keywords/%d/name"`, i))
		h.eval(`document.activeElement.select()`)
		h.words(name, enter)
		h.settled()
	}
	before, keys := h.Clicks, h.Keys
	h.tap(`tr[data-at="/questions/0/choices/0"] td:nth-child(3)`) // the scale of a new quiz went with the first keyword
	h.wait(`document.activeElement.matches(".cell")`)
	want := [][]string{{"3", "1", "0"}, {"1", "2", "1"}, {"0", "1", "3"}, {"2", "0", "1"}, {"1", "2", "0"}, {"0", "1", "2"}}
	for y, row := range want {
		if y > 0 {
			h.press(kb.ArrowLeft, kb.ArrowLeft)
			h.Keys += 2
			h.press(kb.ArrowDown)
			h.Keys++
		}
		for x, n := range row {
			end := tabKey
			if x == 2 {
				end = kb.Enter
			}
			if x == 2 {
				h.press(n, end, kb.ArrowUp) // stays on its line
				h.Keys += 3
				if y == 5 {
					break
				}
				continue
			}
			h.words(n, end)
		}
	}
	h.settled()
	require.Equal(t, "3|1|/1|2|1/|1|3/2||1/1|2|/|1|2", h.table())
	require.LessOrEqual(t, h.Clicks-before, 24)
	third(t, "pointer actions for the weights", h.Clicks-before, 72)
	t.Logf("keystrokes for the weights: %d", h.Keys-keys)

	h.tap(".rooms a", "Endings")
	h.wait(`!!document.querySelector("#o-name")`)
	for _, name := range []string{"Moss set", "Palm set"} {
		h.tap("button", "outcome")
		h.wait(`document.activeElement.id === "o-name" && document.activeElement.value.startsWith("Outcome")`)
		h.words(name, enter)
		h.settled()
	}
	h.tap(".rooms a", "Verdicts")
	h.tap("button", "Leading keyword")
	h.has("Everyone else")
	h.wait(`document.querySelector("#lead-1-2")?.textContent.includes("%")`)
	h.launch()
	// Three outcomes to name, two questions to ask, 18 weights at four, three keywords, one rule, a launch: with
	// dialogs at least 72 + 3×4 + 8×4 + 3×4 + 4 + 2.
	third(t, "pointer actions in all", h.Clicks, 72+12+32+12+4+2)
}

// Two questions, weights 1/10 and 2/15, a cut at 16: only ten and … fifteen together pass it.
func TestACutAtSixteen(t *testing.T) {
	w := start(t, false)
	h := begin(t, w, "Ready to plant")
	h.ask(0, "How large?", "Small", "Large")
	h.ask(1, "How soon?", "Later", "Now")
	h.tap(`tr[data-at="/questions/0/choices/0"] td:nth-child(3)`)
	h.words("1", enter)
	h.words("10", enter)
	h.words("2", enter)
	h.words("15", enter)
	h.settled()
	require.Equal(t, "1/10/2/15", h.table())
	h.tap(".rooms a", "Endings")
	h.wait(`!!document.querySelector("#o-name")`)
	h.tap("button", "outcome")
	h.wait(`document.activeElement.id === "o-name" && document.activeElement.value.startsWith("Outcome")`)
	h.words("Visit", enter)
	h.settled()
	h.tap(".rooms a", "Verdicts")
	h.tap("button", "Cut points on a scale")
	h.wait(`document.activeElement.dataset.at === "/verdicts/0/bands/cuts/0/from"`)
	h.eval(`document.activeElement.select()`)
	h.words("16", enter)
	h.wait(`document.querySelector("#share-1")?.textContent.includes("50%")`) // 16 and over: 1+15, 10+15
	h.launch()
	// With dialogs: 4 answers and 2 questions to make at 4 each, 4 weights at 4, an outcome at 4, a rule at 6, a launch
	// at 2.
	third(t, "pointer actions", h.Clicks, 6*4+4*4+4+6+2)
	t.Logf("keystrokes beside the words: %d", h.Keys-len("Ready to plantHow large?SmallLargeHow soon?LaterNowVisit"))
}

// A decision over three questions of two answers: a table that fills its own eight rows.
func TestADecisionOverThreeQuestions(t *testing.T) {
	w := start(t, false)
	h := begin(t, w, "Decide")
	for i, q := range []string{"Light", "Water", "Space"} {
		h.ask(i, q+"?", "Little", "Much")
	}
	h.tap(".rooms a", "Endings")
	h.wait(`!!document.querySelector("#o-name")`)
	h.tap("button", "outcome")
	h.wait(`document.activeElement.id === "o-name" && document.activeElement.value.startsWith("Outcome")`)
	h.words("Stay", enter) // takes the place of the outcome that a new quiz begins with
	h.settled()
	h.tap("button", "outcome")
	h.wait(`document.activeElement.id === "o-name" && document.activeElement.value === "Outcome 2"`)
	h.words("Go", enter)
	h.settled()
	h.tap(".rooms a", "Verdicts")
	h.tap("button", "Decision table")
	h.has("8 missing rows")
	h.tap("button", "missing rows")
	h.has("Every combination has a row")
	h.settled()
	// The last row, all much, goes to the other outcome: by the keyboard on its menu.
	h.focus(`[data-at="/verdicts/0/table/rows/7/outcome"]`)
	h.Clicks++
	h.choose(`[data-at="/verdicts/0/table/rows/7/outcome"]`, "Go")
	h.Keys += 2
	h.wait(`document.querySelector("#row-1-7")?.textContent.includes("12.5%")`)
	h.launch()
	// With dialogs: a rule for each of 8 combinations at 3 conditions of 3 pointer actions, its outcome and saving it;
	// 9 things to make at 4 each.
	third(t, "pointer actions", h.Clicks, 8*(9+3)+9*4)
	t.Logf("keystrokes beside the words: %d", h.Keys-len("DecideLight?Water?Space?LittleMuchLittleMuchLittleMuchGo"))
}

// A block copied from a spreadsheet lands where it was pasted, in one step that undo undoes; wrong cells are refused
// whole.
func TestABlockFromASpreadsheet(t *testing.T) {
	w := start(t, true)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + quizID(t, w) + "/script?view=ledger")
	b.has("Show the full script")
	before := b.table()
	revision := mustRevision(t, w, quizID(t, w))
	paste := func(text string) {
		b.eval(fmt.Sprintf(`(() => { const data = new DataTransfer(); data.setData("text/plain", %s); document.activeElement.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true })); })()`, quote(text)))
		b.settled()
	}
	b.cell("/questions/0/choices/1", 0)
	paste("1.5\t2\r\n−3\t\r\n0\t4\r\n")
	require.Equal(t, "1|/1.5|2/-3|/|4", strings.Join(strings.Split(b.table(), "/")[:4], "/"))
	require.Equal(t, revision+1, mustRevision(t, w, quizID(t, w)), "one edit")
	require.Equal(t, "6", b.eval(`String(document.querySelectorAll(".cell.chosen").length)`))
	copied := b.eval(`(() => { const data = new DataTransfer(); document.activeElement.dispatchEvent(new ClipboardEvent("copy", { clipboardData: data, bubbles: true, cancelable: true })); return data.getData("text/plain"); })()`)
	require.Equal(t, "1.5\t2\n-3\t\n\t4", copied)
	paste("1\tmany")
	b.has("Line 1, column 2 of what you paste: “many”")
	require.Equal(t, revision+1, mustRevision(t, w, quizID(t, w)), "nothing of it")
	b.click("button", "Close")
	b.press("z") // not a figure: nothing begins
	b.click(`[data-do="undo"]`)
	b.wait(fmt.Sprintf(`[...document.querySelectorAll("tr.answer")].map((tr) => [...tr.querySelectorAll(".cell")].map((c) => c.textContent).join("|")).join("/") === %s`, quote(before)))

	// Fill down over a selection made with the keyboard, and empty it again.
	b.cell("/questions/1/choices/0", 1)
	b.press("7", enter, kb.ArrowUp)
	b.run(chromedp.KeyEvent(kb.ArrowDown, chromedp.KeyModifiers(8)), chromedp.KeyEvent(kb.ArrowDown, chromedp.KeyModifiers(8)), chromedp.KeyEvent("d", chromedp.KeyModifiers(2)))
	b.settled()
	require.Equal(t, "5|7/4|7/2|7/1|", strings.Join(strings.Split(b.table(), "/")[3:7], "/"))
	b.press(kb.Delete)
	b.settled()
	require.Equal(t, "5|/4|/2|/1|", strings.Join(strings.Split(b.table(), "/")[3:7], "/"))
	b.quiet()
}

// A connection that is lost is said, what was edited is kept, and it is sent when the connection is back.
func TestALostConnectionKeepsTheEdits(t *testing.T) {
	w := start(t, true)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + quizID(t, w) + "/script")
	b.has("Exact: all 456,920 combinations of answers")
	b.eval(`window.realFetch = window.fetch; window.fetch = () => Promise.reject(new TypeError("no network")); 0`)
	b.focus(`[data-do][data-at="/questions/0/text"]`)
	b.press(kb.End, " 1", enter)
	b.has("you’re offline – your changes are kept in this browser and will be saved later")
	b.cell("/questions/0/choices/0", 0)
	b.press("9", enter)
	b.eval(`window.fetch = window.realFetch; 0`)
	b.settled()
	q, err := w.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	require.Contains(t, string(q.Document), "How large is the wall? 1")
	require.Contains(t, string(q.Document), `"fit":9`)
}

// Who types on while a new answer is on its way finds it in that answer, and what was typed in a line is not kept from
// being undone though only what changed is drawn again.
func TestTypingNeverWaits(t *testing.T) {
	w := start(t, false)
	h := begin(t, w, "Ferns")
	h.tap("button", "Single choice")
	h.wait(`document.activeElement.dataset.at === "/questions/0/text"`)
	// One script types without a pause, as fast as keys can come.
	h.eval(`(() => {
		const type = (text) => { for (const c of text) {
			const key = c === "\n" ? "Enter" : c;
			const el = document.activeElement;
			if (el.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true })) && key === c) document.execCommand("insertText", false, c);
		} };
		type("Which fern?\nTree\nLady\nHart\nMaidenhair");
	})()`)
	h.wait(`document.activeElement.value === "Maidenhair"`)
	h.press(tabKey)
	h.settled()
	labels := `[...document.querySelectorAll("tr.answer textarea")].map((e) => e.value).join("|")`
	require.Equal(t, "Tree|Lady|Hart|Maidenhair", h.eval(labels))
	h.cell("/questions/0/choices/1", 0)
	h.press("7", enter)
	h.settled()
	h.put(`[data-do][data-at="/questions/0/choices/2/label"]`, "Hart’s tongue")
	h.press(tabKey)
	h.settled()
	h.eval(`document.activeElement.blur()`)
	for _, want := range []string{"Hart", ""} {
		h.click(`[data-do="undo"]`)
		h.settled()
		if want != "" {
			h.wait(fmt.Sprintf(`document.querySelector('[data-do][data-at="/questions/0/choices/2/label"]').value === %q`, want))
		} else {
			h.wait(`document.querySelector('tr[data-at="/questions/0/choices/1"] .cell').textContent === ""`)
		}
	}
	h.quiet()
}
