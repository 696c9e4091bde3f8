package store

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
	"omphalos/core/rule"
)

// What chosen responses are counted by adds up to what reading each of them gives; won deals add up exactly.
func TestChosenResponsesAreCountedBy(t *testing.T) {
	s := open(t)
	q, err := s.Documents.CreateQuizText("Groups", []byte(`{}`))
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(5, 8))
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	var deals []responses.Deal
	sums := map[[3]string]rule.Number{}
	for i := range 300 {
		one := &responses.Response{
			ID: fmt.Sprintf("response%04d", i), QuizID: q.ID, Version: 1 + r.IntN(2), Kept: r.IntN(5) > 0, Outcome: pick("visit", "pack"),
			Source: pick("", "fair", "news"), Device: pick("phone", "desktop"), Country: pick("IE", "NL", ""), Language: pick("en", "de"),
			Way: pick("link", "qr"), Day: fmt.Sprintf("2026-11-%02d", 1+r.IntN(30)), At: time.Now(), StartedAt: time.Now().Add(-time.Minute),
		}
		if !one.Kept {
			one.Source, one.Device, one.Country, one.Language, one.Way = "", "", "", "", ""
		}
		_, err := s.Responses.Submit(responses.Submission{Response: one})
		require.NoError(t, err)
		if one.Kept && r.IntN(3) == 0 {
			d := responses.Deal{ResponseID: one.ID, State: pick(responses.DealWon, responses.DealWon, responses.DealLost), Amount: pick("", "0.10", "1200", "99.99"), Currency: pick("EUR", "GBP")}
			deals = append(deals, d)
			if amount, err := rule.ParseNumber(d.Amount); err == nil && d.State == responses.DealWon {
				key := [3]string{one.Source, one.Outcome, d.Currency}
				sums[key] = sums[key].Add(amount)
			}
		}
	}
	require.NoError(t, s.Responses.SetDeals(q.ID, deals))
	fair := "fair"
	for _, f := range []responses.Filter{{}, {Source: &fair}, {Outcome: "visit", From: "2026-11-10", To: "2026-11-20"}, {Deal: responses.DealWon}, {Version: 2}, {Search: "nobody"}} {
		reader := s.Responses.Reader(q.ID, responses.Genuine).Only(f)
		want := map[string]map[string]int{}
		for _, by := range responses.Groupings {
			want[by] = map[string]int{}
		}
		for one, err := range reader.All() {
			require.NoError(t, err)
			for by, value := range map[string]string{
				"outcome": one.Outcome, "day": one.Day, tallies.BySource: one.Source, tallies.ByDevice: one.Device, tallies.ByCountry: one.Country,
				tallies.ByLanguage: one.Language, tallies.ByWay: one.Way,
			} {
				want[by][value]++
			}
		}
		for _, by := range responses.Groupings {
			got := map[string]int{}
			list, err := reader.By(by)
			require.NoError(t, err)
			for _, one := range list {
				got[one.Value] = one.Count
			}
			require.Equal(t, want[by], got, "%s %+v", by, f)
		}
	}
	_, err = s.Responses.Reader(q.ID, responses.Genuine).By("email")
	require.ErrorIs(t, err, database.ErrNotFound)

	list, err := s.Responses.Revenue(q.ID)
	require.NoError(t, err)
	require.Len(t, list, len(sums))
	for _, one := range list {
		require.Equal(t, sums[[3]string{one.Source, one.Outcome, one.Currency}].String(), one.Sum.String())
	}
}

// A campaign of thousands keeps no other mail waiting: those of the program come first, then some of each quiz.
func TestNoQuizKeepsTheMailOfOthersWaiting(t *testing.T) {
	s := open(t)
	queue := func(quiz string, n int) {
		for i := range n {
			require.NoError(t, s.Deliveries.QueueMail(&deliveries.Mail{QuizID: quiz, MessageID: fmt.Sprint(quiz, i), Recipients: "orla@fenhall.example", Content: []byte("{}")}))
		}
	}
	queue("campaign", 300)
	queue("small", 3)
	queue("", 2)
	list, err := s.Deliveries.DueMails(40)
	require.NoError(t, err)
	of := map[string]int{}
	for i, m := range list {
		of[m.QuizID]++
		require.Equal(t, i < 2, m.QuizID == "", "the program's own first")
	}
	require.Equal(t, map[string]int{"": 2, "small": 3, "campaign": deliveries.DueOfQuiz}, of)
}

// What a mail said goes after a week, and what the program wrote itself once it is sent.
func TestWhatMailsSaidIsDropped(t *testing.T) {
	now := time.Date(2026, 12, 1, 9, 0, 0, 0, time.UTC)
	s, err := openAt(t, t.TempDir(), func() time.Time { return now })
	require.NoError(t, err)
	defer s.Close()
	for _, quiz := range []string{"", "q"} {
		m := &deliveries.Mail{QuizID: quiz, MessageID: "m" + quiz, ResponseID: "r", Recipients: "orla@fenhall.example", Content: []byte("secret")}
		require.NoError(t, s.Deliveries.QueueMail(m))
		m.State = deliveries.DeliverySent
		require.NoError(t, s.Deliveries.SettleMail(m))
	}
	waits := &deliveries.Mail{QuizID: "q", MessageID: "waits", Recipients: "orla@fenhall.example", Content: []byte("later")}
	require.NoError(t, s.Deliveries.QueueMail(waits))
	said := func() (out []string) {
		require.NoError(t, s.Read.Model(&deliveries.Mail{}).Where("content IS NOT NULL").Order("message_id").Pluck("message_id", &out).Error)
		return out
	}
	require.Equal(t, []string{"mq", "waits"}, said(), "a link to choose another password is gone at once")
	now = now.Add(deliveries.ContentLife - time.Hour)
	require.NoError(t, s.PurgeOld())
	require.Equal(t, []string{"mq", "waits"}, said())
	now = now.Add(2 * time.Hour)
	require.NoError(t, s.PurgeOld())
	require.Equal(t, []string{"waits"}, said())

	require.NoError(t, s.Deliveries.QueueMail(&deliveries.Mail{MessageID: "reset", Recipients: "ada@larkmoor.example", Content: []byte("token")}))
	require.NoError(t, s.PurgeOld())
	require.Equal(t, []string{"reset", "waits"}, said())
	now = now.Add(deliveries.OwnLife + time.Minute)
	require.NoError(t, s.PurgeOld())
	require.Equal(t, []string{"waits"}, said(), "its link works no longer")
}
