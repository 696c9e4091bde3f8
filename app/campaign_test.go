package app

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"html"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/api"
	"omphalos/app/page"
	"omphalos/app/store/people"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
)

// campaign is a quiz with a contact step, a consent that need not be given, and an outcome that keeps nothing.
const campaign = `{"format": "omphalos-quiz/1", "name": "Campaign", "language": "en", "scales": [{"id": "fit", "name": "Fit"}],
	"intro": {"heading": "Campaign", "button": "Begin"},
	"questions": [
		{"id": "size", "kind": "single", "text": "How large?", "required": true, "choices": [
			{"id": "s", "label": "Small", "points": {"fit": 1}}, {"id": "m", "label": "Middling", "points": {"fit": 3}}, {"id": "l", "label": "Large", "points": {"fit": 5}}]},
		{"id": "when", "kind": "single", "text": "When?", "required": true, "choices": [
			{"id": "now", "label": "Now", "points": {"fit": 3}}, {"id": "later", "label": "Later"}]}],
	"outcomes": [{"id": "visit", "name": "Visit", "heading": "Come", "qualified": true}, {"id": "pack", "name": "Pack", "heading": "Read"},
		{"id": "no", "name": "No", "heading": "Not now", "keep": false}],
	"verdicts": [{"when": {"fact": "scale.fit", "op": "ge", "value": 6}, "outcome": "visit"}, {"when": {"fact": "scale.fit", "op": "ge", "value": 3}, "outcome": "pack"}],
	"otherwise": "no",
	"contact": {"place": "before_outcome", "optional": true, "heading": "Who are you?", "fields": [{"id": "name", "kind": "name", "label": "Name"}, {"id": "email", "kind": "email", "label": "Email"}],
		"consent": {"text": "You may write to me."}}}`

// agents are browsers that the program tells apart as devices.
var agents = map[string]string{
	"phone":   "Mozilla/5.0 (iPhone; CPU iPhone OS 18_0 like Mac OS X) AppleWebKit/605.1.15 Mobile/15E148 Safari/604.1",
	"desktop": "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 Chrome/140.0 Safari/537.36",
}

// campaigner is one respondent, with a browser of their own.
type campaigner struct {
	source, device, language string
	until                    string // view, start or end
	size, when               string
	email                    string // "" where they skip the contact step
	agrees                   bool
	outcome                  string
}

func newCampaigner(r *rand.Rand, i int) *campaigner {
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	c := &campaigner{
		source: pick("", "fair", "news", "news"), device: pick("phone", "desktop"), language: pick("en", "de"),
		until: pick("view", "start", "end", "end", "end"), size: pick("s", "m", "l"), when: pick("now", "later"),
	}
	if r.IntN(2) == 0 {
		c.email, c.agrees = fmt.Sprintf("person%d@fenhall.example", i), r.IntN(2) == 0
	}
	points := map[string]int{"s": 1, "m": 3, "l": 5, "now": 3, "later": 0}
	switch fit := points[c.size] + points[c.when]; {
	case fit >= 6:
		c.outcome = "visit"
	case fit >= 3:
		c.outcome = "pack"
	default:
		c.outcome = "no"
	}
	return c
}

var placeOnPage = regexp.MustCompile(`name="w" value="([^"]+)"`)

// browse makes a browser of their own: it asks as theirs does, keeps cookies, and follows where it is sent.
func (c *campaigner) browse(d *desk) func(method, path string, form url.Values) (page string) {
	jar := map[string]*http.Cookie{}
	return func(method, path string, form url.Values) string {
		d.Helper()
		for {
			w := send(d.h, method, path, form, func(r *http.Request) {
				r.RemoteAddr = "127.0.0.1:9" // of this machine: no walk is too fast
				r.Header.Set("User-Agent", agents[c.device])
				r.Header.Set("Accept-Language", c.language)
				for _, one := range jar {
					r.AddCookie(one)
				}
			})
			for _, one := range w.Result().Cookies() {
				jar[one.Name] = one
			}
			if w.Code != http.StatusSeeOther || !strings.HasPrefix(w.Header().Get("Location"), "/") {
				require.Contains(d, []int{http.StatusOK, http.StatusSeeOther}, w.Code, w.Body.String())
				return w.Body.String()
			}
			method, path, form = "GET", w.Header().Get("Location"), nil
		}
	}
}

// fill goes through the quiz at an address, with what is typed on each page. A field “text” or “email” of the contact
// step is found by its type, and “agree” is the box there.
func (c *campaigner) fill(d *desk, address string, pages ...url.Values) (page string) {
	d.Helper()
	ask := c.browse(d)
	page = ask("GET", address, nil)
	path, _, _ := strings.Cut(address, "?")
	for _, form := range pages {
		at := placeOnPage.FindStringSubmatch(page)
		require.NotNil(d, at, page)
		form.Set("w", at[1])
		for _, name := range contactField.FindAllStringSubmatch(page, -1) {
			if form.Has(name[2]) {
				form[name[1]] = form[name[2]]
			}
		}
		if form.Has("agree") {
			form.Set(contactBox.FindStringSubmatch(page)[1], "yes")
		}
		page = ask("POST", path, form)
	}
	return page
}

var (
	contactField = regexp.MustCompile(`<input class="line"[^>]* name="([^"]+)" type="(text|email)"`)
	contactBox   = regexp.MustCompile(`type="checkbox" name="([^"]+)"`)
)

// walk goes through the campaign as far as the respondent goes.
func (c *campaigner) walk(d *desk) {
	d.Helper()
	pages := []url.Values{{}, {"size": {c.size}, ".shown": {"size"}}, {"when": {c.when}, ".shown": {"when"}}}
	switch {
	case c.until == "view":
		pages = nil
	case c.until == "start":
		pages = pages[:2]
	case c.outcome == "no": // an outcome that keeps nothing asks for no contact
	case c.email == "":
		pages = append(pages, url.Values{".skip": {"yes"}})
	default:
		contact := url.Values{"text": {"Nell Holm"}, "email": {c.email}}
		if c.agrees {
			contact.Set("agree", "yes")
		}
		pages = append(pages, contact)
	}
	page := c.fill(d, "/q/camp?"+url.Values{"utm_source": {c.source}}.Encode(), pages...)
	if c.until == "end" {
		require.Contains(d, page, map[string]string{"visit": "Come", "pack": "Read", "no": "Not now"}[c.outcome])
	}
}

// tally is what a group of respondents should come to.
type tally struct{ Views, Starts, Finishes, Kept, Leads int }

func (t *tally) add(c *campaigner) {
	t.Views++
	if c.until != "view" {
		t.Starts++
	}
	if c.until == "end" {
		t.Finishes++
		if c.outcome != "no" {
			t.Kept++
			if c.email != "" {
				t.Leads++
			}
		}
	}
}

// 200 respondents with known sources, devices, languages, consents and outcomes go through a campaign; past responses
// are imported and deals entered. Every figure of the program equals what they did: on Leads, behind chips, in exports,
// on the page of results, in the API, and after a recount.
func TestACampaignIsCountedAsItWas(t *testing.T) {
	d := newDesk(t, false)
	id := d.quizOf(campaign)
	require.Empty(t, d.saved("/quizzes/"+id+"/launch", "base=0&slug=camp"))
	r := rand.New(rand.NewPCG(27, 200))
	all, outcomes := &tally{}, map[string]int{}
	by := map[string]map[string]*tally{tallies.BySource: {}, tallies.ByDevice: {}, tallies.ByLanguage: {}}
	var people []*campaigner
	for i := range 200 {
		c := newCampaigner(r, i)
		c.walk(d)
		people = append(people, c)
		all.add(c)
		for kind, value := range map[string]string{tallies.BySource: c.source, tallies.ByDevice: c.device, tallies.ByLanguage: c.language} {
			if by[kind][value] == nil {
				by[kind][value] = &tally{}
			}
			by[kind][value].add(c)
		}
		if c.until == "end" {
			outcomes[c.outcome]++
		}
	}
	require.Eventually(t, func() bool { // events are written within a second
		c, err := d.Store.Tallies.QuizCounts(id, time.UTC)
		require.NoError(t, err)
		return c.Views == all.Views && c.Starts == all.Starts
	}, patienceOfTallies, tallyLook)

	campaignFigures(t, d, id, all, by, outcomes)
	campaignPast(t, d, id)
	campaignDeals(t, d, id, people)
	campaignFigures(t, d, id, all, by, outcomes) // as they were
	require.NoError(t, d.Store.Responses.Recount(id))
	campaignFigures(t, d, id, all, by, outcomes)
	campaignChips(t, d, id, people)
	campaignExport(t, d, id, people)
	campaignResults(t, d, id, people, all, outcomes)
}

// campaignFigures compares what is read from tallies.
func campaignFigures(t *testing.T, d *desk, id string, all *tally, by map[string]map[string]*tally, outcomes map[string]int) {
	t.Helper()
	c, err := d.Store.Tallies.QuizCounts(id, time.UTC)
	require.NoError(t, err)
	require.Equal(t, *all, tally{c.Views, c.Starts, c.Finishes, c.Kept, c.Leads})
	require.Equal(t, outcomes, c.Outcomes)
	for kind, want := range by {
		list, err := d.Store.Tallies.Breakdown(id, kind)
		require.NoError(t, err)
		got := map[string]*tally{}
		for _, s := range list {
			got[s.Value] = &tally{s.Views, s.Starts, s.Finishes, s.Kept, s.Leads}
		}
		require.Equal(t, want, got, kind)
	}
	days, err := d.Store.Tallies.Days(id)
	require.NoError(t, err)
	var over tally
	for _, day := range days {
		switch day.Stage {
		case tallies.StageView:
			over.Views += day.Count
		case tallies.StageStart:
			over.Starts += day.Count
		case tallies.StageEnd:
			over.Finishes, over.Kept, over.Leads = over.Finishes+day.Count, over.Kept+day.Kept, over.Leads+day.Leads
		}
	}
	require.Equal(t, *all, over, "by day")
	body := d.get("/quizzes/" + id + "/leads").Body.String()
	for _, n := range []int{all.Views, all.Starts, all.Finishes, all.Leads} {
		require.Contains(t, body, `<dd class="figure">`+page.Thousands(n)+`</dd>`)
	}
}

// campaignPast imports 15 responses of an earlier time.
func campaignPast(t *testing.T, d *desk, id string) {
	t.Helper()
	var table strings.Builder
	table.WriteString("at,size,when,email\n")
	for i := range 15 {
		fmt.Fprintf(&table, "2026-03-%02dT10:00:00Z,Large,Now,past%d@fenhall.example\n", i+1, i)
	}
	room := "/quizzes/" + id + "/leads"
	require.Contains(t, d.form(room+"/bring-in", url.Values{"table": {table.String()}}).Body.String(), "15 new responses")
	require.Equal(t, http.StatusSeeOther, d.form(room+"/bring-in/take", url.Values{"table": {table.String()}, "name": {"past.csv"}}).Code)
	c, err := d.Store.Tallies.QuizCounts(id, time.UTC)
	require.NoError(t, err)
	require.Equal(t, 15, c.Past)
}

// campaignDeals enters a won deal of 100.10 for every lead of news, and a lost one for those of the fair.
func campaignDeals(t *testing.T, d *desk, id string, people []*campaigner) {
	t.Helper()
	var paste strings.Builder
	won, byOutcome := 0, map[string]int{}
	for _, c := range people {
		if c.until != "end" || c.outcome == "no" || c.email == "" {
			continue
		}
		switch c.source {
		case "news":
			fmt.Fprintf(&paste, "%s,won,100.10,EUR\n", c.email)
			byOutcome[c.outcome]++
			won++
		case "fair":
			fmt.Fprintf(&paste, "%s,lost\n", c.email)
		}
	}
	at := "/quizzes/" + id + "/deals"
	preview := d.form(at, url.Values{"deals": {paste.String()}})
	payload := regexp.MustCompile(`name="payload" value="([^"]*)"`).FindStringSubmatch(preview.Body.String())
	require.NotNil(t, payload, preview.Body.String())
	require.Equal(t, http.StatusSeeOther, d.form(at+"/take", url.Values{"payload": {html.UnescapeString(payload[1])}}).Code)
	list, err := d.Store.Responses.Revenue(id)
	require.NoError(t, err)
	for _, one := range list {
		require.Equal(t, "news", one.Source)
		require.Equal(t, byOutcome[one.Outcome], one.Deals)
		require.Equal(t, fmt.Sprintf("%.1f", float64(one.Deals)*100.1), one.Sum.String())
	}
	require.Len(t, list, len(byOutcome))
	reader := d.Store.Responses.Reader(id, responses.Genuine)
	n, err := reader.Only(responses.Filter{Deal: responses.DealWon}).Count()
	require.NoError(t, err)
	require.Equal(t, won, n)
	body := d.get("/quizzes/" + id + "/leads?view=won").Body.String()
	require.Contains(t, body, "Revenue of won deals")
	require.Contains(t, body, page.Thousands(won*100+won/10)) // of €100.10 each
}

// kept counts those whose answers are kept and who are chosen.
func kept(people []*campaigner, chosen func(*campaigner) bool) (n int) {
	for _, c := range people {
		if c.until == "end" && c.outcome != "no" && chosen(c) {
			n++
		}
	}
	return n
}

// campaignChips compares what chips choose, one and several together, with what was done.
func campaignChips(t *testing.T, d *desk, id string, people []*campaigner) {
	t.Helper()
	today := time.Now().UTC().Format(time.DateOnly)
	count := regexp.MustCompile(`<p class="quiet small mb-1">([\d,]+) (?:person|people)`)
	chosenFigure := regexp.MustCompile(`Those chosen"><p><span class="figure">([\d,]+)</span>`)
	for query, chosen := range map[string]func(*campaigner) bool{
		"source=news":                            func(c *campaigner) bool { return c.source == "news" },
		"source=&imported=none":                  func(c *campaigner) bool { return c.source == "" },
		"source=news&device=phone":               func(c *campaigner) bool { return c.source == "news" && c.device == "phone" },
		"outcome=visit&imported=none":            func(c *campaigner) bool { return c.outcome == "visit" },
		"outcome=pack&language=de":               func(c *campaigner) bool { return c.outcome == "pack" && c.language == "de" },
		"answer=size:m":                          func(c *campaigner) bool { return c.size == "m" },
		"since=" + today + "&device=desktop":     func(c *campaigner) bool { return c.device == "desktop" },
		"until=2026-03-31&imported=none":         func(*campaigner) bool { return false },
		"deal=won&outcome=visit":                 func(c *campaigner) bool { return c.source == "news" && c.email != "" && c.outcome == "visit" },
		"range=scale.fit:6:&source=fair":         func(c *campaigner) bool { return c.outcome == "visit" && c.source == "fair" },
		"version=1&imported=none&device=desktop": func(c *campaigner) bool { return c.device == "desktop" },
	} {
		want := page.Thousands(kept(people, chosen))
		body := d.get("/quizzes/" + id + "/leads?" + query).Body.String()
		m := count.FindStringSubmatch(body)
		require.NotNil(t, m, query)
		require.Equal(t, want, m[1], query)
		m = chosenFigure.FindStringSubmatch(body)
		if want == "0" && m == nil {
			continue
		}
		require.NotNil(t, m, query)
		require.Equal(t, want, m[1], query)
	}
}

// campaignExport compares the table that is downloaded, row by row by person.
func campaignExport(t *testing.T, d *desk, id string, people []*campaigner) {
	t.Helper()
	text := d.get("/quizzes/" + id + "/leads.csv?as=ids&imported=none").Body.String()
	rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(text, "\ufeff"))).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows[1:], kept(people, func(*campaigner) bool { return true }))
	byEmail := map[string]map[string]string{}
	for _, row := range rows[1:] {
		one := map[string]string{}
		for i, name := range rows[0] {
			one[name] = row[i]
		}
		byEmail[one["contact.email"]] = one
	}
	for _, c := range people {
		if c.email == "" || c.until != "end" || c.outcome == "no" {
			continue
		}
		got := byEmail[c.email]
		require.NotNil(t, got, c.email)
		want := map[string]string{
			"outcome": c.outcome, "source": c.source, "answer.size": c.size, "answer.when": c.when, "consent": "", "deal": "", "deal_amount": "",
		}
		if c.agrees {
			want["consent"] = "You may write to me."
		}
		switch c.source {
		case "news":
			want["deal"], want["deal_amount"] = "won", "100.1"
		case "fair":
			want["deal"] = "lost"
		}
		for name, value := range want {
			require.Equal(t, value, got[name], "%s of %s", name, c.email)
		}
	}
	on, _, _, err := d.Store.Deliveries.ListCounts(id)
	require.NoError(t, err)
	require.Equal(t, kept(people, func(c *campaigner) bool { return c.email != "" && c.agrees }), on, "the list holds those who agreed")
}

// campaignResults compares the page for others, of all and of those chosen, and the API.
func campaignResults(t *testing.T, d *desk, id string, walked []*campaigner, all *tally, outcomes map[string]int) {
	t.Helper()
	room := "/quizzes/" + id + "/leads"
	results := func(query string) string {
		require.Equal(t, http.StatusSeeOther, d.form(room+"/results", url.Values{"query": {query}}).Code)
		link := regexp.MustCompile(`/results/\w+`).FindString(d.get(room).Body.String())
		w := httptest.NewRecorder()
		d.h.ServeHTTP(w, httptest.NewRequest("GET", link+"?source=fair&q=person1", nil)) // its address chooses no one
		require.Equal(t, http.StatusOK, w.Code)
		require.Equal(t, http.StatusSeeOther, d.form(room+"/results/revoke", nil).Code)
		return w.Body.String()
	}
	body := results("")
	for _, n := range []int{all.Views, all.Starts, all.Finishes, all.Leads} {
		require.Contains(t, body, `<dd class="figure">`+page.Thousands(n)+`</dd>`)
	}
	for _, n := range outcomes {
		require.Contains(t, body, `<span class="quiet small">`+page.Thousands(n)+`</span>`)
	}
	body = results("source=news&device=phone")
	require.Contains(t, body, "from news, device phone")
	n := kept(walked, func(c *campaigner) bool { return c.source == "news" && c.device == "phone" })
	require.Contains(t, body, `<span class="figure">`+page.Thousands(n)+`</span>`)
	require.NotContains(t, body, "@")
	require.NotContains(t, body, "How large?", "answers of all stand on no page of some")

	owner, err := d.Store.People.FirstAccount()
	require.NoError(t, err)
	token, err := d.Store.People.AddToken(owner.ID, "test", []string{people.ScopeRead})
	require.NoError(t, err)
	w := send(d.h, "GET", api.Base+"/quizzes/"+id+"/results", nil, func(r *http.Request) { r.Header.Set("Authorization", "Bearer "+token) })
	var got api.Results
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &got), w.Body.String())
	require.Equal(t, [4]int{all.Views, all.Starts, all.Finishes, all.Leads}, [4]int{got.Views, got.Starts, got.Responses, got.Leads})
	for _, o := range got.Outcomes {
		require.Equal(t, outcomes[o.ID], o.Count, o.ID)
	}
}
