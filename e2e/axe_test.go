package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// Every view, light and dark, has nothing that axe-core (Deque, MPL-2.0; rules of WCAG 2.2 A and AA) objects to.
func TestNothingThatAxeObjectsTo(t *testing.T) {
	axe, err := os.ReadFile("testdata/axe.min.js")
	require.NoError(t, err)
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 800)
	b.signIn(w)
	for _, dark := range []bool{false, true} {
		if dark {
			b.dark()
		}
		for _, path := range []string{"/", "/quizzes/ID/script", "/quizzes/ID/verdicts", "/quizzes/ID/endings?outcome=pack", "/quizzes/ID/endings?outcome=visit", "/quizzes/ID/launch", "/quizzes/ID/leads", "/q/living-wall", "/nowhere"} {
			b.goTo(w.URL + strings.ReplaceAll(path, "ID", id))
			if strings.Contains(path, "quizzes") {
				b.wait(`document.querySelectorAll("[data-segment]").length > 0`)
			}
			require.Empty(t, b.axe(axe), "%s, dark %v", path, dark)
		}
	}
	b.goTo(w.URL + "/q/living-wall")
	b.click("button", "Begin")
	b.has("How large")
	b.click("button", "Go on")
	b.has("Choose an answer.")
	require.Empty(t, b.axe(axe), "a question with an error")
}

func (b *tab) axe(source []byte) []string {
	var out string
	b.run(chromedp.Evaluate(string(source)+";0", nil),
		chromedp.Evaluate(`axe.run(document, { resultTypes: ["violations"], runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"] }).then((r) => JSON.stringify(r.violations.flatMap((v) => v.nodes.map((n) => v.id + ": " + n.html.slice(0, 160) + " " + (n.any[0]?.message || n.failureSummary || "")))))`,
			&out, func(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }))
	var list []string
	if err := json.Unmarshal([]byte(out), &list); err != nil {
		b.Fatal(fmt.Errorf("axe: %w", err))
	}
	return list
}
