package e2e

import (
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
	j.pick("#o-kind", "products")
	j.tap("a.pick", "Recommended products")
	j.tap("a", "Add your products")
	j.tap(`tbody [data-cellof]`)
	rows := []string{}
	for _, name := range []string{"Hart", "Lady", "Tree", "Moss", "Stag"} {
		rows = append(rows, strings.ToLower(name)+"\t"+name+" fern\t"+"/samples/mist-keeper.svg\t24.90\t\t"+w.Sites+"/shop")
	}
	j.pasted(strings.Join(rows, "\n"))
	j.wait(`document.querySelector("[data-tablestate]").textContent.trim() === "saved"`)
	j.tap("a.pick", "Recommended products")
	j.tap("button", "all products")
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
	// The last product is left for everyone else: its column is emptied.
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
