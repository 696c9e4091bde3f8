package app

import (
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/account"
	"omphalos/app/rights"
	"omphalos/app/route"
	"omphalos/app/store/database"
	"omphalos/app/store/people"
)

// as is the cookie of a sign-in of an account with a role, for all quizzes or for those named.
func (d *desk) as(t *testing.T, role string, quizzes ...string) (*http.Cookie, *people.Account) {
	t.Helper()
	a := &people.Account{Email: strings.ToLower(database.NewID()) + "@larkmoor.example", Role: role, Some: len(quizzes) > 0}
	require.NoError(t, d.Store.People.MakeAccount(a, quizzes))
	token, err := d.Store.People.StartSession(a)
	require.NoError(t, err)
	return &http.Cookie{Name: account.CookieName(httptest.NewRequest("GET", "/", nil)), Value: token}, a
}

func (d *desk) ask(method, path, body string, cookie *http.Cookie) *httptest.ResponseRecorder {
	r := httptest.NewRequest(method, path, strings.NewReader(body))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	if cookie != nil {
		r.AddCookie(cookie)
	}
	w := httptest.NewRecorder()
	d.h.ServeHTTP(w, r)
	return w
}

// Each role against each address of the program: anyone who has not the right is refused, before anything else is
// looked at, and every address behind a sign-in has a stated right.
func TestEachRoleAgainstEachAddress(t *testing.T) {
	d := newDesk(t, false)
	cookies := map[string]*http.Cookie{}
	for _, role := range people.Roles {
		cookies[role], _ = d.as(t, role)
	}
	asked := 0
	for _, address := range routed(t, d.Store) {
		method, pattern, _ := strings.Cut(address, " ")
		rule, stated := route.Of(method, pattern)
		require.True(t, stated, "%s has no stated right", address)
		if rule.Right == route.Open || route.OfAPI(pattern) {
			continue
		}
		path := routePart.ReplaceAllString(pattern, "none")
		for _, role := range people.Roles {
			if address == "POST /account/sign-out-everywhere" {
				continue
			}
			w := d.ask(method, path, "x=y", cookies[role])
			held := rights.Held(&people.Account{Role: role}, rule.Right)
			require.Equal(t, !held, w.Code == http.StatusForbidden, "%s as %s: %d", address, role, w.Code)
			require.Less(t, w.Code, 500, "%s as %s", address, role)
			asked++
		}
	}
	require.Greater(t, asked, 300)
}

var control = regexp.MustCompile(`<(button|input|select|textarea|form)\b[^>]*>`)

// A viewer's pages hold no form and no control that leads to what a viewer may not do; what fields held can be read.
func TestAViewerSeesNoControlThatDoesNothing(t *testing.T) {
	d := newDesk(t, true)
	viewer, a := d.as(t, people.Viewer)
	for _, path := range []string{
		"/", "/account", "/quizzes/ID/script?open=area", "/quizzes/ID/script?view=ledger", "/quizzes/ID/verdicts", "/quizzes/ID/paths?station=area",
		"/quizzes/ID/endings", "/quizzes/ID/endings?table=regions", "/quizzes/ID/endings?part=files", "/quizzes/ID/messages", "/quizzes/ID/messages?part=list",
		"/quizzes/ID/rehearse", "/quizzes/ID/launch", "/quizzes/ID/launch?part=hooks", "/quizzes/ID/launch?part=who", "/quizzes/ID/leads", "/quizzes/ID/leads?view=scores",
	} {
		path = strings.ReplaceAll(path, "ID", d.wall())
		w := d.ask("GET", path, "", viewer)
		require.Equal(t, http.StatusOK, w.Code, path)
		body := w.Body.String()
		for _, form := range regexp.MustCompile(`<form[^>]*method="post"[^>]*>`).FindAllString(body, -1) {
			action := regexp.MustCompile(`action="([^"]*)"`).FindStringSubmatch(form)
			require.NotNil(t, action, form)
			require.True(t, rights.May(a, "POST", action[1]), "%s has %s", path, form)
		}
		for _, tag := range control.FindAllString(body, -1) {
			for _, edits := range []string{"data-patch", "data-path", "data-checked", "data-history", "data-line", "data-newquestion", "data-cellof", "data-share"} {
				require.NotContains(t, tag, edits, path)
			}
		}
		require.NotContains(t, body, "leads.csv", path)
	}
	body := d.ask("GET", "/quizzes/"+d.wall()+"/script", "", viewer).Body.String()
	require.Contains(t, body, "How large is the wall?")
	require.Contains(t, body, "Under 5 m²")
	require.Equal(t, http.StatusForbidden, d.ask("POST", "/quizzes/"+d.wall()+"/edits", "{}", viewer).Code)
}

// Someone who is for chosen quizzes sees no other: not in the ledger, not by its address; what they make they see.
func TestSomebodyForChosenQuizzes(t *testing.T) {
	d := newDesk(t, true)
	list, err := d.Store.Documents.Quizzes()
	require.NoError(t, err)
	require.Len(t, list, 3)
	mine, other := list[0], list[1]
	editor, a := d.as(t, people.Editor, mine.ID)
	home := d.ask("GET", "/", "", editor).Body.String()
	require.Contains(t, home, mine.Name)
	require.NotContains(t, home, other.Name)
	for _, address := range routed(t, d.Store) {
		method, pattern, _ := strings.Cut(address, " ")
		rule, _ := route.Of(method, pattern)
		if !strings.HasPrefix(pattern, "/quizzes/:id") || !rights.Held(a, rule.Right) {
			continue
		}
		path := routePart.ReplaceAllString(strings.Replace(pattern, ":id", other.ID, 1), "none")
		require.Equal(t, http.StatusNotFound, d.ask(method, path, "x=y", editor).Code, address)
	}
	made := d.ask("POST", "/quizzes", "name=Mine", editor).Header().Get("Location")
	require.Equal(t, http.StatusOK, d.ask("GET", made, "", editor).Code)
	require.NoError(t, d.Store.People.SetRights(a.ID, people.Viewer, true, nil))
	require.Equal(t, http.StatusNotFound, d.ask("GET", made, "", editor).Code, "rights hold at once")
}

// The journal says who did what, and nothing of respondents; edits one after the other are one line.
func TestTheJournalSaysWhoDidWhat(t *testing.T) {
	d := newDesk(t, true)
	editor, a := d.as(t, people.Editor)
	for range 3 {
		d.ask("GET", "/quizzes/"+d.wall()+"/leads.csv", "", editor)
	}
	d.ask("POST", "/quizzes/"+d.wall()+"/launch", "slug=!!", editor) // refused: it was not done
	list, err := d.Store.People.Journal(people.JournalFilter{Account: a.ID}, 10)
	require.NoError(t, err)
	require.Len(t, list, 3)
	require.Equal(t, "exported leads", list[0].Verb)
	require.Equal(t, a.Email, list[0].Account)
	require.NotEmpty(t, list[0].Quiz)
	for range 3 {
		require.NoError(t, d.Store.People.Note(people.JournalLine{AccountID: a.ID, Verb: people.VerbEdited, QuizID: d.wall()}))
	}
	list, err = d.Store.People.Journal(people.JournalFilter{Verb: people.VerbEdited}, 10)
	require.NoError(t, err)
	require.Len(t, list, 1)
	require.Equal(t, 3, list[0].Count)
	page := d.ask("GET", "/journal", "", d.cookie).Body.String()
	require.Contains(t, page, "exported leads")
	csv := d.ask("GET", "/journal.csv?verb=edited", "", d.cookie).Body.String()
	require.Contains(t, csv, ",edited,3,")
	require.NotContains(t, csv, "exported")
}

// wall is the id of the demonstration's quiz about living walls.
func (d *desk) wall() string {
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(d, err)
	return q.ID
}
