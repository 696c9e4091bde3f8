package demo

import (
	"encoding/json"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/core/fill"
	"omphalos/core/quiz"
	"omphalos/core/walk"
	"omphalos/standins/larkmoor"
	"omphalos/standins/mailbox"
)

func filled(t *testing.T) *store.Store {
	t.Helper()
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	at := time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)
	require.NoError(t, Fill(s, "http://sites.example", "a password", at))
	require.NoError(t, Fill(s, "http://sites.example", "a password", at), "a second start fills nothing twice")
	return s
}

func answered(t *testing.T, s *store.Store) (*documents.Quiz, []responses.Response) {
	t.Helper()
	q, err := s.Documents.QuizBySlug("living-wall")
	require.NoError(t, err)
	list, err := s.Responses.Reader(q.ID, responses.Genuine).Before(responses.Cursor{}, 5000)
	require.NoError(t, err)
	return q, list
}

// The same responses every time, spread over 60 days, invented, and each one a walk that ends where it says.
func TestTheDemonstrationIsWhole(t *testing.T) {
	q, one := answered(t, filled(t))
	_, two := answered(t, filled(t))
	require.Equal(t, len(one), len(two))
	for i := range one {
		require.Equal(t, one[i].Answers, two[i].Answers)
		require.Equal(t, one[i].Email, two[i].Email)
	}
	d, err := quiz.Read(q.Document)
	require.NoError(t, err)
	require.Empty(t, d.LaunchProblems())
	c, err := walk.New(d)
	require.NoError(t, err)
	outcomes := map[string]int{}
	for _, r := range one {
		var answers map[string]walk.Answer
		require.NoError(t, json.Unmarshal(r.Answers, &answers))
		require.Equal(t, r.Outcome, c.Walk(walk.Input{Answers: answers}).Outcome)
		require.True(t, strings.HasSuffix(r.Email, ".example"), r.Email)
		require.NotEmpty(t, r.Consent)
		require.True(t, r.At.After(r.StartedAt))
		require.Less(t, time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC).Sub(r.At), 61*24*time.Hour)
		outcomes[r.Outcome]++
	}
	require.Len(t, outcomes, 3, "every outcome that keeps responses has some")
	for i := range d.Outcomes {
		if e := d.Outcomes[i].Ending; e.URL != "" {
			_, err := fill.ParseAddress(e.URL)
			require.NoError(t, err)
			require.True(t, strings.HasPrefix(e.URL, "http://sites.example/"))
		}
	}
}

func TestTheStandInShowsWhatItWasBrought(t *testing.T) {
	h := larkmoor.Handler("http://quiz.example", &mailbox.Mailbox{})
	for path, says := range map[string]string{"/": "http://quiz.example/q/living-wall", "/booking?area=5+m%C2%B2&lead.id=x": "5 m²", "/shop": "Pots and plants", "/planning-pack?x=%3Cscript%3E": "&lt;script&gt;", "/larkmoor.css": "body"} {
		w := httptest.NewRecorder()
		h.ServeHTTP(w, httptest.NewRequest("GET", path, nil))
		require.Equal(t, 200, w.Code, path)
		require.Contains(t, w.Body.String(), says, path)
	}
	w := httptest.NewRecorder()
	h.ServeHTTP(w, httptest.NewRequest("GET", "/nowhere", nil))
	require.Equal(t, 404, w.Code)
}

// Every response of the demonstration is one that its version takes, and ends there as it says; one quiz has two versions.
func TestResponsesAreSuchAsRespondentsGive(t *testing.T) {
	s := filled(t)
	list, err := s.Documents.Quizzes()
	require.NoError(t, err)
	versions := 0
	for _, q := range list {
		walks := map[int]*walk.Compiled{}
		for r, err := range s.Responses.Reader(q.ID, responses.All).All() {
			require.NoError(t, err)
			if walks[r.Version] == nil {
				d, err := s.Documents.VersionDocument(q.ID, r.Version)
				require.NoError(t, err)
				walks[r.Version], err = walk.New(d)
				require.NoError(t, err)
			}
			a, err := r.Answered()
			require.NoError(t, err)
			c := walks[r.Version]
			require.True(t, c.Takes(a.Answers), "%s %s", q.Name, r.Answers)
			require.Equal(t, r.Outcome, c.Walk(walk.Input{
				Answers: a.Answers, Params: a.Params, Visitor: walk.Visitor{Device: r.Device, Language: r.Language, Country: r.Country},
			}).Outcome)
		}
		versions = max(versions, len(walks))
	}
	require.Equal(t, 2, versions)
}
