package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

// Every view, light and dark, has nothing that axe-core (Deque, MPL-2.0; rules of WCAG 2.2 A and AA) objects to.
func TestNothingThatAxeObjectsTo(t *testing.T) {
	axe := axeSource(t)
	w := start(t, true)
	id := quizID(t, w)
	enrich(t, w, id)
	results, err := w.Store.Responses.MakeResultLink(id, "")
	require.NoError(t, err)
	b := open(t, 1280, 800)
	b.signIn(w)
	for _, dark := range []bool{false, true} {
		if dark {
			b.dark()
		}
		for _, path := range []string{"/", "/quizzes/ID/script?open=area&open=decides&open=staff", "/quizzes/ID/script?view=ledger", "/quizzes/ID/script?view=languages", "/quizzes/ID/verdicts", "/quizzes/ID/paths?station=decides", "/quizzes/ID/paths?arc=decides+question:deadline", "/quizzes/ID/exchange", "/import", "/people", "/quizzes/ID/endings?outcome=pack", "/quizzes/ID/endings?outcome=visit", "/quizzes/ID/endings?part=look", "/quizzes/ID/endings?part=all", "/quizzes/ID/endings?part=products", "/quizzes/ID/endings?table=catalogue", "/quizzes/ID/rehearse", "/quizzes/ID/launch?from=1&to=0", "/quizzes/ID/launch?part=over", "/quizzes/ID/launch?part=edge", "/quizzes/ID/launch?part=who", "/quizzes/ID/launch?part=hooks", "/quizzes/ID/messages", "/quizzes/ID/messages?part=list", "/quizzes/ID/endings?part=files", "/team", "/journal", "/account", "/starters?s=which-type", "/guide", "/guide/work-with-colleagues", "/guide?q=redirect", "/api/v1/", "/forgot", "/quizzes/ID/leads?view=scores&replay=1&sort=scale.fit", "/quizzes/ID/leads?q=sun", "/quizzes/ID/leads/bring-in", "/results/" + results.Key, "/quizzes/ID/launch?part=shared", "/quizzes/ID/leads", "/quizzes/ID/leads?view=questions", "/quizzes/ID/leads?view=scores&replay=1", "/quizzes/ID/leads?view=won", "/q/living-wall", "/q/windowsill", "/nowhere"} {
			b.goTo(w.URL + strings.ReplaceAll(path, "ID", id))
			if strings.Contains(path, "quizzes") && !strings.Contains(path, "exchange") && !strings.Contains(path, "bring-in") {
				b.wait(`document.querySelectorAll("[data-segment]").length > 0`)
			}
			if strings.Contains(path, "rehearse") {
				b.both("Answer seven questions in two minutes. You’ll get a plan for your wall, or an honest “not yet”")
				b.wait(`document.getElementById("side").innerText.includes("Outcomes still possible")`)
				b.wait(`document.querySelector("#checks details")`)
				b.eval(`document.querySelectorAll("#checks details").forEach((d) => (d.open = true))`)
			}
			if strings.Contains(path, "paths") {
				b.wait(`document.querySelector(".settled")`)
			}
			if strings.Contains(path, "verdicts") {
				b.wait(`document.querySelector(".mending")`)
				b.eval(`document.querySelectorAll(".line > details").forEach((d) => (d.open = true))`)
			}
			require.Empty(t, b.axe(axe, dark), "%s, dark %v", path, dark)
		}
	}
	b.goTo(w.URL + "/q/living-wall")
	b.click("button", "Start")
	b.has("How large")
	b.click("button", "Continue")
	b.has("Choose an answer")
	require.Empty(t, b.axe(axe, false), "a question with an error")
}

// enrich gives a quiz every kind of Verdict line, keywords, nested conditions and a computed value.
func enrich(t *testing.T, w *world, id string) {
	t.Helper()
	edit := func(path, value string) quiz.Operation {
		return quiz.Operation{Op: "add", Path: path, Value: json.RawMessage(value)}
	}
	err := theirs(t, w, id, quiz.Patch{
		edit("/keywords", `[{"id":"moss","name":"Moss"},{"id":"fern","name":"Fern"}]`),
		edit("/questions/0/choices/0/votes", `{"moss":1,"fern":1}`), edit("/questions/0/choices/1/votes", `{"fern":2}`),
		edit("/translations", `{"de":{"questions.area.text":{"text":"Wie groß ist die Wand?","of":"How big is it?"},"questions.area.choices.small.label":{"text":"Unter 5 m²"}},"cy":{}}`),
		edit("/computed", `[{"id":"cost","name":"Cost","formula":"round(scale.fit * 120.5, 2)"}]`),
		edit("/verdicts/0", `{"when":{"all":[{"fact":"visitor.country","op":"in","value":["IE","NL"]},{"any":[{"fact":"scale.fit","op":"between","value":[20,25]},{"fact":"answer.area","op":"in","value":["large"]}]},{"none":[{"fact":"answer.staff","op":"blank"}]}]},"outcome":"visit"}`),
		edit("/verdicts/-", `{"table":{"facts":["answer.area","answer.light","answer.staff"],"rows":[{"cells":[["small"],null,null],"outcome":"potted"},{"cells":[["small","large"],["lamps"],[3]],"outcome":"pack"}]}}`),
		edit("/verdicts/-", `{"leader":{"outcomes":{"moss":"potted","fern":"pack"},"ties":"latest"}}`),
		edit("/verdicts/-", `{"bands":{"on":"percent.urgency","cuts":[{"from":50,"outcome":"pack"}]},"off":true}`),
		edit("/verdicts/-", `{"matrix":{"across":{"on":"scale.fit","cuts":[0,12]},"down":{"on":"percentile.urgency","cuts":[0,50]},"outcomes":[["later","pack"],[null,"visit"]]}}`),
		edit("/checks/-", `{"id":"fails","name":"Does not hold","answers":{"area":"small"},"expect":{"outcome":"visit"}}`),
	})
	require.NoError(t, err)
}

// No view of the workbench scrolls sideways at 1024 pixels, and each of its keys is named on a sheet.
func TestNothingIsWiderThanTheWindow(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	enrich(t, w, id)
	b := open(t, 1024, 720)
	b.signIn(w)
	for _, path := range []string{"", "script?open=area&open=staff", "script?view=ledger", "script?view=languages", "verdicts", "paths?station=decides", "endings?outcome=visit", "endings?part=look", "endings?table=catalogue", "rehearse", "launch", "launch?part=who", "leads", "leads?view=questions", "leads?view=scores"} {
		address := w.URL + "/quizzes/" + id + "/" + path
		if path == "" {
			address = w.URL + "/"
		}
		b.goTo(address)
		if path != "" {
			b.wait(`document.querySelectorAll("[data-segment]").length > 0`)
			b.eval(`document.querySelectorAll(".line > details").forEach((d) => (d.open = true))`)
			require.Equal(t, "0", b.eval(`String(Math.max(0, document.querySelector("#room").scrollWidth - document.querySelector("#room").clientWidth))`), "the room of %s", path)
		}
		require.Equal(t, "0", b.eval(`String(Math.max(0, document.documentElement.scrollWidth - innerWidth))`), path)
	}
	b.press("?")
	b.wait(`document.querySelector("#keys").open`)
	b.has("Go to the Reach bar")
	b.press(kb.Escape)
	b.wait(`!document.querySelector("#keys").open`)
	b.quiet()
}

func axeSource(t *testing.T) []byte {
	t.Helper()
	axe, err := os.ReadFile("testdata/axe.min.js")
	require.NoError(t, err)
	return axe
}

// axe runs every rule, or with coloursOnly those that a dark scheme can change.
func (b *tab) axe(source []byte, coloursOnly bool) []string {
	var out string
	only := `["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]`
	if coloursOnly {
		only = `["color-contrast"]`
	}
	b.run(chromedp.Evaluate(string(source)+";0", nil),
		chromedp.Evaluate(`axe.run(document, { resultTypes: ["violations"], runOnly: `+only+` }).then((r) => JSON.stringify(r.violations.flatMap((v) => v.nodes.map((n) => v.id + ": " + n.html.slice(0, 160) + " " + (n.any[0]?.message || n.failureSummary || "")))))`,
			&out, func(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }))
	var list []string
	if err := json.Unmarshal([]byte(out), &list); err != nil {
		b.Fatal(fmt.Errorf("axe: %w", err))
	}
	return list
}
