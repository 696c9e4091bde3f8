package app

import (
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"omphalos/app/store/documents"
	"omphalos/app/store/people"
)

// A query that was built as one text and escaped again becomes one parameter with a strange name: no address on any page
// has such.
func TestParametersOfAddressesHaveNames(t *testing.T) {
	d := newDesk(t, true)
	id := d.wall()
	require.NoError(t, d.Store.Documents.AddPlace(&documents.Place{QuizID: id, Name: "Fair & stand", Source: "fair", Medium: "print", Campaign: "a b"}))
	places, err := d.Store.Documents.PutPlaces(id)
	require.NoError(t, err)
	looked := 0
	for _, at := range []string{
		"/", "/journal?who=1&verb=edited&quiz=" + id, "/team", "/starters",
		"/quizzes/" + id + "/launch?part=link&place=" + places[0].ID + "&level=H&words=" + url.QueryEscape("a & b"),
		"/quizzes/" + id + "/launch?part=over", "/quizzes/" + id + "/launch?from=1&to=0",
		"/quizzes/" + id + "/leads?outcome=visit&q=sun", "/quizzes/" + id + "/leads?view=questions", "/quizzes/" + id + "/leads?view=scores",
		"/quizzes/" + id + "/messages?part=list", "/quizzes/" + id + "/endings", "/quizzes/" + id + "/paths?station=decides",
	} {
		w := d.get(at)
		require.Equal(t, http.StatusOK, w.Code, at)
		tree, err := html.Parse(w.Body)
		require.NoError(t, err)
		for n := range tree.Descendants() {
			for _, a := range n.Attr {
				if a.Key != "href" && a.Key != "src" && a.Key != "action" {
					continue
				}
				_, query, has := strings.Cut(a.Val, "?")
				if !has {
					continue
				}
				values, err := url.ParseQuery(strings.Split(query, "#")[0])
				require.NoError(t, err, "%s: %s", at, a.Val)
				for name := range values {
					require.NotContains(t, name, "=", "%s: %s", at, a.Val)
					require.NotContains(t, name, "&", "%s: %s", at, a.Val)
				}
				looked++
			}
		}
	}
	require.Greater(t, looked, 60)
}

// What the journal says of a deleted quiz has its name; the notice at Home says what went with it.
func TestADeletedQuizIsNamed(t *testing.T) {
	d := newDesk(t, true)
	id := d.wall()
	w := d.form("/quizzes/"+id+"/delete", nil)
	require.Equal(t, http.StatusSeeOther, w.Code)
	home := d.get(w.Header().Get("Location")).Body.String()
	require.Contains(t, home, "Its link /q/living-wall no longer works.")
	require.Contains(t, home, "350 responses went with it.")
	lines, err := d.Store.People.Journal(people.JournalFilter{Verb: "deleted a quiz"}, 5)
	require.NoError(t, err)
	require.Len(t, lines, 1)
	require.Equal(t, "Is your office ready for a living wall?", lines[0].Quiz)
}

// A new password by a mailed link stands in the journal.
func TestAResetIsInTheJournal(t *testing.T) {
	d := newDesk(t, true)
	_, viewer := d.as(t, people.Viewer)
	token, err := d.Store.People.AskReset(viewer.ID)
	require.NoError(t, err)
	w := d.form("/reset/"+token, url.Values{"password": {"moss and ferns in spring"}})
	require.Equal(t, http.StatusSeeOther, w.Code, w.Body.String())
	lines, err := d.Store.People.Journal(people.JournalFilter{Verb: people.VerbReset}, 5)
	require.NoError(t, err)
	require.Len(t, lines, 1)
	require.Equal(t, viewer.Email, lines[0].Account)
}

func TestPublicErrorPagesLeadToNoQuizzes(t *testing.T) {
	d := newDesk(t, true)
	for path, leads := range map[string]bool{"/q/none": false, "/results/none": false, "/f/none/none": false, "/nowhere": true} {
		w := d.get(path)
		require.Equal(t, leads, strings.Contains(w.Body.String(), "Go to your quizzes"), "%s %d", path, w.Code)
	}
}
