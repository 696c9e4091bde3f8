package hooks

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	standard "github.com/standard-webhooks/standard-webhooks/libraries/go"
	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/responses"
	"omphalos/demo/demotest"
)

// Signatures are those of other programs: the first vector is that of the specification's own libraries, the second
// was made by npm's standardwebhooks 1.1.1 and by node:crypto (testdata/standard_webhooks.json).
func TestSignaturesOfOtherPrograms(t *testing.T) {
	data, err := os.ReadFile("testdata/standard_webhooks.json")
	require.NoError(t, err)
	var file struct {
		Vectors []struct {
			Secret, ID, Payload, Signature string
			Timestamp                      int64
		}
	}
	require.NoError(t, json.Unmarshal(data, &file))
	require.NotEmpty(t, file.Vectors)
	for _, v := range file.Vectors {
		at := time.Unix(v.Timestamp, 0)
		got, err := signatures(&deliveries.Hook{Secret: v.Secret}, v.ID, at, []byte(v.Payload))
		require.NoError(t, err)
		require.Equal(t, v.Signature, got)
		until := at.Add(time.Minute)
		both := &deliveries.Hook{Secret: "whsec_" + strings.Repeat("QUJD", 8), OldSecret: v.Secret, OldUntil: &until}
		got, err = signatures(both, v.ID, at, []byte(v.Payload))
		require.NoError(t, err)
		require.Equal(t, v.Signature, strings.Split(got, " ")[1], "the secret before signs too")
		got, err = signatures(both, v.ID, until, []byte(v.Payload))
		require.NoError(t, err)
		require.NotContains(t, got, " ", "until its time is over")
	}
}

// Addresses of RFC 6890's registry and the like are not public, in every notation that an address comes in.
func TestOnlyPublicAddresses(t *testing.T) {
	for _, a := range []string{
		"127.0.0.1", "10.0.0.1", "172.16.9.9", "192.168.1.1", "169.254.169.254", "0.0.0.0", "100.64.0.1", "224.0.0.1", "255.255.255.255",
		"192.0.2.5", "198.18.0.1", "198.51.100.7", "203.0.113.9", "240.0.0.1", "::1", "::", "fe80::1", "fc00::1", "fd12::1", "ff02::1",
		"::ffff:127.0.0.1", "::ffff:10.0.0.1", "64:ff9b::7f00:1", "2002:7f00:1::", "2001:db8::1",

		"::7f00:1", "::10.0.0.1", "::ffff:0:7f00:1", "64:ff9b::a00:1", "64:ff9b:1::1", "100::1", "2001::1", "2001:2::1", "2001:10::1",
		"2001:db8::1", "2002:a00:1::1", "3fff::1", "5f00::1", "fec0::1", "192.88.99.1"} {
		require.False(t, Public(netip.MustParseAddr(a)), a)
	}
	for _, a := range []string{"8.8.8.8", "93.184.216.34", "100.63.255.255", "172.32.0.1", "2606:4700::1111", "2001:4860:4860::8888", "2003::1", "2a00:1450::1"} {
		require.True(t, Public(netip.MustParseAddr(a)), a)
	}
}

// world is the demonstration with a receiver of its own and a clock that is moved by hand.
type world struct {
	*store.Store
	*Sender
	quiz string
	hook *deliveries.Hook
	mu   sync.Mutex
	at   time.Time
	got  []message
	ids  []string
	code int

	during func() // happens while something is received
}

func newWorld(t *testing.T, events ...string) *world {
	t.Helper()
	w := &world{at: time.Now().UTC(), code: http.StatusNoContent}
	now := func() time.Time { w.mu.Lock(); defer w.mu.Unlock(); return w.at }
	dir := t.TempDir()
	demotest.Fill(t, dir)
	s, err := store.Open(dir, store.Options{Now: now})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	q, err := s.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	list, err := s.Deliveries.Hooks(q.ID)
	require.NoError(t, err)
	require.NoError(t, s.Deliveries.DropHook(q.ID, list[0].ID))
	receiver := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		body, err := io.ReadAll(r.Body)
		require.NoError(t, err)
		hook, err := standard.NewWebhook(w.hook.Secret)
		require.NoError(t, err)
		require.NoError(t, hook.VerifyIgnoringTimestamp(body, r.Header))
		var m message
		require.NoError(t, json.Unmarshal(body, &m))
		if w.during != nil {
			w.during()
		}
		w.mu.Lock()
		defer w.mu.Unlock()
		w.got, w.ids = append(w.got, m), append(w.ids, r.Header.Get("webhook-id"))
		if w.code == http.StatusFound {
			rw.Header().Set("Location", "/elsewhere")
		}
		rw.WriteHeader(w.code)
	}))
	t.Cleanup(receiver.Close)
	w.hook = &deliveries.Hook{QuizID: q.ID, URL: receiver.URL + "/quiz", Events: strings.Join(events, ",")}
	require.NoError(t, s.Deliveries.AddHook(w.hook))
	w.Store, w.quiz = s, q.ID
	w.Sender = &Sender{Store: s, Now: now, Allowed: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}}
	return w
}

func (w *world) later(d time.Duration) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.at = w.at.Add(d)
}

func (w *world) finish(t *testing.T, id, email string) *responses.Response {
	t.Helper()
	list, err := w.Responses.Reader(w.quiz, responses.Genuine).Before(responses.Cursor{}, 1)
	require.NoError(t, err)
	r := list[0]
	r.ID, r.Email, r.At = id, email, w.Now()
	_, err = w.Responses.Submit(responses.Submission{Response: &r})
	require.NoError(t, err)
	return &r
}

func (w *world) send(t *testing.T) {
	t.Helper()
	require.NoError(t, w.Send(context.Background()))
}

// A finish, a lead, a deal, a launch and a test come with what they tell of; what was not asked for does not.
func TestEventsComeSigned(t *testing.T) {
	w := newWorld(t, deliveries.EventFinished, deliveries.EventLead, deliveries.EventDeal, deliveries.EventLaunched)
	r := w.finish(t, "one00000001", "orla@fenhall.example")
	w.finish(t, "two00000002", "")
	require.NoError(t, w.Responses.SetDeals(w.quiz, []responses.Deal{{ResponseID: r.ID, State: responses.DealWon, Amount: "12400", Currency: "EUR"}}))
	_, err := w.LaunchAgain(w.quiz, 1, 1)
	require.NoError(t, err)
	require.NoError(t, w.Deliveries.TestHook(w.quiz, w.hook.ID))
	for range 3 { // a few of one hook at a time
		w.send(t)
	}
	types := map[string]int{}
	for _, m := range w.got {
		types[m.Type]++
		require.Equal(t, w.quiz, m.Data["quiz"])
		switch m.Type {
		case deliveries.EventLead:
			require.Equal(t, "one00000001", m.Data["id"])
			require.Equal(t, map[string]any{"name": "Jun Winter", "email": "jun@siddon.example"}, m.Data["contact"])
			require.Contains(t, []any{"visit", "pack", "potted"}, m.Data["outcome"])
			require.NotEmpty(t, m.Data["scores"].(map[string]any)["scale.fit"])
			require.NotEmpty(t, m.Data["answers"].(map[string]any)["area"])
			for _, field := range []string{"version", "qualified", "params", "source", "at"} {
				require.Contains(t, m.Data, field)
			}
		case deliveries.EventDeal:
			require.Equal(t, map[string]any{"state": "won", "amount": "12400", "currency": "EUR"}, m.Data["deal"])
		case deliveries.EventLaunched:
			require.EqualValues(t, 2, m.Data["version"])
		}
	}
	require.Equal(t, map[string]int{deliveries.EventFinished: 2, deliveries.EventLead: 1, deliveries.EventDeal: 1, deliveries.EventLaunched: 1, deliveries.EventTest: 1}, types)
	w.send(t)
	require.Len(t, w.got, 6, "each comes once")

	w = newWorld(t, deliveries.EventFinished, deliveries.EventDeal, deliveries.EventLaunched)
	other := &deliveries.Hook{QuizID: w.quiz, URL: w.hook.URL, Secret: w.hook.Secret, Events: w.hook.Events, Outcomes: "nowhere,elsewhere"}
	require.NoError(t, w.Deliveries.AddHook(other))
	require.NoError(t, w.Deliveries.DropHook(w.quiz, w.hook.ID))
	r = w.finish(t, "one00000001", "")
	require.NoError(t, w.Responses.SetDeals(w.quiz, []responses.Deal{{ResponseID: r.ID, State: responses.DealWon}}))
	_, err = w.LaunchAgain(w.quiz, 1, 1)
	require.NoError(t, err)
	w.send(t)
	require.Len(t, w.got, 1, "of other outcomes it is told nothing")
	require.Equal(t, deliveries.EventLaunched, w.got[0].Type)

	w = newWorld(t, deliveries.EventLaunched)
	w.finish(t, "one00000001", "orla@fenhall.example")
	w.send(t)
	require.Empty(t, w.got)
}

// What is not taken is tried again, first within 30 seconds, under the same id, for 28 hours; after five days of
// failure the hook is off, and continues where it stood when it is switched on.
func TestWhatFailsIsTriedAgain(t *testing.T) {
	w := newWorld(t, deliveries.EventFinished)
	w.code = http.StatusServiceUnavailable
	began := w.Now()
	w.finish(t, "one00000001", "")
	w.send(t)
	require.Len(t, w.ids, 1)
	w.later(30 * time.Second)
	w.send(t)
	require.Len(t, w.ids, 2, "again within 30 seconds")
	for range 400 {
		w.later(10 * time.Minute)
		w.send(t)
	}
	require.Len(t, w.ids, len(waits)+1)
	for _, id := range w.ids {
		require.Equal(t, w.ids[0], id)
	}
	list, err := w.Deliveries.Newest(w.quiz, 5)
	require.NoError(t, err)
	require.Equal(t, deliveries.DeliveryFailed, list[0].State)
	require.Equal(t, 503, list[0].Code)

	for w.Now().Sub(began) < failsLong+time.Hour {
		w.later(6 * time.Hour)
		w.finish(t, "r"+w.Now().Format("0102150405"), "")
		w.send(t)
	}
	h, err := w.Deliveries.Hook(w.quiz, w.hook.ID)
	require.NoError(t, err)
	require.True(t, h.Off)
	require.Equal(t, "Deliveries have failed for five days.", h.Why)
	w.code = http.StatusNoContent
	before := len(w.ids)
	w.later(time.Hour)
	w.send(t)
	require.Len(t, w.ids, before, "an address that is off is told nothing")
	require.NoError(t, w.Deliveries.SwitchHook(w.quiz, h.ID, false))
	for range 10 {
		w.later(12 * time.Hour)
		w.send(t)
	}
	require.Greater(t, len(w.ids), before)
	list, err = w.Deliveries.Newest(w.quiz, 3)
	require.NoError(t, err)
	require.Equal(t, deliveries.DeliverySent, list[0].State)
	require.NoError(t, w.Deliveries.Resend(w.quiz, list[0].ID))
	before = len(w.ids)
	w.send(t)
	require.Len(t, w.ids, before+1)
	require.Equal(t, list[0].ID, w.ids[before])
}

// Anyone who leads on is not followed, an address that is not public is not asked, and one that no longer exists is off
// at once.
func TestWhatIsRefused(t *testing.T) {
	w := newWorld(t, deliveries.EventFinished)
	w.code = http.StatusFound
	w.finish(t, "one00000001", "")
	w.send(t)
	list, err := w.Deliveries.Newest(w.quiz, 1)
	require.NoError(t, err)
	require.Equal(t, 302, list[0].Code)
	require.Len(t, w.ids, 1)

	w.Sender = &Sender{Store: w.Store, Now: w.Sender.Now}
	w.later(time.Minute)
	w.send(t)
	require.Len(t, w.ids, 1)
	list, err = w.Deliveries.Newest(w.quiz, 1)
	require.NoError(t, err)
	require.Contains(t, list[0].Said, "127.0.0.1 isn’t a public address")

	w = newWorld(t, deliveries.EventFinished)
	w.code = http.StatusGone
	w.finish(t, "one00000001", "")
	w.send(t)
	h, err := w.Deliveries.Hook(w.quiz, w.hook.ID)
	require.NoError(t, err)
	require.True(t, h.Off)
}

// A response that is deleted is deleted on its way too.
func TestADeletedResponseIsNotTold(t *testing.T) {
	w := newWorld(t, deliveries.EventFinished, deliveries.EventLead)
	w.code = http.StatusServiceUnavailable
	r := w.finish(t, "one00000001", "orla@fenhall.example")
	w.send(t)
	require.NotEmpty(t, w.ids)
	require.NoError(t, w.Responses.DeleteResponse(w.quiz, r.ID))
	list, err := w.Deliveries.Newest(w.quiz, 5)
	require.NoError(t, err)
	require.Empty(t, list)
}

// Six hundred that wait for one receiver keep no other waiting.
func TestASlowReceiverKeepsNoOtherWaiting(t *testing.T) {
	w := newWorld(t, deliveries.EventFinished)
	for range 600 {
		require.NoError(t, w.Deliveries.TestHook(w.quiz, w.hook.ID))
	}
	quick := &deliveries.Hook{QuizID: w.quiz, URL: w.hook.URL + "/quick", Events: deliveries.EventFinished}
	require.NoError(t, w.Deliveries.AddHook(quick))
	w.later(time.Second)
	require.NoError(t, w.Deliveries.TestHook(w.quiz, quick.ID))
	of := func() map[string]int {
		list, err := w.Deliveries.DueDeliveries(batch)
		require.NoError(t, err)
		out := map[string]int{}
		for _, d := range list {
			out[d.HookID]++
		}
		return out
	}
	require.Equal(t, map[string]int{w.hook.ID: 4, quick.ID: 1}, of())
	now := w.Now()
	require.NoError(t, w.Deliveries.Settle(&deliveries.Delivery{ID: "none"}, &deliveries.Hook{ID: w.hook.ID, FailingSince: &now}))
	require.Equal(t, map[string]int{w.hook.ID: 1, quick.ID: 1}, of(), "one that fails gets one try at a time")
}

// A hook that is turned off while something is being sent to it stays off, and what is being sent when the server
// ends is settled.
func TestWhatHappensWhileItIsSent(t *testing.T) {
	w := newWorld(t, deliveries.EventFinished)
	ctx, end := context.WithCancel(context.Background())
	w.during = func() {
		require.NoError(t, w.Deliveries.SwitchHook(w.quiz, w.hook.ID, true))
		end()
	}
	w.finish(t, "one00000001", "")
	require.NoError(t, w.Send(ctx))
	h, err := w.Deliveries.Hook(w.quiz, w.hook.ID)
	require.NoError(t, err)
	require.True(t, h.Off)
	require.Empty(t, h.Why)
	list, err := w.Deliveries.Newest(w.quiz, 1)
	require.NoError(t, err)
	require.Equal(t, deliveries.DeliverySent, list[0].State)
	w.during = nil
	require.NoError(t, w.Deliveries.SwitchHook(w.quiz, w.hook.ID, false))
	w.finish(t, "two00000002", "")
	require.NoError(t, w.Send(ctx))
	require.Len(t, w.ids, 1, "nothing is begun once the server ends")
}

// A receiver that takes an event and never answers keeps no respondent waiting: ends are stored while it is silent.
func TestASilentReceiverDelaysNobody(t *testing.T) {
	w := newWorld(t, deliveries.EventFinished)
	got, release := make(chan struct{}), make(chan struct{})
	w.during = func() { close(got); <-release }
	w.finish(t, "one00000001", "")
	sent := make(chan error, 1)
	go func() { sent <- w.Send(context.Background()) }()
	<-got
	for i := range 50 {
		w.finish(t, fmt.Sprintf("silent%05d", i), "") // returns, or the test hangs: no one releases the receiver before
	}
	require.Empty(t, sent, "the sender still waits")
	w.during = nil
	close(release)
	require.NoError(t, <-sent)
}

// A test brings an invented person who went through the quiz, with all that a response brings.
func TestATestIsAWholeExample(t *testing.T) {
	w := newWorld(t, deliveries.EventLead)
	require.NoError(t, w.Deliveries.TestHook(w.quiz, w.hook.ID))
	w.send(t)
	real := w.finish(t, "real00000001", "orla@fenhall.example")
	w.send(t)
	require.Len(t, w.got, 2)
	example, lead := w.got[0], w.got[1]
	require.Equal(t, deliveries.EventTest, example.Type)
	require.Equal(t, true, example.Data["example"])
	require.Equal(t, w.hook.ID, example.Data["hook"])
	for name := range lead.Data {
		require.Contains(t, example.Data, name, "a test has every field of a response")
	}
	doc, err := w.Documents.VersionDocument(w.quiz, real.Version)
	require.NoError(t, err)
	answers := example.Data["answers"].(map[string]any)
	require.NotEmpty(t, answers)
	for id := range answers {
		require.GreaterOrEqual(t, doc.Question(id), 0, id)
	}
	require.NotNil(t, doc.Outcome(example.Data["outcome"].(string)))
	require.Equal(t, "orla@fenhall.example", example.Data["contact"].(map[string]any)["email"])
	require.NotContains(t, lead.Data, "labels", "words only where they are asked for")
	require.NotContains(t, lead.Data, "example")
}

// Labels are the words that the ids of a response have in its version.
func TestLabelsBesideIds(t *testing.T) {
	w := newWorld(t, deliveries.EventLead)
	require.NoError(t, w.Deliveries.DropHook(w.quiz, w.hook.ID))
	w.hook.Labels = true
	require.NoError(t, w.Deliveries.AddHook(w.hook))
	real := w.finish(t, "real00000001", "orla@fenhall.example")
	w.send(t)
	require.Len(t, w.got, 1)
	data := w.got[0].Data
	doc, err := w.Documents.VersionDocument(w.quiz, real.Version)
	require.NoError(t, err)
	said := data["labels"].(map[string]any)
	require.Equal(t, doc.OutcomeName(real.Outcome), said["outcome"])
	require.Equal(t, real.Reason, said["reason"])
	require.Equal(t, "How large is the wall?", said["answers"].(map[string]any)["area"].(map[string]any)["question"])
	area := data["answers"].(map[string]any)["area"].(string)
	require.Equal(t, doc.Questions[doc.Question("area")].Choices[doc.Questions[doc.Question("area")].Choice(area)].Label,
		said["answers"].(map[string]any)["area"].(map[string]any)["answer"])
	require.Equal(t, doc.FactName("scale.fit"), said["scores"].(map[string]any)["scale.fit"])
}

// A hook with a condition is told of those responses alone for which it holds at their end.
func TestAConditionOfAHook(t *testing.T) {
	w := newWorld(t, deliveries.EventFinished)
	real := w.finish(t, "real00000000", "orla@fenhall.example")
	w.send(t)
	require.Len(t, w.got, 1, "without a condition")
	for i, c := range []struct {
		when string
		told int
	}{
		{`{"fact": "outcome", "op": "is", "value": "` + real.Outcome + `"}`, 1},
		{`{"none": [{"fact": "outcome", "op": "is", "value": "` + real.Outcome + `"}]}`, 0},
		{`{"fact": "scale.fit", "op": "ge", "value": -1000}`, 1},
		{`{"fact": "answer.gone", "op": "is", "value": "x"}`, 0},
	} {
		require.NoError(t, w.Deliveries.DropHook(w.quiz, w.hook.ID))
		w.hook.Condition, w.got = []byte(c.when), nil
		require.NoError(t, w.Deliveries.AddHook(w.hook))
		w.finish(t, fmt.Sprint("real0000010", i), "orla@fenhall.example")
		w.send(t)
		require.Len(t, w.got, c.told, c.when)
		waiting, err := w.Deliveries.Waiting()
		require.NoError(t, err)
		require.Zero(t, waiting, "what it is not told of does not wait")
	}
}
