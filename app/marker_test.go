package app

import (
	"net"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/delivery"
	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/standins/mailbox"
)

// marked asks a person for everything that a quiz can ask for, and writes to them and of them.
const marked = `{"format": "omphalos-quiz/1", "name": "Marked", "language": "en",
	"questions": [{"id": "size", "kind": "single", "text": "How large?", "choices": [{"id": "s", "label": "Small"}]},
		{"id": "note", "kind": "long_text", "text": "What else?"}, {"id": "where", "kind": "email", "text": "Where?"}],
	"outcomes": [{"id": "visit", "name": "Visit", "heading": "Come, {contact.name|you}", "qualified": true,
		"ending": {"kind": "redirect", "lookup": {"table": "desks", "key": "param.desk", "column": "address", "fallback": "https://larkmoor.example"}}}], "otherwise": "visit",
	"params": ["desk"],
	"contact": {"place": "before_outcome", "fields": [{"id": "name", "kind": "name", "label": "Name"}, {"id": "email", "kind": "email", "label": "Email"}],
		"consent": {"text": "You may write to me."}},
	"messages": [{"id": "own", "to": "respondent", "subject": "Hello {contact.name}", "text": "You said {note}"},
		{"id": "news", "to": "respondent", "agreed": true, "subject": "News", "text": "Soon more, {contact.name}."},
		{"id": "team", "to": "team", "addresses": ["sales@larkmoor.example"], "subject": "{contact.name}", "text": "{answers}"}]}`

const (
	markedName  = "Zqmarker Quill"
	markedEmail = "zqmarker@fenhall.example"
	marker      = "zqmarker" // whatever its capitals
)

// markEverywhere puts a person into everything that the program keeps, and returns the quiz.
func (d *desk) markEverywhere() *documents.Quiz {
	d.Helper()
	q, err := d.Store.Documents.CreateQuizText("Marked", []byte(marked))
	require.NoError(d, err)
	_, err = d.Store.Launch(q.ID, 1, 0, "camp", 0)
	require.NoError(d, err)
	require.NoError(d, d.Store.Documents.SaveTable(q.ID, 1, 0, &documents.Table{Name: "desks", Columns: []string{"key", "address"}, Rows: [][]string{{"a", "https://larkmoor.example/a"}}}))
	base := "/quizzes/" + q.ID
	require.NoError(d, d.Store.Deliveries.AddHook(&deliveries.Hook{QuizID: q.ID, URL: "https://larkmoor.example/hook", Events: strings.Join(deliveries.HookEvents, ",")}))
	require.Equal(d, http.StatusSeeOther, d.form(base+"/messages/confirm", url.Values{"confirm": {"yes"}}).Code)
	require.NoError(d, d.Store.Responses.Invite(q.ID, []responses.Invitation{{Name: markedName, Email: markedEmail, Params: []byte(`{"desk":"` + marker + `"}`)}},
		func(*responses.Invitation) ([]byte, error) {
			return delivery.Note("Come, "+markedName, "Hello "+markedName, "").JSON()
		}))

	c := &campaigner{device: "phone", language: "en"}
	c.fill(d, "/q/camp?desk="+marker+"&utm_source=fair", url.Values{},
		url.Values{"size": {"s"}, ".shown": {"size"}},
		url.Values{"note": {strings.Repeat(marker+" long answers are held. ", 300)}, ".shown": {"note"}},
		url.Values{"where": {markedEmail}, ".shown": {"where"}},
		url.Values{"text": {markedName}, "email": {markedEmail}, "agree": {"yes"}})
	list, err := d.Store.Responses.Reader(q.ID, responses.Genuine).Before(responses.Cursor{}, 9)
	require.NoError(d, err)
	require.Len(d, list, 1)
	of := list[0]
	require.Equal(d, markedName, of.Name)
	require.Contains(d, string(of.Params), marker)

	require.NoError(d, d.Store.Responses.SetDeals(q.ID, []responses.Deal{{ResponseID: of.ID, QuizID: q.ID, State: responses.DealWon, Amount: "12"}}))
	past := list[0]
	past.ID, past.At = database.NewID()+database.NewID(), of.At.Add(-time.Hour)
	_, err = d.Store.Responses.BringIn(&responses.Import{QuizID: q.ID, Name: "past.csv"}, []*responses.Submission{{Response: &past}})
	require.NoError(d, err)
	require.Equal(d, http.StatusOK, d.form(base+"/messages/try/team", url.Values{"of": {of.ID}}).Code)
	for name, query := range map[string]string{"Her": "q=" + url.QueryEscape(markedEmail), marker: "outcome=visit"} {
		require.Equal(d, http.StatusSeeOther, d.form(base+"/leads/filters", url.Values{"name": {name}, "query": {query}}).Code)
	}
	_, err = d.Store.Responses.MakeResultLink(q.ID, "q="+marker)
	require.NoError(d, err)
	before, err := d.Store.People.Begin(1, "for "+markedEmail, "asked")
	require.NoError(d, err)
	require.Nil(d, before)
	require.NoError(d, d.Store.People.Answer(1, "for "+markedEmail, q.ID, 200, nil, []byte("{}")))
	for _, path := range []string{"/leads?q=" + marker, "/leads.csv", "/leads.jsonl", "/messages"} {
		require.Equal(d, http.StatusOK, d.get(base+path).Code, path)
	}
	d.form("/people", url.Values{"email": {markedEmail}})

	due, err := d.Store.Deliveries.DueDeliveries(20)
	require.NoError(d, err)
	require.NotEmpty(d, due)
	for i := range due {
		hook, err := d.Store.Deliveries.AnyHook(due[i].HookID)
		require.NoError(d, err)
		due[i].Body, due[i].State = []byte(`{"email":"`+markedEmail+`"}`), deliveries.DeliverySent
		require.NoError(d, d.Store.Deliveries.Settle(&due[i], hook))
	}
	d.sendMails()
	return q
}

// sendMails sends whatever is due to a mailbox.
func (d *desk) sendMails() {
	d.Helper()
	box := &mailbox.Mailbox{}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(d, err)
	server := box.SMTP()
	go func() { _ = server.Serve(l) }()
	d.Cleanup(func() { _ = server.Close() })
	settings, err := delivery.Read(delivery.Flags{Server: "smtp://" + l.Addr().String(), From: "hello@larkmoor.example"})
	require.NoError(d, err)
	for range 3 { // one brings about another
		require.NoError(d, (&delivery.Sender{Store: d.Store, Settings: settings, Origin: "https://quiz.example", Now: time.Now}).Send(d.Context()))
	}
	require.NotEmpty(d, box.All())
}

// A person who was put into everything is in no file any more when they are deleted, when their responses are, when the
// time is over that responses are kept, and when the quiz is purged.
func TestAMarkedPersonIsNowhere(t *testing.T) {
	for name, end := range map[string]func(d *desk, q *documents.Quiz, now *time.Time){
		"the person is deleted": func(d *desk, _ *documents.Quiz, _ *time.Time) {
			require.Equal(d, http.StatusOK, d.form("/people/delete", url.Values{"email": {markedEmail}}).Code)
		},
		"everything is forgotten in time": func(d *desk, q *documents.Quiz, now *time.Time) {
			require.NoError(d, d.Store.Responses.SetKeeping(q.ID, 1, responses.ForgetAll))
			*now = now.AddDate(0, 0, 3)
			require.NoError(d, d.Store.PurgeOld())
		},
		"the quiz is purged": func(d *desk, q *documents.Quiz, _ *time.Time) {
			require.NoError(d, d.Store.Documents.DeleteQuiz(q.ID))
			require.NoError(d, d.Store.PurgeQuiz(q.ID))
		},
	} {
		t.Run(name, func(t *testing.T) {
			now := time.Now()
			d := newDesk(t, false, func() time.Time { return now })
			q := d.markEverywhere()
			require.True(t, inFiles(t, d.dir, marker))
			end(d, q, &now)
			for _, text := range []string{marker, "Zqmarker", "ZQMARKER"} {
				require.False(t, inFiles(t, d.dir, text), text)
			}
		})
	}
}
