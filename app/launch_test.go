package app

import (
	"encoding/csv"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/tallies"
	"omphalos/core/quiz"
)

// Tallies of events are written within a second or so.
const (
	patienceOfTallies = 20 * time.Second
	tallyLook         = 100 * time.Millisecond
)

// launched is the pots quiz, live under the link pots, without what its count would hold back.
func launched(t *testing.T) (*desk, string) {
	t.Helper()
	d := newDesk(t, false)
	id := d.quizOf(pots)
	w := d.form("/quizzes/"+id+"/launch", url.Values{"base": {"0"}, "slug": {"pots"}})
	require.Equal(t, "/quizzes/"+id+"/launch", w.Header().Get("Location"))
	return d, id
}

// saved posts a form of the Launch room and returns what is wrong with it, "" for nothing.
func (d *desk) saved(path, form string) string {
	d.Helper()
	values, err := url.ParseQuery(form)
	require.NoError(d, err)
	w := d.form(path, values)
	require.Equal(d, http.StatusSeeOther, w.Code, w.Body.String())
	to, err := url.Parse(w.Header().Get("Location"))
	require.NoError(d, err)
	return to.Query().Get("refused")
}

func TestWhoMayBeginIsTyped(t *testing.T) {
	d, id := launched(t)
	at := "/quizzes/" + id + "/launch/who"
	page := func() string { return send(d.h, "GET", "/q/pots", nil, nil).Body.String() }
	for form, want := range map[string]string{
		"opens=soon": "isn’t a valid time for “",
		"opens=2027-03-02T09:00&closes=2027-03-01T09:00": "The closing time is before the opening time",
		"cap=many":                        "isn’t a valid response limit",
		"cap=-1":                          "isn’t a valid response limit",
		"who=passphrase":                  "no passphrase yet",
		"who=passphrase&passphrase=short": "The passphrase has the wrong length. Use 6 to 72 characters.",
		"who=everybody":                   "No one is chosen under “Who can take the quiz”",
		"url=larkmoor":                    "The address must start with https:// or http://.",
	} {
		require.Contains(t, d.saved(at, form), want, form)
	}
	require.NotContains(t, page(), "data-closed")
	require.Empty(t, d.saved(at, "paused=yes&heading=Back+soon"))
	require.Contains(t, page(), "Back soon")
	require.Contains(t, d.get("/quizzes/"+id+"/launch?part=who").Body.String(), "Paused.")
	require.Contains(t, send(d.h, "GET", "/kit/pots", nil, nil).Body.String(), "open = false")
	require.Empty(t, d.saved(at, "who=passphrase&passphrase=moss+and+fern"))
	require.Contains(t, page(), `type="password"`)
	require.Empty(t, d.saved(at, "who=passphrase"), "the passphrase that is set stays")
	q, err := d.Store.Documents.Quiz(id)
	require.NoError(t, err)
	require.NotContains(t, string(q.Access), "moss", "it is kept as a hash")
	require.Empty(t, d.saved(at, ""))
	require.Contains(t, send(d.h, "GET", "/kit/pots", nil, nil).Body.String(), "open = true")

	who := func() string { return d.get("/quizzes/" + id + "/launch?part=who").Body.String() }
	require.Empty(t, d.saved(at, "opens=2027-07-01T09:00"))
	require.Contains(t, who(), "it opens on 1 July 2027, 09:00", "and the zone")
	require.Empty(t, d.saved(at, "cap=100"))
	require.Contains(t, who(), "0 of 100 responses received, counting every response so far.")
	for chosen, words := range map[string]string{
		"now": "counting responses since ", "launch": "counting responses since the launch of version 1.", "all": "counting every response so far.",
	} {
		require.Empty(t, d.saved(at, "cap=100&capfrom="+chosen))
		require.Empty(t, d.saved(at, "cap=100"), "the choice stays")
		require.Contains(t, who(), words)
	}
	require.Empty(t, d.saved(at, ""))
	require.Equal(t, http.StatusNotFound, d.form("/quizzes/none/launch/who", nil).Code)
}

func TestInvitingAList(t *testing.T) {
	d, id := launched(t)
	require.Empty(t, d.saved("/quizzes/"+id+"/launch/who", "who=invited"))
	invite := func(text string) string {
		return d.saved("/quizzes/"+id+"/launch/invite", url.Values{"people": {text}}.Encode())
	}
	require.Contains(t, invite(" "), "empty")
	require.Contains(t, invite("name,email\nOrla,orla"), "Line 2")
	require.Contains(t, invite("name,email,region\n,,west"), "has no name and no email address")
	require.Contains(t, invite("name,email\n\"Orla"), "Line 2")
	require.Empty(t, invite("Name;E-mail;Region\nOrla Fenhall;orla@fenhall.example;west\n\nRui;rui@ostbau.example;"))
	require.Empty(t, invite("Nell, nell@quayside.example\nmira@larchwood.example"))
	w := d.get("/quizzes/" + id + "/launch/invitations.csv")
	rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(w.Body.String(), "\ufeff"))).ReadAll()
	require.NoError(t, err)
	require.Equal(t, []string{"name", "email", "region", "state", "link"}, rows[0])
	require.Len(t, rows, 5)
	require.Equal(t, []string{"Orla Fenhall", "orla@fenhall.example", "west", "not opened"}, rows[1][:4])
	link, err := url.Parse(rows[1][4])
	require.NoError(t, err)
	require.Contains(t, send(d.h, "GET", link.RequestURI(), nil, nil).Body.String(), "Begin")
	list, err := d.Store.Responses.Invitations(id)
	require.NoError(t, err)
	require.Equal(t, "opened", list[0].State())
	require.Empty(t, d.saved("/quizzes/"+id+"/launch/invitations/"+list[1].ID+"/revoke", ""))
	room := d.get("/quizzes/" + id + "/launch?part=who").Body.String()
	require.Contains(t, room, "revoked")
	require.Contains(t, room, "nell@quayside.example")
}

func TestPlacesAndCodes(t *testing.T) {
	d, id := launched(t)
	at := "/quizzes/" + id + "/launch"
	require.Contains(t, d.saved(at+"/places", "name=+"), "no name")
	require.Empty(t, d.saved(at+"/places", "name=Spring+newsletter&medium=email&campaign=green"))
	places, err := d.Store.Documents.PutPlaces(id)
	require.NoError(t, err)
	require.Equal(t, "spring-newsletter", places[0].Source)
	require.Contains(t, d.get(at).Body.String(), "utm_campaign=green&amp;utm_medium=email&amp;utm_source=spring-newsletter")
	for path, want := range map[string]int{
		"/qr.svg": 200, "/qr.png": 200, "/qr": 200, "/qr.svg?place=" + places[0].ID: 200, "/qr.png?size=60&level=H&words=Try+it": 200,
		"/qr.png?size=59": 422, "/qr.png?size=4001": 422, "/qr.png?size=x": 422, "/qr.svg?place=none": 404,
	} {
		require.Equal(t, want, d.get(at+path).Code, path)
	}
	require.Contains(t, d.get(at+"/qr.svg?download=1").Header().Get("Content-Disposition"), "pots.svg")
	require.Empty(t, d.saved(at+"/places/"+places[0].ID+"/drop", ""))
	places, err = d.Store.Documents.PutPlaces(id)
	require.NoError(t, err)
	require.Empty(t, places)
	other := d.quizOf(pots)
	require.Equal(t, http.StatusNotFound, d.get("/quizzes/"+other+"/launch/qr.svg").Code, "nothing is live")
}

func TestHowALinkLooksElsewhere(t *testing.T) {
	d, id := launched(t)
	page := func() string { return send(d.h, "GET", "/q/pots", nil, nil).Body.String() }
	require.Contains(t, page(), `<meta property="og:title" content="Pots">`)
	require.Contains(t, page(), `<meta name="robots" content="noindex">`)
	at := "/quizzes/" + id + "/launch/shared"
	require.Contains(t, d.saved(at, "canonical=pots"), "The address must start with https:// or http://.")
	require.Contains(t, d.saved(at, "canonical="+url.QueryEscape("https://w.example/{a}")), "The canonical address contains a placeholder in braces")
	require.Empty(t, d.saved(at, "title=Which+pot%3F&text=Two+%22minutes%22&listed=yes&canonical="+url.QueryEscape("https://w.example/pots")))
	require.Contains(t, page(), `<meta property="og:title" content="Which pot?">`)
	require.Contains(t, page(), `<meta property="og:description" content="Two &#34;minutes&#34;">`)
	require.Contains(t, page(), `<link rel="canonical" href="https://w.example/pots">`)
	require.NotContains(t, page(), "noindex")
}

// Between any two versions: what changed in words, what it does to every outcome, and someone whom it moves. A version
// can be made live again, and taken into the draft, which can be undone.
func TestVersionsAreComparedAndBroughtBack(t *testing.T) {
	d, id := launched(t)
	at := "/quizzes/" + id + "/launch"
	_, err := d.edit(id, 0, quiz.Patch{quiz.Add("/verdicts/0/bands/cuts/1/from", 9), quiz.Add("/name", "Pots and more")})
	require.NoError(t, err)
	room := d.get(at + "?from=1&to=0").Body.String()
	require.Contains(t, room, "2 changes")
	require.Contains(t, room, "Cut point 2 of verdict line 1: 5 → 9")
	effect := d.get("/quizzes/" + id + "/reach?room=launch&query=" + url.QueryEscape("?from=1&to=0")).Body.String()
	require.Contains(t, effect, "Visit → Pots")
	require.Contains(t, effect, "1: Large")
	require.Contains(t, effect, "of respondents would get a different outcome")
	require.Contains(t, d.get(at+"?from=1&to=1").Body.String(), "These two are identical.")
	require.Equal(t, http.StatusOK, d.get(at+"?from=1&to=9").Code)

	require.Equal(t, http.StatusSeeOther, d.form(at+"/take/1", nil).Code)
	q, err := d.Store.Documents.Quiz(id)
	require.NoError(t, err)
	require.Equal(t, "Pots", q.Name)
	require.Contains(t, d.saved(at+"/take/1", ""), "already identical to version 1")
	code, _ := d.post("/quizzes/"+id+"/undo", map[string]any{"id": "undo-1", "window": "w"})
	require.Equal(t, http.StatusOK, code)
	q, err = d.Store.Documents.Quiz(id)
	require.NoError(t, err)
	require.Equal(t, "Pots and more", q.Name)

	require.Equal(t, http.StatusSeeOther, d.form(at+"/again/1", nil).Code)
	q, err = d.Store.Documents.Quiz(id)
	require.NoError(t, err)
	require.Equal(t, 2, q.LiveVersion)
	require.Equal(t, "Pots and more", q.Name, "the draft is untouched")
	require.Contains(t, d.get(at).Body.String(), "same as version 1")
	require.Equal(t, http.StatusNotFound, d.form(at+"/again/7", nil).Code)
}

// Two versions that share the traffic are compared in words; a share that does not fit is named; one is chosen.
func TestASplitIsShownAndEnded(t *testing.T) {
	d, id := launched(t)
	at := "/quizzes/" + id + "/launch"
	_, err := d.edit(id, 0, quiz.Patch{quiz.Add("/name", "Pots, shorter")})
	require.NoError(t, err)
	require.Contains(t, d.saved(at, "base=1&slug=pots&beside=200"), "This version can’t be split tested. Choose a share from 1% to 99%; a version must already be live.")
	require.Equal(t, at, d.form(at, url.Values{"base": {"1"}, "slug": {"pots"}, "beside": {"50"}}).Header().Get("Location"))
	tally := func(version, starts, finishes int) {
		for i := range starts {
			d.Store.Responses.Tally(tallies.Event{QuizID: id, Version: version, Day: "2026-11-25", Stage: tallies.StageStart})
			if i < finishes {
				d.Store.Responses.Tally(tallies.Event{QuizID: id, Version: version, Day: "2026-11-25", Stage: tallies.StageEnd, Place: "pots"})
			}
		}
	}
	tally(1, 400, 200)
	tally(2, 400, 320)
	require.Eventually(t, func() bool {
		counts, err := d.Store.Tallies.VersionCounts(id)
		require.NoError(t, err)
		return counts[2] != nil && counts[2].Finishes == 320
	}, patienceOfTallies, tallyLook)
	room := d.get(at).Body.String()
	require.Contains(t, room, "Version 2 finishes more often, by ")
	require.Contains(t, room, "&#43;30.0")
	require.Contains(t, room, "No clear difference yet in how many people become leads")
	require.NotContains(t, room, "Something is sending people to one version, so don’t rely on this comparison")
	tally(2, 300, 0)
	require.Eventually(t, func() bool {
		return strings.Contains(d.get(at).Body.String(), "Something is sending people to one version, so don’t rely on this comparison")
	}, patienceOfTallies, tallyLook)
	require.Contains(t, d.saved(at+"/split", "version=1&percent=50"), "There’s no second version to test")
	require.Contains(t, d.saved(at+"/split", "version=2&percent=100"), "would get no respondents")
	require.Equal(t, http.StatusSeeOther, d.form(at+"/choose/2", nil).Code)
	q, err := d.Store.Documents.Quiz(id)
	require.NoError(t, err)
	require.Equal(t, 2, q.LiveVersion)
	require.NotContains(t, d.get(at).Body.String(), "Split test <span")
}
