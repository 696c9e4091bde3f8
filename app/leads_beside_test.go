package app

import (
	"encoding/csv"
	"html"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/page"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
)

// A choice of people gets a name, is found by it, and is forgotten.
func TestAChoiceOfPeopleHasAName(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	room := "/quizzes/" + q.ID + "/leads"
	kept := d.form(room+"/filters", url.Values{"name": {"Visits from search"}, "query": {"source=search&outcome=visit&view=won&odd=1"}})
	require.Equal(t, http.StatusSeeOther, kept.Code)
	require.Equal(t, room+"?outcome=visit&source=search", kept.Header().Get("Location"))
	require.Contains(t, d.get(room).Body.String(), `href="?outcome=visit&amp;source=search">Visits from search</a>`)
	require.Equal(t, http.StatusBadRequest, d.form(room+"/filters", url.Values{"name": {" "}, "query": {"source=search"}}).Code)
	require.Equal(t, http.StatusSeeOther, d.form(room+"/filters/drop", url.Values{"name": {"Visits from search"}}).Code)
	require.NotContains(t, d.get(room).Body.String(), "Visits from search")
}

// How long responses are kept is said in the room and carried out; figures stay.
func TestResponsesAreForgottenInTime(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	room := "/quizzes/" + q.ID + "/leads"
	body := d.get(room).Body.String()
	require.Contains(t, body, "Responses are kept until you delete them.")
	figures := regexp.MustCompile(`(?s)<dl class="bigfigures">.*?</dl>`)
	before := figures.FindString(body)
	require.NotEmpty(t, before)
	for _, days := range []string{"-1", "many", "4000"} {
		require.Equal(t, http.StatusBadRequest, d.form(room+"/keeping", url.Values{"days": {days}, "what": {"all"}}).Code, days)
	}
	require.Equal(t, http.StatusBadRequest, d.form(room+"/keeping", url.Values{"days": {"3"}, "what": {"some"}}).Code)
	with := func() int {
		n := 0
		for r, err := range d.Store.Responses.Reader(q.ID, responses.Genuine).All() {
			require.NoError(t, err)
			if r.Email != "" {
				n++
			}
		}
		return n
	}
	all := with()
	require.Equal(t, http.StatusSeeOther, d.form(room+"/keeping", url.Values{"days": {"30"}, "what": {"contact"}}).Code)
	left := with()
	require.Positive(t, left)
	require.Less(t, left, all)
	body = d.get(room).Body.String()
	require.Contains(t, body, "will be deleted within a day")
	require.Equal(t, before, figures.FindString(body))
	require.Equal(t, http.StatusSeeOther, d.form(room+"/keeping", url.Values{"days": {"1"}, "what": {"all"}}).Code)
	require.Equal(t, before, figures.FindString(d.get(room).Body.String()))
	n, err := d.Store.Responses.Reader(q.ID, responses.Genuine).Count()
	require.NoError(t, err)
	require.Less(t, n, 40)
	require.Equal(t, http.StatusSeeOther, d.form(room+"/keeping", url.Values{"days": {""}, "what": {"all"}}).Code)
	require.Contains(t, d.get(room).Body.String(), "Responses are kept until you delete them.")
}

// An export comes in again: each response ends where it did, what is wrong is named by its row, and all of it is taken
// out at once.
func TestPastResponsesComeIn(t *testing.T) {
	for as, layout := range map[string]string{"words": time.DateTime, "ids": time.RFC3339} {
		t.Run(as, func(t *testing.T) { pastResponsesComeIn(t, as, layout) })
	}
}

// pastResponsesComeIn imports an export whose columns and answers are words or ids, with times as layout writes them.
func pastResponsesComeIn(t *testing.T, as, layout string) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	room := "/quizzes/" + q.ID + "/leads"
	read := func(as string) [][]string {
		text := strings.TrimPrefix(d.get(room+".csv?as="+as).Body.String(), "\ufeff")
		rows, err := csv.NewReader(strings.NewReader(text)).ReadAll()
		require.NoError(t, err)
		return rows
	}
	rows, ids := read(as), read("ids")[0]
	require.Equal(t, "id", ids[0])
	column := func(name string) int { return slices.Index(ids, name) }
	rows = rows[:12]
	for i := range rows[1:] {
		rows[i+1][0] = "past" + rows[i+1][0]
		rows[i+1][column("kept_aside")] = ""
	}
	rows[3][column("finished")] = "31.3.2026"
	rows[4][column("answer.area")] = "enormous"
	rows[5][column("contact.email")] = "nobody"
	rows[6][column("finished")] = time.Now().Add(48 * time.Hour).Format(layout)
	var table strings.Builder
	require.NoError(t, csv.NewWriter(&table).WriteAll(rows))

	w := d.form(room+"/bring-in", url.Values{"table": {table.String()}})
	require.Equal(t, http.StatusOK, w.Code)
	for _, said := range []string{
		"7 new responses, 4 rows with a problem", "row 4, column at: “31.3.2026” isn’t a valid time", "row 5, column area:",
		"row 6, column email: “nobody” isn’t an email address", "row 7, column at: this time is in the future",
	} {
		require.Contains(t, w.Body.String(), said)
	}
	counts, err := d.Store.Tallies.QuizCounts(q.ID, time.UTC)
	require.NoError(t, err)
	for range 2 { // twice is once
		require.Equal(t, http.StatusSeeOther, d.form(room+"/bring-in/take", url.Values{"table": {table.String()}, "name": {"past.csv"}}).Code)
	}
	after, err := d.Store.Tallies.QuizCounts(q.ID, time.UTC)
	require.NoError(t, err)
	require.Equal(t, 7, after.Past)
	apart := *after
	apart.Past = counts.Past
	require.Equal(t, counts, &apart, "past responses are in no figure of those who took the quiz")
	breakdown, err := d.Store.Tallies.Breakdown(q.ID, tallies.BySource)
	require.NoError(t, err)
	require.NoError(t, d.Store.Responses.Recount(q.ID))
	recounted, err := d.Store.Tallies.QuizCounts(q.ID, time.UTC)
	require.NoError(t, err)
	require.Equal(t, after, recounted)
	sources, err := d.Store.Tallies.Breakdown(q.ID, tallies.BySource)
	require.NoError(t, err)
	require.ElementsMatch(t, breakdown, sources)
	preview := d.form(room+"/bring-in", url.Values{"table": {table.String()}}).Body.String()
	require.Contains(t, preview, "0 new responses, 7 already imported, 4 rows with a problem")
	for query, n := range map[string]int{"imported=only": 7, "imported=none": counts.Kept} {
		require.Contains(t, d.get(room+"?"+query).Body.String(), page.Thousands(n)+" ", query)
	}
	imports, err := d.Store.Responses.Imports(q.ID)
	require.NoError(t, err)
	require.Len(t, imports, 1)
	require.Contains(t, d.get(room).Body.String(), "past.csv: 7")
	came := map[string]string{} // outcome by contact and time, as exported
	for _, row := range rows[1:] {
		came[row[column("contact.email")]+row[column("finished")]] = row[column("outcome")]
	}
	n := 0
	for r, err := range d.Store.Responses.Reader(q.ID, responses.Genuine).All() {
		require.NoError(t, err)
		if r.ImportID == "" {
			continue
		}
		a, err := d.Store.Responses.Answered(r)
		require.NoError(t, err)
		outcome := a.Doc.OutcomeName(r.Outcome)
		if as == "ids" {
			outcome = r.Outcome
		}
		require.Equal(t, came[r.Email+r.At.UTC().Format(layout)], outcome)
		n++
	}
	require.Equal(t, 7, n)
	require.Equal(t, http.StatusSeeOther, d.form("/quizzes/"+q.ID+"/imports/"+imports[0].ID+"/take-out", nil).Code)
	again, err := d.Store.Tallies.QuizCounts(q.ID, time.UTC)
	require.NoError(t, err)
	require.Equal(t, counts, again)

	for table, said := range map[string]string{
		"":                       "The table is empty",
		"area,light\nlarge,sun":  "Choose the column that says when",
		"at,area\n\"2026-01-01,": "Line 2",
	} {
		w := d.form(room+"/bring-in", url.Values{"table": {table}})
		require.Equal(t, http.StatusBadRequest, w.Code)
		require.Contains(t, w.Body.String(), said, table)
	}
}

// The page of results shows figures to anyone who has its address, and no one's name; once revoked it no longer exists.
func TestResultsAreHandedRound(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	room := "/quizzes/" + q.ID + "/leads"
	require.Equal(t, http.StatusSeeOther, d.form(room+"/results", nil).Code)
	link := regexp.MustCompile(`/results/\w+`).FindString(d.get(room).Body.String())
	require.NotEmpty(t, link)
	w := httptest.NewRecorder()
	d.h.ServeHTTP(w, httptest.NewRequest("GET", link, nil)) // without a sign-in
	require.Equal(t, http.StatusOK, w.Code)
	body := w.Body.String()
	require.Contains(t, body, "Outcomes")
	require.Contains(t, body, "How large is the wall?")
	require.NotContains(t, body, "href=\"?")
	require.NotContains(t, body, "@")
	for r, err := range d.Store.Responses.Reader(q.ID, responses.All).All() {
		require.NoError(t, err)
		if r.Name != "" {
			require.NotContains(t, body, r.Name)
			require.NotContains(t, body, r.ID)
		}
	}
	require.Equal(t, "noindex", w.Header().Get("X-Robots-Tag"))
	require.Equal(t, http.StatusSeeOther, d.form(room+"/results/revoke", nil).Code)
	w = httptest.NewRecorder()
	d.h.ServeHTTP(w, httptest.NewRequest("GET", link, nil))
	require.Equal(t, http.StatusNotFound, w.Code)
}

// One row an answer has every answer once, and ids stand in place of words where they are asked for.
func TestAnExportOfAnswers(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	at := "/quizzes/" + q.ID + "/leads"
	read := func(path string) [][]string {
		rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(d.get(path).Body.String(), "\ufeff"))).ReadAll()
		require.NoError(t, err)
		return rows
	}
	rows := read(at + ".answers.csv?outcome=visit&as=ids")
	counted := map[string]int{}
	for _, row := range rows[1:] {
		require.Equal(t, "visit", row[3])
		counted[row[4]+" "+row[7]]++
	}
	for _, choice := range []string{"small", "medium", "large"} {
		n, err := d.Store.Responses.Reader(q.ID, responses.All).Only(responses.Filter{Outcome: "visit", Answer: &responses.Answer{Field: "area", Value: choice}}).Count()
		require.NoError(t, err)
		require.Equal(t, n, counted["area "+choice], choice)
	}
	ids, words := read(at+".csv?as=ids"), read(at+".csv")
	area := slices.Index(ids[0], "answer.area")
	require.Equal(t, "How large is the wall?", words[0][area])
	require.Equal(t, ids[0], read(at + ".csv?as=both")[1])
	require.Contains(t, []string{"small", "medium", "large"}, ids[1][area])
	require.Contains(t, words[1][area], "m²")
}

// What came is held against the version that runs alone, and against the shares that are assumed where there are any.
func TestWhatIsExpectedIsOfTheVersionThatRuns(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("windowsill")
	require.NoError(t, err)
	counts, err := d.Store.Tallies.QuizCounts(q.ID, time.UTC)
	require.NoError(t, err)
	all := 0
	for _, n := range counts.Versions[2] {
		all += n
	}
	require.Less(t, all, counts.Finishes)
	said := func() string {
		return html.UnescapeString(d.get("/quizzes/" + q.ID + "/reach?room=leads").Body.String())
	}
	body := said()
	require.Contains(t, body, "Expected and actual outcomes, version 2")
	require.Contains(t, body, page.Percent(float64(counts.Versions[2]["cactus"])/float64(all)))
	require.Contains(t, body, "expected from evenly spread answers")
	code, err := d.postRaw("/quizzes/"+q.ID+"/assumed", `{"key":"answers light sun","share":"100"}`)
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, code)
	require.Contains(t, said(), "expected from the answer shares you expect")
}

// Where a quiz branches, the room says how the last who finished went on; the shares are theirs.
func TestWhereTheyWentOn(t *testing.T) {
	d := newDesk(t, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	asked, n := 0, 0
	for r, err := range d.Store.Responses.Reader(q.ID, responses.Genuine).All() {
		require.NoError(t, err)
		a, err := r.Answered()
		require.NoError(t, err)
		if n++; !a.Answers["decides"].Blank() {
			if _, on := a.Answers["budget"]; on {
				asked++
			}
		}
	}
	body := d.get("/quizzes/" + q.ID + "/leads").Body.String()
	require.Contains(t, body, "then: "+page.Percent(float64(asked)/float64(n))+" to 4, "+page.Percent(float64(n-asked)/float64(n))+" to 5")
}
