package store

import (
	"context"
	"errors"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/documents"
	"omphalos/app/store/people"
	"omphalos/app/store/responses"
	"omphalos/app/store/storetest"
	"omphalos/core/quiz"
)

// opened is a store that something is moved into or out of: in a folder, or on the server.
func opened(t *testing.T, server bool) *Store {
	t.Helper()
	dir, o := t.TempDir(), Options{Moving: true}
	if server {
		o.Database = storetest.Database(t, dir)
	}
	s, err := Open(dir, o)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	return s
}

// everything is each line of each table, in the order of the keys.
func everything(t *testing.T, s *Store) map[string]int64 {
	t.Helper()
	out := map[string]int64{}
	for _, model := range movedTables() {
		m, err := newMove(s.Read, s.Read, model)
		require.NoError(t, err)
		out[m.table()] = m.all
	}
	return out
}

// From a file to a server and back to another file: everything is there, and the last is the same as the first.
func TestMoveThereAndBack(t *testing.T) {
	storetest.NeedsServer(t)
	ctx, quiet := context.Background(), func(string, int64, int64) {}
	dir := t.TempDir()
	first, err := Open(dir)
	require.NoError(t, err)
	_, err = first.People.CreateOwner("ada@larkmoor.example", "a password of some length")
	require.NoError(t, err)
	q, err := first.Documents.CreateQuiz(quiz.New("Wall"))
	require.NoError(t, err)
	_, err = first.Launch(q.ID, 1, 0, "wall", 0)
	require.NoError(t, err)
	changeName(t, first, q.ID, 0, "Another")
	r := rand.New(rand.NewPCG(7, 7))
	has(t, first, "q")
	for n := range 1200 {
		_, err := first.Responses.Submit(responses.Submission{Response: randomResponse(r, n)})
		require.NoError(t, err)
	}
	require.NoError(t, first.Documents.AddPicture(&documents.Picture{ID: "p", CreatedAt: time.Now()}, []documents.PictureSize{{Width: 8, Type: "image/png", Data: []byte{0, 1, 255}}}))
	before := everything(t, first)
	require.Greater(t, before["words"], int64(100))

	there := opened(t, true)
	broken := errors.New("somebody pulled the plug")
	pulled, pull := context.WithCancelCause(ctx)
	_, err = Move(pulled, first, there, func(table string, done, all int64) {
		if table == "responses" && done > 500 {
			pull(broken)
		}
	})
	require.Error(t, err, "it was broken off")
	_, err = Open(t.TempDir(), Options{Database: there.Address})
	require.ErrorIs(t, err, ErrHalf, "no server opens half of it")
	moved, err := Move(ctx, first, there, quiet)
	require.NoError(t, err)
	require.Len(t, moved, len(movedTables()))
	require.Equal(t, before, everything(t, there))
	_, err = Move(ctx, first, there, quiet)
	require.ErrorIs(t, err, ErrNotEmpty)

	back := opened(t, false)
	_, err = Move(ctx, there, back, quiet)
	require.NoError(t, err)
	require.Equal(t, before, everything(t, back))

	// A server works on what was moved: numbers continue behind those that are there, and the figures are the
	// recounted.
	s, err := Open(t.TempDir(), Options{Database: there.Address})
	require.NoError(t, err)
	defer s.Close()
	require.NoError(t, s.People.MakeAccount(&people.Account{Email: "bo@larkmoor.example", Role: people.Editor}, nil))
	tallies := tallied(t, s, "q")
	require.Equal(t, tallied(t, first, "q"), tallies)
	require.NoError(t, s.Responses.Recount("q"))
	require.Equal(t, tallies, tallied(t, s, "q"))
	require.NoError(t, first.Close())
}

// What the other database cannot keep is said, and nothing is called moved.
func TestMoveSaysWhatCannotBeKept(t *testing.T) {
	storetest.NeedsServer(t)
	from, to := opened(t, false), opened(t, true)
	require.NoError(t, from.Write.Create(&documents.Quiz{ID: "q", Name: "with \x00 in it"}).Error)
	_, err := Move(context.Background(), from, to, func(string, int64, int64) {})
	require.ErrorContains(t, err, "quizzes: a row in name differs")
}
