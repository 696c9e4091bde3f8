package store

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// A database from before there were messages and people, written by the program of then: whoever had an account owns it,
// who agreed is on the list, the password fits and is hashed anew. A copy of it is kept for a while.
func TestADatabaseOfBeforePeople(t *testing.T) {
	dir := t.TempDir()
	data, err := os.ReadFile("testdata/schema12.sqlite")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, File), data, 0o600))
	now := time.Now()
	s, err := Open(dir, Options{Now: func() time.Time { return now }})
	require.NoError(t, err)
	a, err := s.CheckPassword("ada@larkmoor.example", "larkmoor-before")
	require.NoError(t, err)
	require.True(t, a.IsOwner())
	require.False(t, a.Some)
	stored, err := s.Account(a.ID)
	require.NoError(t, err)
	require.Contains(t, string(stored.Password), "$argon2id$")
	_, err = s.CheckPassword("ada@larkmoor.example", "larkmoor-before")
	require.NoError(t, err)
	q, err := s.QuizBySlug("before")
	require.NoError(t, err)
	list, err := s.List(q.ID, time.Time{}, "", 10)
	require.NoError(t, err)
	require.Len(t, list, 1, "one address once, and nobody who is kept aside")
	require.Equal(t, "orla@fenhall.example", list[0].Email)
	require.Equal(t, "again", list[0].ResponseID)
	require.Equal(t, "news", list[0].Source)
	require.NoError(t, s.TakeIn(q.ID, "aside"))
	on, _, _, err := s.ListCounts(q.ID)
	require.NoError(t, err)
	require.Equal(t, 2, on)
	require.NoError(t, s.Close())

	before := filepath.Join(dir, File+".before-0012")
	require.FileExists(t, before)
	other := t.TempDir()
	_, err = Restore(other, before, false)
	require.NoError(t, err, "the copy is a backup like any other")
	now = now.Add(40 * 24 * time.Hour)
	s, err = Open(dir, Options{Now: func() time.Time { return now }})
	require.NoError(t, err)
	require.NoError(t, s.Close())
	require.NoFileExists(t, before)
}
