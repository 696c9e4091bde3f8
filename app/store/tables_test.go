package store

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/core/quiz"
)

func TestTablesKeepTheirHistory(t *testing.T) {
	s := open(t)
	q, err := s.Documents.CreateQuiz(quiz.New("Tables"))
	require.NoError(t, err)
	save := func(base int, cell string) (*documents.Table, error) {
		table := &documents.Table{Name: "places", Columns: []string{"key", "name"}, Rows: [][]string{{"a", cell}}}
		return table, s.Documents.SaveTable(q.ID, 1, base, table)
	}
	first, err := save(0, "one")
	require.NoError(t, err)
	_, err = save(0, "stale")
	require.ErrorIs(t, err, documents.ErrChanged, "someone else was first")
	_, err = save(first.Number, "two")
	require.NoError(t, err)
	list, err := s.Documents.Tables(q.ID)
	require.NoError(t, err)
	require.Len(t, list, 1)
	require.Equal(t, "two", list[0].Cell(list[0].Row("a"), "name"))
	require.Nil(t, list[0].Row("b"))
	require.Empty(t, list[0].Cell(list[0].Row("a"), "colour"))
	require.NoError(t, s.Documents.DeleteTable(q.ID, "places"))
	require.ErrorIs(t, s.Documents.DeleteTable(q.ID, "places"), database.ErrNotFound)
	history, err := s.Documents.TableHistory(q.ID, "places")
	require.NoError(t, err)
	require.Len(t, history, 2)
	back, err := s.Documents.TableAt(q.ID, "places", first.Number)
	require.NoError(t, err)
	require.Equal(t, "one", back.Rows[0][1])
	require.NoError(t, s.Documents.SaveTable(q.ID, 1, 0, back))
	require.Equal(t, 3, back.Number, "the history of a deleted table goes on")
	_, err = s.Documents.TableAt(q.ID, "places", 99)
	require.ErrorIs(t, err, database.ErrNotFound)
}

func TestMissesAreCounted(t *testing.T) {
	s := open(t)
	for range 3 {
		require.NoError(t, s.Documents.Missed("q", "places", "nowhere"))
	}
	require.NoError(t, s.Documents.Missed("q", "places", "else"))
	list, err := s.Documents.Misses("q")
	require.NoError(t, err)
	counts := map[string]int{}
	for _, m := range list {
		counts[m.Key] = m.Count
	}
	require.Equal(t, map[string]int{"nowhere": 3, "else": 1}, counts)
	require.NoError(t, s.Documents.ForgetMiss("q", "places", "nowhere"))
	list, err = s.Documents.Misses("q")
	require.NoError(t, err)
	require.Len(t, list, 1)
}

func TestWhatIsKeptAsideIsInNoFigure(t *testing.T) {
	s := open(t)
	now := time.Now()
	for id, suspect := range map[string]string{"a": "", "b": "it was answered faster than anyone could read", "c": ""} {
		submit(t, s, &responses.Response{ID: id, QuizID: "q", Kept: true, Outcome: "o", Email: id + "@x.example", Suspect: suspect, At: now})
	}
	counts, err := s.Tallies.QuizCounts("q", time.UTC)
	require.NoError(t, err)
	require.Equal(t, 2, counts.Finishes)
	require.Equal(t, 2, counts.Leads)
	require.Equal(t, 1, counts.Aside)
	list, err := s.Responses.Reader("q", responses.Genuine).Before(responses.Cursor{}, 10)
	require.NoError(t, err)
	require.Len(t, list, 2)
	list, err = s.Responses.Reader("q", responses.Aside).Before(responses.Cursor{}, 10)
	require.NoError(t, err)
	require.Len(t, list, 1)
	n := 0
	for _, err := range s.Responses.Reader("q", responses.All).All() {
		require.NoError(t, err)
		n++
	}
	require.Equal(t, 3, n, "none is lost")
	require.NoError(t, s.Responses.TakeIn("q", "b"))
	counts, err = s.Tallies.QuizCounts("q", time.UTC)
	require.NoError(t, err)
	require.Equal(t, 3, counts.Finishes)
	require.Zero(t, counts.Aside)
	require.ErrorIs(t, s.Responses.TakeIn("other", "b"), database.ErrNotFound)

	contact, err := json.Marshal(map[string]string{"email": "new@x.example"})
	require.NoError(t, err)
	submit(t, s, &responses.Response{ID: "d", QuizID: "q", Kept: true, Outcome: "o", Contact: []byte("null"), At: now})
	require.NoError(t, s.Responses.AddContact(&responses.Response{ID: "d", Email: "new@x.example", Contact: contact}))
	require.NoError(t, s.Responses.AddContact(&responses.Response{ID: "d", Email: "later@x.example", Contact: contact}))
	r, err := s.Responses.Response("d")
	require.NoError(t, err)
	require.Equal(t, "new@x.example", r.Email, "the first stays")
}

func TestPicturesComeInTheirSizes(t *testing.T) {
	s := open(t)
	p := &documents.Picture{ID: "p", Name: "wall.png", CreatedAt: time.Now()}
	require.NoError(t, s.Documents.AddPicture(p, []documents.PictureSize{{Width: 320, Type: "image/png", Data: []byte("small")}, {Width: 640, Type: "image/png", Data: []byte("large")}}))
	require.NoError(t, s.Documents.AddPicture(&documents.Picture{ID: "p", Name: "again"}, []documents.PictureSize{{Width: 320, Data: []byte("other")}}))
	for width, want := range map[int]string{1: "small", 320: "small", 321: "large", 4000: "large"} {
		size, err := s.Documents.PictureSize("p", width)
		require.NoError(t, err)
		require.Equal(t, want, string(size.Data), "width %d", width)
	}
	_, err := s.Documents.PictureSize("none", 320)
	require.ErrorIs(t, err, database.ErrNotFound)
	require.ErrorIs(t, s.Documents.DescribePicture("none", "", ""), database.ErrNotFound)
	require.NoError(t, s.Documents.DescribePicture("p", "A wall", "Us"))
	list, err := s.Documents.Pictures()
	require.NoError(t, err)
	require.Len(t, list, 1)
	require.Equal(t, "A wall", list[0].Alt)
	require.Equal(t, "wall.png", list[0].Name)
}

// A link can ask for any key: what is kept of them is bounded, and those that are known are counted on.
func TestMissedKeysAreBounded(t *testing.T) {
	s := open(t)
	for n := range documents.MaxMisses + 20 {
		require.NoError(t, s.Documents.Missed("q", "shops", fmt.Sprint("key ", n)))
	}
	require.NoError(t, s.Documents.Missed("q", "shops", "key 7"))
	require.NoError(t, s.Documents.Missed("another", "shops", strings.Repeat("é", 300)))
	var known, first documents.Miss
	var n int64
	require.NoError(t, s.Read.Model(&documents.Miss{}).Where("quiz_id = ?", "q").Count(&n).Error)
	require.EqualValues(t, documents.MaxMisses, n)
	require.NoError(t, s.Read.Where("key = ?", "key 7").First(&known).Error)
	require.Equal(t, 2, known.Count)
	require.NoError(t, s.Read.Where("quiz_id = ?", "another").First(&first).Error)
	require.Equal(t, strings.Repeat("é", documents.MaxMissKey), first.Key)
}
