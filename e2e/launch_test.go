package e2e

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/core/quiz"
)

const small = `"questions":[{"id":"a","kind":"single","text":"Which?","required":true,"choices":[{"id":"x","label":"One"},{"id":"y","label":"Two"}]},
	{"id":"b","kind":"single","text":"And then?","required":true,"choices":[{"id":"x","label":"Three"},{"id":"y","label":"Four"}]}],
	"outcomes":[{"id":"o","heading":"The end","qualified":true}],"otherwise":"o"`

// launchRoom opens a part of the Launch room.
func (b *tab) launchRoom(w *world, id, part string) {
	b.Helper()
	b.goTo(w.URL + "/quizzes/" + id + "/launch?part=" + part)
	b.wait(`document.querySelectorAll("[data-segment]").length > 0`)
}

// A passphrase, set in the room, is asked of respondents; a wrong one is told.
func TestAPassphraseIsAsked(t *testing.T) {
	w := start(t, false)
	id := launched(t, w, "small", small)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.launchRoom(w, id, "who")
	// One that is too short is refused: what else was typed stays, and the reason stands in the form.
	b.fill("#heading", "Come back in spring")
	b.click("label", "Anyone with the link and this passphrase")
	b.put(`[name="passphrase"]`, "moss")
	b.click("form.settings button")
	b.wait(`!!document.querySelector("form.settings [data-refused]")`)
	require.Equal(t, "Come back in spring passphrase", b.eval(`document.querySelector("#heading").value + " " + document.querySelector('[name="who"]:checked').value`))
	b.put(`[name="passphrase"]`, "moss and fern")
	b.click("button", "Save")
	b.has("Open to anyone with the link and the passphrase.")
	r := open(t, 390, 800)
	r.goTo(w.URL + "/q/small")
	r.has("Enter the passphrase")
	r.put("#pass", "moss")
	r.press("\r")
	r.has("That passphrase isn’t right. Please try again.")
	r.put("#pass", "moss and fern")
	r.press("\r")
	r.has("Which?")
	r.click("label", "One")
	r.click("label", "Three")
	r.has("The end")
	r.quiet()
}

// An invitation is answered once: anyone who opens its link again is told so.
func TestAnInvitationUsedTwice(t *testing.T) {
	w := start(t, false)
	id := launched(t, w, "small", small)
	b := open(t, 1280, 800)
	b.signIn(w)
	b.launchRoom(w, id, "who")
	b.click("label", "Invited people only, once each")
	b.click("button", "Save")
	b.has("Open to invited people, once each")
	b.put("#people", "Orla Fenhall,orla@fenhall.example")
	b.click("button", "Add and invite")
	b.has("not opened")
	sent := w.mailTo(t, "orla@fenhall.example", "You are invited: ")
	require.Contains(t, sent.Text, "Hello Orla Fenhall,")
	table := b.eval(`fetch("/quizzes/` + id + `/launch/invitations.csv").then((r) => r.text()).then((t) => (window.list = t)), "x"`)
	require.Equal(t, "x", table)
	b.wait(`!!window.list`)
	rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(b.eval(`window.list`), "\ufeff"))).ReadAll()
	require.NoError(t, err)
	link := rows[1][len(rows[1])-1]
	require.True(t, strings.HasPrefix(link, w.URL+"/q/small?"), link)
	mailed := regexp.MustCompile(`http\S+/q/small\?i=\S+`).FindString(sent.Text)
	require.NotEmpty(t, mailed, sent.Text)

	r := open(t, 390, 800)
	r.goTo(w.URL + "/q/small")
	r.has("This quiz is by invitation only. Please use the link in your invitation")
	r.goTo(mailed)
	r.click("label", "One")
	r.click("label", "Three")
	r.has("The end")
	r.goTo(link)
	r.has("This invitation has already been used or withdrawn")
	r.quiet()
	b.launchRoom(w, id, "who")
	b.has("finished")
}

// An earlier version is made live again while someone is midway: they finish the one that they began.
func TestGoingBackAVersionInTheRoom(t *testing.T) {
	w := start(t, false)
	id := launched(t, w, "small", small)
	edit := quiz.Operation{Op: "add", Path: "/questions/1/text", Value: json.RawMessage(`"And now?"`)}
	require.NoError(t, theirs(t, w, id, quiz.Patch{edit}))
	b := open(t, 1280, 800)
	b.signIn(w)
	b.launchRoom(w, id, "link")
	b.click("button", "Launch version 2")
	b.has("Version 2 is live")
	r := open(t, 390, 800)
	r.goTo(w.URL + "/q/small")
	r.click("label", "One")
	r.has("And now?")
	b.click("button", "Make live again")
	b.has("Version 3 is live")
	b.has("same as version 1")
	r.click("label", "Three")
	r.has("The end")
	fresh := open(t, 390, 800)
	fresh.goTo(w.URL + "/q/small")
	fresh.click("label", "One")
	fresh.has("And then?")
	b.launchRoom(w, id, "link")
	b.click("button", "Copy into the draft") // of version 3, whose words are the old ones
	b.has("no changes since version 3")
	b.goTo(w.URL + "/quizzes/" + id + "/script")
	b.wait(`[...document.querySelectorAll("textarea")].some((el) => el.value === "And then?")`)
	b.click(`[data-do="undo"]`)
	b.wait(`[...document.querySelectorAll("textarea")].some((el) => el.value === "And now?")`)
}

var placeOf = regexp.MustCompile(`name="w" value="([^"]+)"`)

// walker is a respondent without a browser, with cookies of their own.
func (w *world) walk(t *testing.T, slug string, answers ...string) {
	t.Helper()
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	client := &http.Client{Jar: jar}
	read := func(r *http.Response, err error) string {
		require.NoError(t, err)
		defer r.Body.Close()
		body, err := io.ReadAll(r.Body)
		require.NoError(t, err)
		require.Equal(t, http.StatusOK, r.StatusCode)
		return string(body)
	}
	page := read(client.Get(w.URL + "/q/" + slug))
	for _, a := range answers {
		form, err := url.ParseQuery(a)
		require.NoError(t, err)
		at := placeOf.FindStringSubmatch(page)
		require.NotNil(t, at, page)
		form.Set("w", at[1])
		page = read(client.PostForm(w.URL+"/q/"+slug, form))
	}
	if len(answers) == 2 {
		require.Contains(t, page, "The end")
	}
}

// Split test of 2 × 100 walks: half of the one finish, and nearly all of the other; the room says so,
// and ends it.
func TestASplitOfTwoHundredWalks(t *testing.T) {
	w := start(t, false)
	id := launched(t, w, "small", small)
	edit := quiz.Operation{Op: "add", Path: "/name", Value: json.RawMessage(`"Shorter"`)}
	require.NoError(t, theirs(t, w, id, quiz.Patch{edit}))
	b := open(t, 1280, 800)
	b.signIn(w)
	b.launchRoom(w, id, "link")
	b.click("button", "Launch to 50% of respondents")
	b.has("Split test")
	for i := range 200 {
		if i%4 == 0 { // some begin and leave
			w.walk(t, "small", "a=x")
		} else {
			w.walk(t, "small", "a=x", "b=y")
		}
	}
	starts := `[...document.querySelectorAll("section table tbody tr:first-child td.num")].slice(0, 2).map((el) => Number(el.textContent))`
	for end := time.Now().Add(patience); time.Now().Before(end); { // tallies are written within a second or so
		b.launchRoom(w, id, "link")
		if b.eval(starts+`.reduce((x, y) => x + y, 0)`) == "200" {
			break
		}
	}
	require.Equal(t, "200", b.eval(starts+`.reduce((x, y) => x + y, 0)`), "every walk is counted once: %s", b.eval(`document.querySelector("section table").innerText`))
	require.Equal(t, "true", b.eval(starts+`.every((n) => n > 60)`), fmt.Sprint("about half each: ", b.eval(starts+`.join()`)))
	b.has("No clear difference yet in how many people finish")
	require.Equal(t, "false", b.eval(`document.body.innerText.includes("do not trust")`))
	b.click("button", "keep version 2")
	b.has("Version 2 is live")
	b.quiet()
}
