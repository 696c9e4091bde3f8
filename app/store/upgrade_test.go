package store

import (
	"compress/gzip"
	"io"
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/people"
	"omphalos/app/store/responses"
	"omphalos/core/quiz"
)

// A database from before there were messages and people, written by the program of then: anyone who had an account owns
// it, who agreed is on the list, the password fits and is hashed again. A copy of it is kept for a while.
func TestADatabaseOfBeforePeople(t *testing.T) {
	dir := t.TempDir()
	data, err := os.ReadFile("testdata/schema12.sqlite")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, File), data, 0o600))
	now := time.Now()
	s, err := Open(dir, Options{Now: func() time.Time { return now }})
	require.NoError(t, err)
	a, err := s.People.CheckPassword("ada@larkmoor.example", "larkmoor-before")
	require.NoError(t, err)
	require.True(t, a.IsOwner())
	require.False(t, a.Some)
	stored, err := s.People.Account(a.ID)
	require.NoError(t, err)
	require.Contains(t, string(stored.Password), "$argon2id$")
	_, err = s.People.CheckPassword("ada@larkmoor.example", "larkmoor-before")
	require.NoError(t, err)
	q, err := s.Documents.QuizBySlug("before")
	require.NoError(t, err)
	list, err := s.Deliveries.List(q.ID, time.Time{}, "", 10)
	require.NoError(t, err)
	require.Len(t, list, 1, "one address once, and nobody who is kept aside")
	require.Equal(t, "orla@fenhall.example", list[0].Email)
	require.Equal(t, "again", list[0].ResponseID)
	require.Equal(t, "news", list[0].Source)
	require.NoError(t, s.Responses.TakeIn(q.ID, "aside"))
	on, _, _, err := s.Deliveries.ListCounts(q.ID)
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

// A database of each earlier schema that has no test of its own (3, 9 and 12 have; 1, 2 and 10 never left
// development), with an owner and a quiz in it: brought up to date it has the tables, columns and indexes of a new
// one, is sound, and what was in it is there.
func TestADatabaseOfEachEarlierSchema(t *testing.T) {
	files, err := filepath.Glob("testdata/earlier/*.sqlite.gz")
	require.NoError(t, err)
	require.Len(t, files, 7)
	fresh, err := Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, fresh.Close()) })
	want := schemaOf(t, fresh)
	require.Greater(t, len(want), 100)
	for _, file := range files {
		t.Run(filepath.Base(file), func(t *testing.T) {
			dir := t.TempDir()
			unpack(t, file, filepath.Join(dir, File))
			s, err := Open(dir)
			require.NoError(t, err)
			require.Empty(t, missing(want, schemaOf(t, s)))
			a, err := s.People.CheckPassword("ada@larkmoor.example", "larkmoor-before")
			require.NoError(t, err)
			require.True(t, a.IsOwner())
			list, err := s.Documents.Quizzes()
			require.NoError(t, err)
			require.Len(t, list, 1)
			require.Equal(t, "Before", list[0].Name)
			q, err := quiz.ReadDraft(list[0].Document)
			require.NoError(t, err)
			require.Equal(t, "Before", q.Name)
			require.NoError(t, s.Close())
			faults, err := Examine(dir, Options{})
			require.NoError(t, err)
			require.Empty(t, faults)
		})
	}
}

func unpack(t *testing.T, from, to string) {
	t.Helper()
	f, err := os.Open(from)
	require.NoError(t, err)
	defer f.Close()
	z, err := gzip.NewReader(f)
	require.NoError(t, err)
	data, err := io.ReadAll(z)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(to, data, 0o600))
}

// schemaOf lists the columns and indexes of a database.
func schemaOf(t *testing.T, s *Store) (out []string) {
	t.Helper()
	require.NoError(t, s.Read.Raw(`select m.name || '.' || c.name from sqlite_master m, pragma_table_info(m.name) c where m.type = 'table'
		union select 'index ' || name from sqlite_master where type = 'index' and name not like 'sqlite_%'`).Scan(&out).Error)
	return out
}

func missing(want, got []string) (out []string) {
	for _, x := range want {
		if !slices.Contains(got, x) {
			out = append(out, x)
		}
	}
	return out
}

func TestEarlierWordsAreReplaced(t *testing.T) {
	s := open(t)
	require.NoError(t, s.People.Note(people.JournalLine{Account: "ada@larkmoor.example", Verb: "brought in responses"}))
	require.NoError(t, s.People.Note(people.JournalLine{Account: "ada@larkmoor.example", Verb: "launched a version"}))
	require.NoError(t, s.Transact(responses.Reword))
	list, err := s.People.Journal(people.JournalFilter{}, 9)
	require.NoError(t, err)
	require.Equal(t, "launched a version", list[0].Verb)
	require.Equal(t, "imported responses", list[1].Verb)
}
