package e2e

import (
	"encoding/json"
	"fmt"
	"net/url"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"omphalos/app/store/documents"
	"omphalos/core/quiz"
)

// launched makes and launches a quiz from parts of its document.
func launched(t *testing.T, w *world, slug, parts string) string {
	t.Helper()
	text := []byte(`{"format":"omphalos-quiz/1","name":"` + slug + `","scales":[{"id":"s","name":"Score"}],` + parts + `}`)
	_, err := quiz.Read(text)
	require.NoError(t, err)
	q, err := w.Store.Documents.CreateQuizText(slug, text)
	require.NoError(t, err)
	_, err = w.Store.Launch(q.ID, 1, 0, slug, 0)
	require.NoError(t, err)
	return q.ID
}

const everyKind = `"params":["src"],"questions":[
	{"id":"one","kind":"single","required":true,"text":"One of these, {param.src|friend}?","choices":[{"id":"a","label":"Alpha","points":{"s":2}},{"id":"b","label":"Beta"},{"id":"o","label":"Else","other":true}]},
	{"id":"pics","kind":"single","display":"pictures","required":true,"text":"Which picture, after {one}?","choices":[{"id":"f","label":"Fern","image":"/samples/mist-keeper.svg","alt":"A fern"},{"id":"c","label":"Cactus","image":"/samples/sun-spine.svg","alt":"A cactus"}]},
	{"id":"drop","kind":"single","display":"dropdown","required":true,"text":"From a list","choices_from":{"table":"places","label":"name"}},
	{"id":"many","kind":"multiple","required":true,"text":"Several","most":2,"choices":[{"id":"x","label":"X"},{"id":"y","label":"Y"},{"id":"none","label":"None of these","exclusive":true}]},
	{"id":"rank","kind":"ranking","required":true,"most":2,"text":"In your order","choices":[{"id":"p","label":"Peat"},{"id":"q","label":"Quartz"},{"id":"r","label":"Resin"}]},
	{"id":"rate","kind":"rating","required":true,"from":0,"to":10,"ends":["Never","Certainly"],"text":"How likely?"},
	{"id":"grid","kind":"grid","required":true,"text":"How often?","rows":[{"id":"r","label":"Watering"},{"id":"t","label":"Turning"}],"choices":[{"id":"n","label":"Never"},{"id":"w","label":"Weekly"}]},
	{"id":"num","kind":"number","required":true,"from":1,"to":9,"unit":"pots","text":"How many?"},
	{"id":"short","kind":"short_text","required":true,"text":"In a word"},{"id":"long","kind":"long_text","text":"In many"},
	{"id":"mail","kind":"email","required":true,"text":"E-mail"},{"id":"tel","kind":"phone","required":true,"text":"Phone"},{"id":"day","kind":"date","required":true,"text":"Day"},
	{"id":"ok","kind":"consent","required":true,"text":"Agreed?"},{"id":"say","kind":"statement","text":"Nearly there"}],
	"outcomes":[{"id":"end","heading":"Done with {one} and {drop}","text":"{short}, {tel}, {many}, {rank}","ending":{"kind":"page"}}],"otherwise":"end"`

// Every kind of question in Chromium, on a phone and on a desk, with scripts and without.
func TestEveryKindOfQuestion(t *testing.T) {
	w := start(t, false)
	axe := axeSource(t)
	id := launched(t, w, "kinds", everyKind)
	rows := [][]string{}
	for i := range 30 {
		rows = append(rows, []string{fmt.Sprint("p", i), fmt.Sprint("Place ", i)})
	}
	require.NoError(t, w.Store.Documents.SaveTable(id, 1, 0, &documents.Table{Name: "places", Columns: []string{"key", "name"}, Rows: rows}))
	for _, c := range []struct {
		width   int64
		scripts bool
	}{{390, true}, {1280, true}, {390, false}, {1280, false}} {
		t.Run(fmt.Sprint(c.width, " scripts ", c.scripts), func(t *testing.T) {
			b := open(t, c.width, 800)
			b.run(emulation.SetScriptExecutionDisabled(!c.scripts))
			b.goTo(w.URL + "/q/kinds?src=%3Cb%3Efair%3C%2Fb%3E&short=prefilled")
			on := func(id string) {
				b.Helper()
				b.wait(fmt.Sprintf(`!!document.querySelector('[data-q="%s"]')`, id))
				if c.scripts && c.width == 390 {
					require.Empty(t, b.axe(axe, false), id)
				}
			}
			next := func() { b.Helper(); b.click("form button", "Continue") }
			narrow := func() {
				b.Helper()
				require.Equal(t, "0", b.eval(`String(Math.max(0, document.documentElement.scrollWidth - innerWidth))`), "no page scrolls sideways")
			}
			on("one")
			require.Contains(t, b.text("h1"), "<b>fair</b>", "what is filled in is text")
			narrow()
			if c.scripts { // moves on by itself
				b.click("label", "Alpha")
			} else {
				b.click("label", "Alpha")
				next()
			}
			on("pics")
			require.Contains(t, b.text("h1"), "after Alpha")
			narrow()
			if c.scripts {
				b.press("2") // a number key chooses
			} else {
				b.click("label", "Cactus")
				next()
			}
			on("drop")
			narrow()
			if c.scripts {
				b.focus(".finder")
				b.press("lace 27")
				b.wait(`document.querySelector("select").value === "p27"`)
			} else {
				b.set("select", "p27")
			}
			next()
			on("many")
			b.click("label", "None of these")
			b.click("label", "X")
			if !c.scripts {
				next()
				b.has("You can’t combine “None of these” with other answers. Deselect it, or deselect the others")
				b.click("label", "None of these")
			}
			b.click("label", "Y")
			next()
			on("rank")
			narrow()
			next()
			b.has("Put the answers in order.")
			if c.scripts { // by the keyboard alone
				b.focus(`.ranked [data-id="r"] .choice`)
				b.press(kb.Enter)
				b.focus(`.ranked [data-id="p"] .choice`)
				b.press(kb.Enter)
				require.Equal(t, "true", b.eval(`String(document.querySelector('.ranked [data-id="q"] .choice').disabled)`), "no place is left")
				require.Equal(t, "p", b.eval(`document.activeElement.closest("li").dataset.id`), "the focus stays with the answer")
				b.press(kb.Tab, kb.Enter) // higher
				require.Equal(t, "p r", b.eval(`[...document.querySelectorAll("[data-ranking] select")].map((s) => s.value).join(" ")`))
			} else {
				b.set("li:nth-child(1) select", "r")
				b.set("li:nth-child(2) select", "r")
				next()
				b.has("“Resin” is in the list twice.")
				b.set("li:nth-child(1) select", "p")
			}
			next()
			on("rate")
			narrow()
			b.click("label", "7") // moves on by itself too
			if !c.scripts {
				next()
			}
			on("grid")
			narrow()
			b.click(`[name="grid.r"][value="w"]`)
			next()
			b.has("Choose an answer in this row.")
			b.click(`[name="grid.t"][value="n"]`)
			next()
			on("num")
			b.put("#a-num", "12")
			next()
			b.has("from 1 to 9 pots")
			require.Equal(t, "12", b.eval(`document.querySelector("#a-num").value`))
			b.set("#a-num", "3")
			next()
			on("short")
			require.Equal(t, "prefilled", b.eval(`document.querySelector("#a-short").value`), "the link fills in what it names")
			next()
			on("long")
			next()
			on("mail")
			b.put("#a-mail", "orla@fenhall.example")
			next()
			on("tel")
			b.put("#a-tel", "12")
			next()
			b.has("Enter a phone number with its country code, such as +353 1 496 0123")
			b.set("#a-tel", "+353 1 496 0123")
			next()
			on("day")
			b.set("#a-day", "2027-03-04")
			next()
			on("ok")
			next()
			b.has("Tick the box to continue.")
			b.click("#a-ok")
			next()
			on("say")
			b.click("a", "Back")
			on("ok")
			require.Equal(t, "true", b.eval(`String(document.querySelector("#a-ok").checked)`), "Back keeps answers")
			next()
			on("say")
			next()
			b.has("Done with Alpha and Place 27")
			b.has("prefilled, +35314960123, X, Y, Peat, Resin")
			narrow()
			b.quiet()
		})
	}
}

// All questions on one page: they appear and vanish as answers change, and without scripts by a round trip.
func TestQuestionsAppearOnOnePage(t *testing.T) {
	w := start(t, false)
	launched(t, w, "single", `"settings":{"pages":"single_page"},"questions":[
	{"id":"pets","kind":"single","required":true,"text":"Pets?","choices":[{"id":"y","label":"Yes"},{"id":"n","label":"No"}]},
	{"id":"which","kind":"short_text","required":true,"text":"Which ones?","visible_if":{"fact":"answer.pets","op":"is","value":"y"}},
	{"id":"end","kind":"short_text","text":"Anything else?"}],
	"outcomes":[{"id":"o","heading":"Pets: {which|none}","ending":{"kind":"page"}}],"otherwise":"o"`)
	for _, scripts := range []bool{true, false} {
		b := open(t, 390, 800)
		b.run(emulation.SetScriptExecutionDisabled(!scripts))
		b.goTo(w.URL + "/q/single")
		shown := func() string {
			return b.eval(`[...document.querySelectorAll("[data-q]")].map((e) => e.dataset.q).join(" ")`)
		}
		require.Equal(t, "pets end", shown())
		b.put("#a-end", "typed before")
		b.click("label", "Yes")
		if !scripts {
			b.click("form button", "Continue")
		}
		b.wait(`document.querySelectorAll("[data-q]").length === 3`)
		require.Equal(t, "pets which end", shown())
		require.Equal(t, "typed before", b.eval(`document.querySelector("#a-end").value`))
		b.click("form button", "Continue")
		b.has("Enter an answer")
		b.put("#a-which", "a newt")
		if scripts { // another answer takes the question away again; its answer comes back with it
			b.click("label", "No")
			b.wait(`document.querySelectorAll("[data-q]").length === 2`)
			b.click("label", "Yes")
			b.wait(`document.querySelectorAll("[data-q]").length === 3`)
			b.set("#a-which", "a newt")
		}
		b.click("form button", "Continue")
		b.has("Pets: a newt")
		b.quiet()
	}
}

// Every kind of ending arrives: a page with its score and review, products, a redirect at once and after a notice, on
// another origin, from a form that was posted under the pages' own policy.
func TestEveryKindOfEnding(t *testing.T) {
	w := start(t, true)
	for _, scripts := range []bool{true, false} {
		b := open(t, 390, 800)
		b.run(emulation.SetScriptExecutionDisabled(!scripts))
		choose := func(label string) {
			b.Helper()
			b.click("label", label)
			if !scripts {
				b.click("form button")
			}
		}
		// The windowsill quiz: pictures, keywords, an optional contact step after the outcome, products.
		b.goTo(w.URL + "/q/windowsill")
		b.click("button", "Show me")
		choose("A dim corner")
		b.has("Honestly, how often will you water?")
		choose("Please don’t ask")
		b.has("Which room")
		choose("The bedroom")
		b.has("What should it do")
		b.click("label", "Nothing, just live")
		b.click("form button", "Next")
		b.has("How often are you away")
		choose("2")
		b.has("What would you call")
		b.put("#a-name", "<i>Moss</i>")
		b.click("form button", "Next")
		b.has("<i>Moss</i> is a Night-drinker")
		b.has("Shall we remind you")
		b.put(`input[type="email"]`, "orla@fenhall.example")
		b.click("label", "Larkmoor Botanics may email me about my plant four times a year")
		b.click("form button", "Next")
		b.has("Thank you, we’ve received it.")
		b.has("Drip cone, waters for a week")
		b.has("€7")
		require.Equal(t, "3", b.eval(`String(document.querySelectorAll(".products li").length)`))
		require.Contains(t, b.eval(`document.querySelector(".products a").href`), w.Sites+"/shop?sku=night-drinker&lead.id=")
		if scripts {
			require.Empty(t, b.axe(axeSource(t), false), "products")
			// A result that can be shown to others knows nothing of who got it.
			shared := b.eval(`document.querySelector("[data-copy]").dataset.copy`)
			other := open(t, 390, 800)
			other.goTo(w.URL + shared)
			other.has("Your plant is a Night-drinker")
			require.NotContains(t, other.eval(`document.body.innerText`), "Moss")
			other.quiet()
		}
		// The watering quiz: sections, right answers, a redirect with a notice.
		b.goTo(w.URL + "/q/watering")
		b.click("button", "Test me")
		b.has("Reading the signs")
		b.click("label", "When your finger comes out dry")
		b.click("label", "Thirst")
		b.click("form button", "Continue")
		b.has("Ways to water")
		for _, l := range []string{"A pot with holes", "Lukewarm water", "less", "a sip a week"} {
			b.click("label", l)
		}
		b.click("form button", "Continue")
		b.has("And you?")
		b.click(`[name="often.check"][value="weekly"]`)
		b.click(`[name="often.turn"][value="never"]`)
		b.click("form button", "Continue")
		b.has("Showers, with sunny spells")
		b.has("You got 66.67% right")
		b.has("4 / 6")
		b.has("Correct answer: Too much water")
		b.has("The soil knows best")
		if scripts {
			require.Empty(t, b.axe(axeSource(t), false), "an ending with its review")
		}
		b.click("a", "Take the quiz again")
		b.has("Five questions")
		b.quiet()
	}
	// All right: a notice, then another origin; Back leads to the quiz, not into the redirect again.
	b := open(t, 1280, 800)
	b.goTo(w.URL + "/q/watering")
	b.click("button", "Test me")
	for _, page := range [][]string{{"When your finger comes out dry", "Too much water"}, {"A pot with holes", "Lukewarm water", "less", "nothing at all"}} {
		for _, l := range page {
			b.click("label", l)
		}
		b.click("form button", "Continue")
	}
	b.has("And you?")
	b.click(`[name="often.check"][value="weekly"]`)
	b.click(`[name="often.turn"][value="never"]`)
	b.click("form button", "Continue")
	b.has("Redirecting you")
	require.Empty(t, b.axe(axeSource(t), false), "a notice")
	require.Contains(t, b.eval(`document.querySelector("[data-leave]").href`), w.Sites+"/booking?for=club&lead.id=")
	b.has("Book a site visit") // after six seconds
	require.True(t, strings.HasPrefix(b.eval(`location.href`), w.Sites+"/booking?for=club&lead.id="))
	b.eval(`history.back()`)
	b.has("And you?")
	b.quiet()
}

// A table next to the quiz is changed while the quiz is live, and counts at once; what it does not have goes to the
// fallback and is shown to the owner. An event reaches the page around the quiz and the owner's sealed tag.
func TestTablesAndEventsWhileLive(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	b := open(t, 1280, 900)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/endings?table=regions")
	b.wait(`document.querySelectorAll("[data-cellof]").length === 12`)
	b.eval(`(() => { const c = document.querySelectorAll("[data-cellof]")[2]; c.value = "ftp://nowhere"; c.dispatchEvent(new Event("change", { bubbles: true })); })()`)
	b.has("Line 1, url")
	b.eval(`(() => { const c = document.querySelectorAll("[data-cellof]")[2]; c.value = "` + w.Sites + `/booking?planner=new{&lead.id}"; c.dispatchEvent(new Event("change", { bubbles: true })); })()`)
	b.wait(`document.querySelector("[data-tablestate]").textContent === "Saved"`)
	b.eval(`document.querySelectorAll("[data-droprow]")[1].click()`) // the United Kingdom goes
	b.wait(`document.querySelectorAll("[data-cellof]").length === 8 && document.querySelector("[data-tablestate]").textContent === "Saved"`)

	reach := func(country string) string {
		p := newPlain(t)
		base := w.URL + "/q/living-wall"
		p.take(p.client.Get(base))
		p.post(base)
		for _, a := range []string{"area large", "light sun", "decides me", "budget more", "deadline spring", "staff 3", "country " + country} {
			name, value, _ := strings.Cut(a, " ")
			p.post(base, name, value)
		}
		p.post(base, ".c.email", "x@y.example", ".consent", "yes")
		return p.at.String()
	}
	require.Contains(t, reach("ie"), w.Sites+"/booking?planner=new&lead.id=")
	require.Contains(t, reach("gb"), w.Sites+"/booking?area=More%20than")
	b.goTo(w.URL + "/quizzes/" + id + "/endings?table=regions")
	b.has("“gb” was looked up 1 time")
	b.click("summary", "History")
	b.click("button", "Restore") // the newest that is not now: with the United Kingdom
	b.wait(`document.querySelectorAll("[data-cellof]").length === 12`)
	b.quiet()

	// Within a page of another origin: the event arrives there, and in the simulated ad platform.
	f := open(t, 1000, 900)
	f.goTo(w.Sites + "/framed?quiz=living-wall")
	f.within().answerWall()
	f.wait(`document.querySelectorAll("#events li").length === 1`)
	require.Contains(t, f.text("#events"), "outcome")
	name, _, _ := strings.Cut(f.text("#events"), ",")
	w.waitFor(t, "/events", name) // the tag's own request may come later than the message to the page
	f.goTo(w.Sites + "/events")
	f.has(name)
}

// A theme of any colour stays readable; words and direction are the owner's.
func TestThemesStayReadable(t *testing.T) {
	w := start(t, false)
	axe := axeSource(t)
	for i, theme := range []string{`{"colour":"#ffee00","background":"#fffef0"}`, `{"colour":"#111111","background":"#0b2030"}`, `{"colour":"#ff8888","background":"#88ff88","fonts":"book"}`,
		`{"colour":"#777777","background":"#808080","picture":"/samples/lozenge-net.svg","logo":"/samples/thank-you.svg","logo_alt":"Us"}`} {
		slug := fmt.Sprint("theme", i)
		launched(t, w, slug, `"language":"ar","theme":`+strings.Replace(theme, "{", `{"words":{"next":"التالي","choose":"اختر"},`, 1)+`,"settings":{"show_score":true},
		"intro":{"heading":"A","text":"[link](https://example.org)","button":"ابدأ"},"questions":[{"id":"q","kind":"single","required":true,"text":"Which?","help":"Help.","choices":[{"id":"a","label":"A"},{"id":"b","label":"B"}]},{"id":"g","kind":"grid","text":"Grid","rows":[{"id":"r","label":"Row"}],"choices":[{"id":"x","label":"X"},{"id":"y","label":"Y"}]}],
		"outcomes":[{"id":"o","heading":"End","text":"With a [link](https://example.org).","ending":{"kind":"page","buttons":[{"label":"On","url":"https://example.org/"},{"label":"Else","url":"https://example.org/b"}]}}],"otherwise":"o"`)
		b := open(t, 390, 800)
		b.goTo(w.URL + "/q/" + slug)
		require.Equal(t, "rtl", b.eval(`document.dir`))
		require.Empty(t, b.axe(axe, false), theme)
		b.click("button")
		b.click("form button", "التالي")
		b.has("اختر")
		require.Empty(t, b.axe(axe, false), theme)
		b.click("label", "A")
		b.wait(`!!document.querySelector('[data-q="g"]')`)
		require.Empty(t, b.axe(axe, false), theme)
		b.click("form button", "التالي")
		b.has("With a link")
		require.Empty(t, b.axe(axe, false), theme)
		b.quiet()
	}
}

// Nothing that someone types, or that stands in a link or a table, ever runs: in text, address, attribute or export.
func TestNothingTypedEverRuns(t *testing.T) {
	w := start(t, false)
	evil := `"><script>document.title="ran"</script><img src=x onerror="document.title='ran'">`
	encoded, err := json.Marshal(evil)
	require.NoError(t, err)
	id := launched(t, w, "evil", `"params":["p"],"questions":[{"id":"n","kind":"short_text","required":true,"text":"Name? {param.p}"},{"id":"d","kind":"single","display":"dropdown","required":true,"text":"Place, {n}?","choices_from":{"table":"places","label":"name"}},
	{"id":"c","kind":"single","required":true,"text":`+string(encoded)+`,"choices":[{"id":"a","label":`+string(encoded)+`}]}],
	"outcomes":[{"id":"o","heading":"{n} {d} {c}","text":"{n} {param.p} [x](javascript:alert(1)) <script>document.title='ran'</script>","ending":{"kind":"page","buttons":[{"label":"{n}","url":"https://example.org/{n}{?d,param.p}"}]}}],"otherwise":"o",
	"translations":{"de":{"name":{"text":`+string(encoded)+`},"questions.c.text":{"text":`+string(encoded)+`},"questions.c.choices.a.label":{"text":`+string(encoded)+`},"outcomes.o.text":{"text":`+string(encoded)+`},"words.next":{"text":`+string(encoded)+`}}}`)
	require.NoError(t, w.Store.Documents.SaveTable(id, 1, 0, &documents.Table{Name: "places", Columns: []string{"key", "name"}, Rows: [][]string{{evil, evil}}}))
	b := open(t, 390, 800)
	check := func() {
		b.Helper()
		require.NotEqual(t, "ran", b.eval(`document.title`))
		require.Equal(t, "0", b.eval(`String(document.querySelectorAll("main script, img[src='x']").length)`))
	}
	for _, lang := range []string{"en", "de"} {
		b.goTo(w.URL + "/q/evil?lang=" + lang + "&p=" + url.QueryEscape(evil))
		check()
		b.set("#a-n", evil)
		b.click("form button")
		b.wait(`!!document.querySelector("select")`)
		check()
		b.eval(`document.querySelector("select").selectedIndex = 1`)
		b.click("form button")
		b.wait(`!!document.querySelector('input[type="radio"]')`)
		check()
		b.click("label")
		b.wait(`location.pathname.includes("/end/")`)
		check()
		require.True(t, strings.HasPrefix(b.eval(`document.querySelector(".button").href`), "https://example.org/%22%3E%3Cscript"))
	}
	b.quiet()
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/leads")
	b.wait(`!!document.querySelector("#person")`)
	check()
	for _, room := range []string{"endings?table=places", "endings?outcome=o", "script?view=languages", "verdicts", "paths"} {
		b.goTo(w.URL + "/quizzes/" + id + "/" + room)
		b.wait(`document.querySelectorAll("[data-segment]").length > 0`)
		check()
	}
	b.quiet()
}
