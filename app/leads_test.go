package app

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"html"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
	"omphalos/core/check"
	"omphalos/core/quiz"
)

// Deals are typed or pasted with a preview of what matches; the room tells whether the score predicts them, and takes
// suggested weights into the draft as one edit.
func TestDealsTellOfTheScore(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	room := "/quizzes/" + q.ID + "/leads"
	body := d.get(room + "?view=won").Body.String()
	require.Contains(t, body, "predict a won deal?")
	require.Contains(t, body, "Apply all to the draft")
	require.Contains(t, body, "Suggested weights for Fit")

	list, err := d.Store.Responses.Reader(q.ID, responses.Genuine).Before(responses.Cursor{}, 3)
	require.NoError(t, err)
	paste := list[0].ID + ",won,12'400.50,eur\n" + list[1].Email + ",lost\nnobody@fenhall.example,won\n" + list[2].ID + ",perhaps\n" + list[2].ID + ",won,many\n"
	w := d.form("/quizzes/"+q.ID+"/deals", url.Values{"deals": {paste}})
	require.Equal(t, http.StatusOK, w.Code)
	require.Contains(t, w.Body.String(), "2 deals match")
	require.Contains(t, w.Body.String(), "line 3: no response has the ID or email address “nobody@fenhall.example”")
	require.Contains(t, w.Body.String(), "line 4: “perhaps” isn’t a deal state: use open, won or lost")
	require.Contains(t, w.Body.String(), "line 5: “many” isn’t an amount")
	payload := regexp.MustCompile(`name="payload" value="([^"]+)"`).FindStringSubmatch(w.Body.String())[1]
	taken := d.form("/quizzes/"+q.ID+"/deals/take", url.Values{"payload": {strings.ReplaceAll(payload, "&#34;", `"`)}})
	require.Equal(t, http.StatusSeeOther, taken.Code)
	deal, err := d.Store.Responses.DealOf(list[0].ID)
	require.NoError(t, err)
	require.Equal(t, "won 12400.5 EUR", deal.State+" "+deal.Amount+" "+deal.Currency)
	require.Contains(t, d.get(room+"?deal=won").Body.String(), "won, €12,400.50")

	require.Contains(t, d.saved(room+"/"+list[2].ID+"/deal", "state=won&amount=-1"), "isn’t an amount: type it like 12400 or 12400.50")
	require.Empty(t, d.saved(room+"/"+list[2].ID+"/deal", "state=lost"))
	require.Empty(t, d.saved(room+"/"+list[2].ID+"/deal", "state="))
	deal, err = d.Store.Responses.DealOf(list[2].ID)
	require.NoError(t, err)
	require.Empty(t, deal.State)
	require.Equal(t, http.StatusNotFound, d.form(room+"/none/deal", url.Values{"state": {"won"}}).Code)
}

// Filters live in the address, are said in chips, and hold for people, pages and the replay.
func TestPeopleAreFiltered(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	room := "/quizzes/" + q.ID + "/leads"
	all, err := d.Store.Responses.Reader(q.ID, responses.Genuine).Count()
	require.NoError(t, err)
	visits, err := d.Store.Responses.Reader(q.ID, responses.Genuine).Only(responses.Filter{Outcome: "visit"}).Count()
	require.NoError(t, err)
	require.Less(t, visits, all)
	body := d.get(room + "?outcome=visit").Body.String()
	require.Contains(t, body, "outcome Site visit")
	require.NotContains(t, body[strings.Index(body, `<tbody class="rows">`):], "Start with pots")
	direct := ""
	n, err := d.Store.Responses.Reader(q.ID, responses.Genuine).Only(responses.Filter{Outcome: "visit", Source: &direct}).Count()
	require.NoError(t, err)
	require.Less(t, n, visits)
	require.Contains(t, d.get(room+"?outcome=visit&source=").Body.String(), "from direct")
	one, err := d.Store.Responses.Reader(q.ID, responses.Genuine).Before(responses.Cursor{}, 1)
	require.NoError(t, err)
	require.Contains(t, d.get(room+"?q="+url.QueryEscape(one[0].Email)).Body.String(), one[0].Name)
	require.Contains(t, d.get(room+"?q="+url.QueryEscape("100%_")).Body.String(), "0 people")
	for _, odd := range []string{"?outcome=none", "?version=x", "?deal=never", "?view=none"} {
		require.Equal(t, http.StatusOK, d.get(room+odd).Code, odd)
	}
}

// Every figure that is a filter chooses as many people as it counts.
func TestFiguresAreFilters(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	count := func(f responses.Filter) int {
		n, err := d.Store.Responses.Reader(q.ID, responses.Genuine).Only(f).Count()
		require.NoError(t, err)
		return n
	}
	values, err := d.Store.Tallies.AnswerCounts(q.ID)
	require.NoError(t, err)
	tried := 0
	for _, v := range values {
		if v.Value != tallies.ValueAsked && v.Value != tallies.ValueOthers {
			require.Equal(t, v.Count, count(responses.Filter{Answer: &responses.Answer{Field: v.Field, Value: v.Value}}), "%s %q", v.Field, v.Value)
			tried++
		}
	}
	require.Greater(t, tried, 20)
	for by, filter := range map[string]func(string) responses.Filter{
		"device":   func(s string) responses.Filter { return responses.Filter{Device: &s} },
		"country":  func(s string) responses.Filter { return responses.Filter{Country: &s} },
		"source":   func(s string) responses.Filter { return responses.Filter{Source: &s} },
		"way":      func(s string) responses.Filter { return responses.Filter{Way: &s} },
		"language": func(s string) responses.Filter { return responses.Filter{Language: &s} },
	} {
		list, err := d.Store.Tallies.Breakdown(q.ID, by)
		require.NoError(t, err)
		require.NotEmpty(t, list)
		for _, one := range list {
			require.Equal(t, one.Kept, count(filter(one.Value)), "%s %q", by, one.Value)
		}
	}
	days, err := d.Store.Tallies.Days(q.ID)
	require.NoError(t, err)
	for _, day := range days {
		if day.Stage == tallies.StageEnd {
			require.Equal(t, day.Kept, count(responses.Filter{Day: day.Day}), day.Day)
		}
	}
	room := "/quizzes/" + q.ID + "/leads"
	for _, view := range []string{"questions", "scores"} { // every range that is drawn
		body := d.get(room + "?view=" + view).Body.String()
		links := regexp.MustCompile(`href="\?(range=[^"]+)">([^<]*)</a>.*?<[^>]*num[^>]*>([^<]*)<`).FindAllStringSubmatch(body, -1)
		require.Greater(t, len(links), 7, view)
		for _, link := range links {
			words := strings.Fields(link[3])
			shown := d.get(room + "?" + html.UnescapeString(link[1])).Body.String()
			require.Regexp(t, `\b`+words[len(words)-1]+` (people|person)`, shown, link[1])
		}
	}
	body := d.get(room + "?view=questions").Body.String()
	link := regexp.MustCompile(`href="\?(answer=[^"]+)">5 to 20`).FindStringSubmatch(body)
	require.NotNil(t, link)
	require.Contains(t, d.get(room+"?"+strings.ReplaceAll(link[1], "&amp;", "&")).Body.String(), "How large is the wall? 5 to 20")
	for _, odd := range []string{"?day=never", "?answer=", "?answer=none:x", `?answer="'$:x`, "?device=", "?country=ZZ", "?range=staff:9:1", "?range=::", "?range=staff:x:", "?range=scale.none:1:2", "?range=staff::10"} {
		require.Equal(t, http.StatusOK, d.get(room+odd).Code, odd)
	}
}

// A question that decides nothing is left out of the draft, with what checks say of it.
func TestAQuestionIsLeftOut(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	body := d.get("/quizzes/" + q.ID + "/leads?view=questions").Body.String()
	at := strings.Index(body, "Remove it from the draft")
	require.Positive(t, at)
	patches := regexp.MustCompile(`data-patch="([^"]+)"`).FindAllStringSubmatch(body[:at], -1)
	patch := html.UnescapeString(patches[len(patches)-1][1])
	edited, err := quiz.Edit(q.Document, patchOf(t, patch))
	require.NoError(t, err)
	before, err := quiz.ReadDraft(q.Document)
	require.NoError(t, err)
	require.Len(t, edited.Document.Questions, len(before.Questions)-1)
	require.Empty(t, edited.Document.Validate())
	require.Empty(t, check.Problems(edited.Document))
}

func patchOf(t *testing.T, text string) quiz.Patch {
	t.Helper()
	p, err := quiz.ReadPatch([]byte(text))
	require.NoError(t, err)
	return p
}

// The draft tried on the people who are shown: who would end elsewhere after a cut point has moved.
func TestTheDraftIsTriedOnResponses(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	room := "/quizzes/" + q.ID + "/leads"
	require.Contains(t, d.get(room+"?replay=1").Body.String(), "Everyone would get the same outcome as before")
	_, err = d.edit(q.ID, 0, quiz.Patch{quiz.Add("/verdicts/1/bands/cuts/2/from", 21)})
	require.NoError(t, err)
	moved := 0
	for r, err := range d.Store.Responses.Reader(q.ID, responses.Genuine).All() {
		require.NoError(t, err)
		a, err := d.Store.Responses.Answered(r)
		require.NoError(t, err)
		if a.Outcome == "visit" && (a.Scores["scale.fit"] == "18" || a.Scores["scale.fit"] == "19" || a.Scores["scale.fit"] == "20") {
			moved++
		}
	}
	require.Positive(t, moved)
	body := d.get(room + "?replay=1").Body.String()
	require.Regexp(t, `<b>`+strconv.Itoa(moved)+` of \d+</b> would get a different outcome`, body)
	require.Contains(t, body, "cut point 3 of verdict line 2: 18 → 21")
	require.Contains(t, d.get(room+"?replay=1&outcome=potted").Body.String(), "Everyone would get the same outcome as before")
	_, err = d.edit(q.ID, 1, quiz.Patch{quiz.Remove("/questions/2/choices/1")})
	require.NoError(t, err)
	require.Contains(t, d.get(room+"?replay=1").Body.String(), "gave an answer that no longer exists in the draft and are left out")
	_, err = d.edit(q.ID, 2, quiz.Patch{quiz.Add("/otherwise", "gone")})
	require.NoError(t, err)
	require.Contains(t, d.get(room+"?replay=1").Body.String(), "The draft can’t be tested yet. Fix the problems listed in the bar below")
}

// One person: every line of the verdicts, and kept as a check without what is theirs.
func TestOnePersonBecomesACheck(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("windowsill")
	require.NoError(t, err)
	list, err := d.Store.Responses.Reader(q.ID, responses.Genuine).Before(responses.Cursor{}, 1)
	require.NoError(t, err)
	body := d.get("/quizzes/" + q.ID + "/leads?lead=" + list[0].ID).Body.String()
	require.Contains(t, body, "How each verdict line was checked")
	patch := regexp.MustCompile(`data-patch="([^"]+)">[^<]*<svg[^>]*>.{0,80}</svg>Save as check`).FindStringSubmatch(body)
	require.NotNil(t, patch)
	text := strings.ReplaceAll(patch[1], "&#34;", `"`)
	require.NotContains(t, text, "@")
	ops, err := quiz.ReadPatch([]byte(text))
	require.NoError(t, err)
	_, err = d.edit(q.ID, 0, ops)
	require.NoError(t, err)
	require.NotContains(t, d.get("/quizzes/"+q.ID+"/reach?room=rehearse").Body.String(), "no longer holds")
}

// What is shown is what comes out, as CSV, as a spreadsheet and as JSON Lines.
func TestExportsHoldWhatIsFiltered(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	at := "/quizzes/" + q.ID + "/leads"
	visits, err := d.Store.Responses.Reader(q.ID, responses.Genuine).Only(responses.Filter{Outcome: "visit"}).Count()
	require.NoError(t, err)
	rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(d.get(at+".csv?outcome=visit").Body.String(), "\ufeff"))).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, visits+1)

	book, err := excelize.OpenReader(bytes.NewReader(d.get(at + ".xlsx?outcome=visit").Body.Bytes()))
	require.NoError(t, err)
	defer book.Close()
	lines, err := book.GetRows("Responses")
	require.NoError(t, err)
	require.Len(t, lines, visits+1)
	require.Equal(t, rows[0], lines[0])
	for i := 1; i < 4; i++ {
		for k, cell := range lines[i] {
			if slices.Contains([]string{"Finished", "Consent given", "Deal entered"}, rows[0][k]) {
				cell += rows[i][k][max(0, min(16, len(rows[i][k]))):] // the sheet shows minutes
			}
			require.Equal(t, rows[i][k], cell, rows[0][k])
		}
	}
	names, err := book.GetRows("Columns")
	require.NoError(t, err)
	require.Equal(t, []string{"Column", "Id"}, names[0])
	for k, name := range rows[0] {
		require.Equal(t, name, names[k+1][0])
	}

	n := 0
	for line := range strings.Lines(d.get(at + ".jsonl?outcome=visit").Body.String()) {
		var one struct {
			ID, Outcome string
			Version     int
			Answers     map[string]any
			Contact     map[string]string
		}
		require.NoError(t, json.Unmarshal([]byte(line), &one))
		require.Equal(t, "visit", one.Outcome)
		require.NotEmpty(t, one.Answers["area"])
		require.Equal(t, rows[n+1][0], one.ID)
		n++
	}
	require.Equal(t, visits, n)
	require.Equal(t, http.StatusNotFound, d.get(at+".pdf").Code)
}

// Deals of the version before count after a launch, scored as the new version would, and can be left out.
func TestDealsOfEarlierVersionsCount(t *testing.T) {
	d := newDesk(t, true)
	id := d.wall()
	room := "/quizzes/" + id + "/leads"
	n := 0
	for r, err := range d.Store.Responses.Reader(id, responses.Genuine).All() {
		require.NoError(t, err)
		if n++; n > 40 {
			break
		}
		require.Equal(t, http.StatusSeeOther, d.form(room+"/"+r.ID+"/deal", url.Values{"state": {[]string{"won", "lost"}[n%2]}}).Code)
	}
	before := d.get(room + "?view=won").Body.String()
	require.Contains(t, before, "won</a>")
	owner, err := d.Store.People.FirstAccount()
	require.NoError(t, err)
	_, err = d.Store.LaunchAgain(id, owner.ID, 1)
	require.NoError(t, err)
	after := d.get(room + "?view=won").Body.String()
	require.Regexp(t, `\d+ deals of earlier versions are scored as in version 2\.`, strings.Join(strings.Fields(after), " "))
	figures := regexp.MustCompile(`<b>\d+</b> won</a>, <a[^>]*><b>\d+</b> lost`)
	require.NotEmpty(t, figures.FindString(before))
	require.Equal(t, figures.FindString(before), figures.FindString(after))
	require.Contains(t, d.get(room+"?view=won&deals=live").Body.String(), "Only deals of version 2.")
}
