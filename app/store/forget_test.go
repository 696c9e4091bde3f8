package store

import (
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/database"
	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
)

// forgetful is a store with random responses of March 2026 and a quiz that they belong to; it is opened in April.
func forgetful(t *testing.T) (*Store, string) {
	t.Helper()
	dir := t.TempDir()
	s, err := openAt(t, dir, func() time.Time { return time.Date(2026, 4, 1, 0, 0, 0, 0, time.UTC) })
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	require.NoError(t, s.Write.Create(&documents.Quiz{ID: "q", Name: "Wall", Document: []byte("{}")}).Error)
	r := rand.New(rand.NewPCG(2, 9))
	for n := range 900 {
		one := randomResponse(r, n)
		if one.Email != "" {
			one.Contact, one.Consent = []byte(`{"email":"x@y.example","company":"Larchwood"}`), "You may write to me."
		}
		submit(t, s, one)
	}
	return s, dir
}

// inFiles reports whether a text stands in the files of the database.
func inFiles(t *testing.T, dir, text string) bool {
	t.Helper()
	if onServer() {
		return inServer(t, dir, text)
	}
	for _, name := range []string{File, File + "-wal"} {
		data, err := os.ReadFile(filepath.Join(dir, name))
		if os.IsNotExist(err) {
			continue
		}
		require.NoError(t, err)
		if strings.Contains(string(data), text) {
			return true
		}
	}
	return false
}

// What is forgotten no longer exists from the database and from search; the figures stay, also after a recount.
func TestForgettingLeavesTheFigures(t *testing.T) {
	for _, what := range []string{responses.ForgetContact, responses.ForgetAll} {
		s, dir := forgetful(t)
		before := tallied(t, s, "q")
		require.True(t, inFiles(t, dir, "x@y.example"))
		require.NoError(t, s.Responses.SetKeeping("q", 20, what)) // until 12 March
		n, err := s.Responses.Due("q", 20, what, time.Time{}, s.Now())
		require.NoError(t, err)
		require.Greater(t, n, 100)
		require.NoError(t, s.Responses.ForgetOld())
		require.Equal(t, before, tallied(t, s, "q"), what)
		n, err = s.Responses.Due("q", 20, what, time.Time{}, s.Now())
		require.NoError(t, err)
		require.Zero(t, n)
		kept := 0
		for r, err := range s.Responses.Reader("q", responses.All).All() {
			require.NoError(t, err)
			if r.At.Before(time.Date(2026, 3, 12, 0, 0, 0, 0, time.UTC)) {
				require.Equal(t, responses.ForgetContact, what)
				require.Empty(t, r.Name+r.Email+string(r.Contact)+r.Consent)
				require.NotEmpty(t, r.Answers)
			}
			if r.Email != "" {
				kept++
			}
		}
		require.Positive(t, kept)
		require.NoError(t, s.Responses.SetKeeping("q", 1, what)) // everything
		require.NoError(t, s.Responses.ForgetOld())
		require.False(t, inFiles(t, dir, "x@y.example"), what)
		require.False(t, inFiles(t, dir, "Larchwood"), what)
		require.False(t, inFiles(t, dir, "larchwood"), what)
		require.Empty(t, finds(t, s, "orla"))
		require.NoError(t, s.Responses.Recount("q"))
		require.Equal(t, before, tallied(t, s, "q"), what)
	}
}

// Contact details that are added while forgetting is on its way count: the figures are those of the moment at which it
// is carried out. Those that come after are no second lead.
func TestContactThatComesMeanwhile(t *testing.T) {
	s, _ := forgetful(t)
	at := time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC)
	submit(t, s, &responses.Response{ID: "late", QuizID: "q", Version: 1, Kept: true, Outcome: "visit", Day: "2026-03-01", At: at, StartedAt: at})
	stale, err := s.Responses.Response("late")
	require.NoError(t, err)
	contact := &responses.Response{ID: "late", Name: "Nell", Email: "nell@fenhall.example", Contact: []byte(`{"email":"nell@fenhall.example"}`)}
	require.NoError(t, s.Responses.AddContact(contact))
	before := tallied(t, s, "q")
	forgotten := func(what string) {
		require.NoError(t, s.Responses.ForgetThese(what, []responses.Response{*stale}))
		require.Equal(t, before, tallied(t, s, "q"))
		require.NoError(t, s.Responses.Recount("q"))
		require.Equal(t, before, tallied(t, s, "q"))
	}
	forgotten(responses.ForgetContact)
	require.NoError(t, s.Responses.AddContact(contact))
	require.Equal(t, before, tallied(t, s, "q"), "no second lead")
	forgotten(responses.ForgetAll)
}

func TestHowLongIsRefused(t *testing.T) {
	s, _ := forgetful(t)
	require.ErrorIs(t, s.Responses.SetKeeping("q", -1, responses.ForgetAll), responses.ErrKeeping)
	require.Error(t, s.Responses.SetKeeping("q", 10, "some"))
	require.Error(t, s.Responses.SetKeeping("q", responses.MostKeptDays+1, responses.ForgetAll))
	require.ErrorIs(t, s.Responses.SetKeeping("none", 10, responses.ForgetAll), database.ErrNotFound)
	require.NoError(t, s.Responses.SetKeeping("q", 0, ""))
	before := tallied(t, s, "q")
	require.NoError(t, s.Responses.ForgetOld())
	require.Equal(t, before, tallied(t, s, "q"))
}

// An import can be taken out as a whole: nothing else changes, and what was imported twice is there once.
func TestAnImportIsTakenOut(t *testing.T) {
	s, _ := forgetful(t)
	before := tallied(t, s, "q")
	r := rand.New(rand.NewPCG(7, 7))
	var list []*responses.Submission
	for n := range 600 {
		one := randomResponse(r, 5000+n)
		one.Kept, one.Suspect = true, ""
		list = append(list, &responses.Submission{Response: one})
	}
	in := &responses.Import{ID: database.NewID(), QuizID: "q", Name: "past.csv", AccountID: 1}
	n, err := s.Responses.BringIn(in, append(list, list[:10]...))
	require.NoError(t, err)
	require.Equal(t, 600, n)
	imports, err := s.Responses.Imports("q")
	require.NoError(t, err)
	require.Len(t, imports, 1)
	require.Equal(t, 600, imports[0].Count)
	require.NotEqual(t, before, tallied(t, s, "q"))
	require.NoError(t, s.Responses.TakeOut("q", in.ID))
	require.Equal(t, before, tallied(t, s, "q"))
	require.ErrorIs(t, s.Responses.TakeOut("q", in.ID), database.ErrNotFound)
}
