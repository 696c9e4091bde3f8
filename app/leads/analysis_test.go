package leads

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/app/store/responses"
	"omphalos/core/quiz"
)

// The newest responses are learned from, as many as someone waits for.
func TestTheNewestAreLearnedFrom(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer func() { require.NoError(t, s.Close()) }()
	q, err := s.Documents.CreateQuiz(quiz.New("Ferns"))
	require.NoError(t, err)
	begun := time.Now().UTC().Truncate(time.Second)
	list := make([]*responses.Submission, mostLearned+5)
	for i := range list {
		at := begun.Add(time.Duration(i) * time.Second)
		list[i] = &responses.Submission{Response: &responses.Response{
			ID: fmt.Sprintf("past%06d", i), Version: 1, Kept: true, Outcome: "o", At: at,
		}}
	}
	n, err := s.Responses.BringIn(&responses.Import{ID: "past", QuizID: q.ID}, list)
	require.NoError(t, err)
	require.Equal(t, len(list), n)
	var first, last string
	seen := 0
	err = (&Handler{Store: s}).newest(q.ID, responses.Filter{}, func(r *responses.Response, _ *responses.Answered) {
		if seen++; first == "" {
			first = r.ID
		}
		last = r.ID
	})
	require.NoError(t, err)
	require.Equal(t, mostLearned, seen)
	require.Equal(t, [2]string{list[len(list)-1].ID, list[5].ID}, [2]string{first, last})
}
