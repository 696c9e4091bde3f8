package responses

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/deliveries"
	"omphalos/app/store/tallies"
)

// Whatever happens to responses, in whatever order: each is found by the words that it has, webhooks are told once that
// it came and once that it became a lead, its mails wait while it is set aside, and the tallies are what a recount gives.
func TestWhatResponsesBringAbout(t *testing.T) {
	for seed := range uint64(12) {
		s := open(t)
		r := rand.New(rand.NewPCG(seed, 7))
		require.NoError(t, s.Deliveries.AddHook(&deliveries.Hook{
			QuizID: "q", URL: "https://hooks.larkmoor.example", Events: deliveries.EventFinished + "," + deliveries.EventLead,
		}))
		for range 120 {
			id := fmt.Sprint("r", r.IntN(25))
			before, err := s.Response(id)
			switch act := r.IntN(6); {
			case act < 2:
				_, err = s.Submit(invented(r, id))
			case act == 2:
				err = s.AddContact(&Response{
					ID: id, Name: "Nell Fenn", Email: id + "@fenhall.example", Consent: "Write to me.",
					Contact: []byte(`{"company":"Fenhall"}`),
				}, deliveries.Mail{MessageID: "m", Recipients: id})
			case act == 3:
				err = s.TakeIn("q", id)
			case act == 4 && err == nil:
				err = s.ForgetThese([]string{ForgetContact, ForgetAll}[r.IntN(2)], []Response{*before})
			case act == 5:
				err = s.DeleteResponse("q", id)
			}
			if err != nil {
				require.ErrorContains(t, err, "it is not there")
			}
		}
		consequences(t, s)
	}
}

// invented is a response of some kind.
func invented(r *rand.Rand, id string) Submission {
	at := time.Date(2026, 3, 1+r.IntN(20), 9, 0, 0, 0, time.UTC)
	out := Submission{Response: &Response{
		ID: id, QuizID: "q", Version: 1, Kept: r.IntN(3) > 0, Outcome: "visit", At: at, StartedAt: at, Day: at.Format(time.DateOnly),
		Suspect: []string{"", "", "it was answered faster than anyone could read"}[r.IntN(3)],
	}}
	if out.Kept {
		out.Answers = []byte(fmt.Sprintf(`{"note":{"text":"ferns and moss %d"},"size":{"picks":["a"]}}`, r.IntN(5)))
	}
	if out.Kept && r.IntN(2) == 0 {
		out.Email, out.Name, out.Contact = id+"@larkmoor.example", "Orla Quill", []byte(`{"phone":"5550123"}`)
		out.Mails = []deliveries.Mail{{MessageID: "m", Recipients: out.Email}}
	}
	return out
}

func consequences(t *testing.T, s *Store) {
	t.Helper()
	var list []Response
	require.NoError(t, s.Read.Find(&list).Error)
	there := map[string]*Response{}
	for i := range list {
		there[list[i].ID] = &list[i]
	}
	found := map[string][]string{}
	var words []Word
	require.NoError(t, s.Read.Order("word").Find(&words).Error)
	for _, w := range words {
		require.Contains(t, there, w.ResponseID)
		found[w.ResponseID] = append(found[w.ResponseID], w.Word)
	}
	for id, one := range there {
		if one.Kept {
			require.Equal(t, wordsOf(one, nil), found[id])
		}
	}
	var mails []deliveries.Mail
	require.NoError(t, s.Read.Find(&mails).Error)
	for _, m := range mails {
		require.Contains(t, there, m.ResponseID)
		require.Equal(t, !there[m.ResponseID].IsGenuine(), m.State == deliveries.MailAside)
	}
	told := map[string]int{}
	var sent []deliveries.Delivery
	require.NoError(t, s.Read.Find(&sent).Error)
	for _, d := range sent {
		require.Contains(t, there, d.ResponseID, "what is told of a deleted response goes")
		told[d.Event+d.ResponseID]++
		require.LessOrEqual(t, told[d.Event+d.ResponseID], 1)
	}
	for id, one := range there {
		if one.Kept && one.IsGenuine() && one.Email != "" && !one.WasLead { // one that was forgotten is no second lead
			require.Equal(t, 1, told[deliveries.EventLead+id])
		}
	}
	before := lines(t, s)
	require.NoError(t, s.Recount("q"))
	require.Equal(t, before, lines(t, s))
}

func lines(t *testing.T, s *Store) (out []tallies.StageTally) {
	t.Helper()
	require.NoError(t, s.Read.Where("count <> 0").Order("version, stage, place").Find(&out).Error)
	return out
}

// What is added to a response takes no words out of the search, however many it has: that would look through the words
// of all responses of the quiz, with everyone waiting.
func TestAddedContactTakesNoWordsOut(t *testing.T) {
	s := open(t)
	text := ""
	for n := range 2 * maxWords {
		text += fmt.Sprintf("word%d ", n)
	}
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	add(t, s, &Response{
		ID: "long", QuizID: "q", Version: 1, Kept: true, Outcome: "visit", Day: "2026-03-01", At: at, StartedAt: at,
		Answers: []byte(`{"note":{"text":"` + text + `"}}`),
	})
	words := func() (list []string) {
		require.NoError(t, s.Read.Model(&Word{}).Where("response_id = ?", "long").Pluck("word", &list).Error)
		return list
	}
	before := words()
	require.Len(t, before, maxWords)
	contact := []byte(`{"company":"Fenhall"}`)
	require.NoError(t, s.AddContact(&Response{ID: "long", Name: "Nell Fenn", Email: "nell@fenhall.example", Contact: contact}))
	require.Subset(t, words(), before)
	require.Subset(t, words(), []string{"nell", "fenn", "nell@fenhall.example", "fenhall"})
}
