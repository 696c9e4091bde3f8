package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// Five products with pictures are recommended by three answers, in a grid that says what it leaves open.
func TestProductsByThreeAnswersInFewActions(t *testing.T) {
	w := start(t, false)
	j := newJob(t, w, "Which fern for you")
	j.question(0, "How bright?", "Dark", "Half", "Bright")
	j.question(1, "How damp?", "Dry", "Damp")
	j.question(2, "How much time?", "Little", "Much")
	j.tap(".rooms a", "Endings")
	j.pick("#o-kind", "Products")
	j.tap("a.pick", "Recommended products")
	j.tap("a", "Add your products")
	j.tap(`tbody [data-cellof]`)
	rows := []string{}
	for _, name := range []string{"Hart", "Lady", "Tree", "Moss", "Stag"} {
		rows = append(rows, strings.ToLower(name)+"\t"+name+" fern\t"+"/samples/mist-keeper.svg\t24.90\t\t"+w.Sites+"/shop")
	}
	j.pasted(strings.Join(rows, "\n"))
	j.wait(`document.querySelector("[data-tablestate]").textContent.trim() === "Saved"`)
	j.tap("a.pick", "Recommended products")
	j.tap("button", "Add all products")
	j.wait(`document.querySelectorAll(".productgrid thead th").length === 6`)
	j.tap(`.productgrid tbody [type=checkbox]`) // the first cell: it is pasted over
	j.pasted(strings.Join([]string{
		"x\t\t\t\t", "\tx\t\t\tx", "\t\tx\tx\t",
		"\t\tx\t\tx", "x\tx\t\tx\t",
		"x\tx\tx\tx\t", "\t\t\tx\tx",
	}, "\n"))
	j.wait(`document.querySelectorAll(".productgrid tbody :checked").length === 16`)
	d := draft(t, w, onlyQuiz(t, w))
	require.Len(t, d.Recommendations.Lines, 5)
	require.Equal(t, "hart", d.Recommendations.Lines[0].Product)
	require.Equal(t, "“How bright?” is Dark and “How damp?” is Damp and “How much time?” is Little", d.Sentence(d.Recommendations.Lines[0].When))
	// Of 12 equally likely combinations, 6 match no product, and none matches two.
	j.wait(`(document.querySelector("[data-says='/recommendations']")?.textContent || "").includes("50% of all respondents see no product")`)
	// A cell ticked by hand makes two products match for Dark, Damp, Little: a tie.
	j.tap(`.productgrid tbody tr:nth-child(2) td:nth-of-type(2) input`)
	j.wait(`(document.querySelector("[data-says='/recommendations']")?.textContent || "").includes("match more products than they are shown")`)
	j.tap(`[data-do="undo"]`)
	j.wait(`document.querySelectorAll(".productgrid tbody :checked").length === 16`)
	// The last product is left for Everyone else: its column is emptied.
	j.tap(`.productgrid tbody tr:nth-child(2) td:nth-of-type(5) input`)
	j.pasted("\n\n\n\n\n\n\n")
	j.wait(`document.querySelectorAll(".productgrid tbody :checked").length === 13`)
	j.wait(`document.querySelector("[data-says='/recommendations']").textContent.trim() === ""`)
	j.launched("which-fern-for-you")
	t.Logf("products by three answers: %d actions", j.acts)
	require.LessOrEqual(t, j.acts, 30)
	require.Equal(t, quiz.EndProducts, d.Outcomes[0].Ending.Kind)
	p := open(t, 390, 780)
	p.goTo(w.URL + "/q/which-fern-for-you")
	for _, answer := range []string{"Dark", "Damp", "Little"} {
		p.click("label", answer)
	}
	p.has("Hart fern")
	require.Equal(t, "1", p.eval(`String(document.querySelectorAll(".products li").length)`))
}

// Branches, an answer of one's own, an early end, an age check and a contact step.
func TestBranchesAndAnAgeCheckInFewActions(t *testing.T) {
	w := start(t, false)
	j := newJob(t, w, "Plan a garden")
	j.question(0, "What do you have?", "A garden", "A balcony", "Something else", "Nothing yet")
	j.question(1, "How large is it?", "Small", "Large")
	j.question(2, "How high is it?", "Low", "High")
	j.goToNew()
	j.press("When were you born?")
	j.acts++
	j.pick(`select[data-do="question.new"]`, "Date")
	j.wait(`!!document.querySelector('tbody[data-at="/questions/3"]')`)
	then := func(answer int, to string) {
		line := fmt.Sprintf(`tbody[data-at="/questions/0"] tr.answer:nth-of-type(%d)`, answer+2)
		j.hover(line)
		j.tap(line + " [data-then]")
		j.pick("select[aria-label='After this answer go to']", to)
	}
	then(1, "3 How high is it?")
	j.wait(`document.querySelectorAll('tbody[data-at="/questions/0"] .goes b').length === 1`)
	then(3, "New outcome")
	j.wait(`document.activeElement.getAttribute("aria-label") === "Name of the new outcome"`)
	j.typed("Not yet", enter)
	j.wait(`document.querySelectorAll('tbody[data-at="/questions/0"] .goes b').length === 2`)
	j.tap(`tbody[data-at="/questions/0"] [data-settings]`)
	j.tap(`[aria-label="Something else has a write-in field"]`)
	j.wait(`!!document.querySelector('tbody[data-at="/questions/0"] .chip')`)
	// The garden's question leads past the balcony's.
	j.hover(`tbody[data-at="/questions/1"] tr.answer`)
	for _, answer := range []int{0, 1} {
		line := fmt.Sprintf(`tbody[data-at="/questions/1"] tr.answer:nth-of-type(%d)`, answer+2)
		j.hover(line)
		j.tap(line + " [data-then]")
		j.pick("select[aria-label='After this answer go to']", "4 When were you born?")
		j.wait(fmt.Sprintf(`document.querySelectorAll('tbody[data-at="/questions/1"] .goes b').length === %d`, answer+1))
	}
	j.pick("#contact-place", "before the outcome")
	j.tap(".rooms a", "Verdicts")
	j.tap("button", "Rule")
	j.wait(`document.querySelectorAll(".line[data-order]").length === 1`)
	j.pick(`[data-do="act:condition.fact"][data-at="/verdicts/0/when"]`, "When were you born?")
	j.pick(`[data-do="act:condition.op"][data-at="/verdicts/0/when"]`, "is fewer years ago than")
	j.pick(`[data-at="/verdicts/0/outcome"]`, "Not yet")
	d := draft(t, w, onlyQuiz(t, w))
	require.Equal(t, "age_lt", string(d.Verdicts[0].When.Op))
	require.Equal(t, "before_outcome", d.Contact.Place)
	require.True(t, d.Questions[0].Choices[2].Other)
	require.Len(t, d.Questions[0].Branches, 2)
	j.launched("plan-a-garden")
	t.Logf("branches and an age check: %d actions", j.acts)
	require.LessOrEqual(t, j.acts, 40)
}
