package app

import (
	"net/http"
	"net/url"
	"regexp"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/delivery"
	"omphalos/app/store/deliveries"
	"omphalos/core/quiz"
)

// The first button of the launch form is pressed by Enter in the field of the link: it keeps the name and launches
// nothing.
func TestEnterInTheLinkLaunchesNothing(t *testing.T) {
	d := newDesk(t, false)
	q := d.newQuiz(&quiz.Document{Format: quiz.Format, Name: "Ferns", Language: "en", Otherwise: "o", Outcomes: []quiz.Outcome{{ID: "o"}},
		Questions: []quiz.Question{{ID: "q", Kind: quiz.Statement, Text: "Hello"}}})
	w := d.form("/quizzes/"+q.ID+"/launch", url.Values{"only": {"link"}, "slug": {"my-ferns"}, "base": {"1"}})
	require.Equal(t, http.StatusSeeOther, w.Code)
	now, err := d.Store.Documents.Quiz(q.ID)
	require.NoError(t, err)
	require.Zero(t, now.LiveVersion)
	require.Contains(t, d.get(w.Header().Get("Location")).Body.String(), `name="slug" value="my-ferns"`)
}

// The link of a live quiz gets another name without a launch; the old name leads to the same quiz.
func TestALinkIsRenamedWithoutALaunch(t *testing.T) {
	d := newDesk(t, true)
	id := d.wall()
	before, err := d.Store.Documents.Quiz(id)
	require.NoError(t, err)
	room := "/quizzes/" + id + "/launch"
	require.Equal(t, http.StatusSeeOther, d.form(room+"/link", url.Values{"slug": {"green-office"}}).Code)
	after, err := d.Store.Documents.Quiz(id)
	require.NoError(t, err)
	require.Equal(t, "green-office", *after.Slug)
	require.Equal(t, before.LiveVersion, after.LiveVersion)
	for _, slug := range []string{"living-wall", "green-office"} {
		q, err := d.Store.Documents.QuizBySlug(slug)
		require.NoError(t, err)
		require.Equal(t, id, q.ID)
	}
	for slug, said := range map[string]string{"windowsill": "Another quiz already uses the link windowsill. Choose a different link.", "Green Office": "Use only lower-case letters a–z, digits and hyphens in the link (up to 60 characters), such as living-wall."} {
		w := d.form(room+"/link", url.Values{"slug": {slug}})
		at, err := url.Parse(w.Header().Get("Location"))
		require.NoError(t, err)
		require.Contains(t, at.Query().Get("refused"), said)
	}
}

// Everyone on the list gets an email with a link of their own. Who is deleted, or revoked before it is sent, gets none.
func TestEveryInvitedPersonIsSentTheirLink(t *testing.T) {
	d := newDesk(t, true)
	mail, err := delivery.Read(delivery.Flags{Server: "smtp://127.0.0.1:2525", From: "hello@larkmoor.example"})
	require.NoError(t, err)
	d.h, err = New(d.Store, Options{OneClick: "again", Mail: mail, Origin: "https://quiz.larkmoor.example"})
	require.NoError(t, err)
	id := d.wall()
	room := "/quizzes/" + id + "/launch"
	post := func(people, letter string) string {
		w := d.form(room+"/invite", url.Values{"people": {people}, "send": {"yes"}, "subject": {"Hello {name}"}, "letter": {letter}})
		at, err := url.Parse(w.Header().Get("Location"))
		require.NoError(t, err)
		return at.Query().Get("refused")
	}
	require.Contains(t, post("Orla,orla@fenhall.example", "No link here"), "{link}")
	list, err := d.Store.Responses.Invitations(id)
	require.NoError(t, err)
	require.Empty(t, list, "nothing is stored of a list that is refused")

	require.Empty(t, post("Orla,orla@fenhall.example\nIvo,ivo@quayside.example\nAnn,ann@larch.example\nNo address", "Go to {link}"))
	mails := func() map[string]deliveries.Mail {
		list, err := d.Store.Deliveries.DueMails(99)
		require.NoError(t, err)
		out := map[string]deliveries.Mail{}
		for _, m := range list {
			out[m.Recipients] = m
		}
		return out
	}
	sent := mails()
	require.Len(t, sent, 3)
	links := map[string]bool{}
	for _, m := range sent {
		links[regexp.MustCompile(`/q/living-wall\?i=[\w-]+`).FindString(string(m.Content))] = true
	}
	require.Len(t, links, 3, "each a link of their own")
	_, err = d.Store.Responses.ErasePerson("ivo@quayside.example")
	require.NoError(t, err)
	require.NotContains(t, mails(), "ivo@quayside.example", "what is kept of a person is also in the mails to them")
	list, err = d.Store.Responses.Invitations(id)
	require.NoError(t, err)
	for _, one := range list {
		if one.Email == "ann@larch.example" {
			require.NoError(t, d.Store.Responses.RevokeInvitation(id, one.ID))
		}
	}
	require.NotContains(t, mails(), "ann@larch.example")
	require.Contains(t, mails(), "orla@fenhall.example")
}
