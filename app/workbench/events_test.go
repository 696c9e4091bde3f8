package workbench

import (
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/app/store/database"
	"omphalos/core/quiz"
)

// A window that finds no seat is asked to look later, and takes none.
func TestAFullHallOfListeners(t *testing.T) {
	h := New(nil, nil, nil)
	h.listening.Most = 0
	w := httptest.NewRecorder()
	c, _ := gin.CreateTestContext(w)
	c.Request = httptest.NewRequest(http.MethodGet, "/quizzes/q/events", nil)
	h.events(c)
	require.Equal(t, http.StatusServiceUnavailable, c.Writer.Status())
	require.Equal(t, "30", w.Header().Get("Retry-After"))
	_, ok := h.listening.Take()
	require.False(t, ok)
}

// However many windows look in a moment, the database is asked once; in a later one it is asked again.
func TestOneWindowLooksForAll(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	q, err := s.Documents.CreateQuiz(quiz.New("Wall"))
	require.NoError(t, err)
	h := New(s, nil, nil)
	for range 5 {
		seen, err := h.look(q.ID)
		require.NoError(t, err)
		require.Zero(t, seen.revision)
	}
	_, looks := h.looks.Held()
	require.LessOrEqual(t, looks, 2, "at most one change of the moment came between")
	_, err = h.look("nothing")
	require.True(t, database.IsNotFound(err))
}

// What a stream says: a revision when it is another one, who else is here when that changes, and else nothing until it
// has been silent for long.
func TestWhatAStreamSays(t *testing.T) {
	w := httptest.NewRecorder()
	s := &stream{out: w, control: http.NewResponseController(w), revision: 3, others: `""`, said: time.Now()}
	say := func(revision int, others string) string {
		before := w.Body.Len()
		require.True(t, s.news(revision, others))
		return w.Body.String()[before:]
	}
	require.Empty(t, say(3, `""`))
	require.Equal(t, "data: 4\n\n", say(4, `""`))
	require.Equal(t, "event: here\ndata: \"mira in Verdicts\"\n\n", say(4, `"mira in Verdicts"`))
	require.Equal(t, "event: here\ndata: \"\"\n\ndata: 5\n\n", say(5, `""`))
	s.said = time.Now().Add(-2 * heartbeat)
	require.Equal(t, ": still here\n\n", say(5, `""`))
	require.Empty(t, say(5, `""`))
}
