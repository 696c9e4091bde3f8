package store

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
)

// finds are the ids that a search finds.
func finds(t *testing.T, s *Store, search string) []string {
	t.Helper()
	list, err := s.Responses.Reader("q", responses.Genuine).Only(responses.Filter{Search: search}).Before(responses.Cursor{}, 100)
	require.NoError(t, err)
	out := []string{}
	for _, r := range list {
		out = append(out, r.ID)
	}
	return out
}

func TestSearchByHowWordsBegin(t *testing.T) {
	s := open(t)
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	for i, r := range []*responses.Response{
		{ID: "one", Name: "Orla Quill-Tarn", Email: "Orla@Fenhall.example", Contact: []byte(`{"company":"Fenhall Öst","phone":"+353 1 234"}`)},
		{ID: "two", Name: "Órla O’Dwyer", Answers: []byte(`{"note":{"text":"A green WALL, please"},"how":{"picks":["other"],"other":"bicycle"}}`)},
		{ID: "three", Email: "fen@nordkai.example"},
	} {
		r.QuizID, r.Version, r.Kept, r.At = "q", 1, true, at.Add(time.Duration(i)*time.Hour)
		submit(t, s, r)
	}
	for search, want := range map[string][]string{
		"orla":                                 {"one"},
		"ORLA qu":                              {"one"},
		"quill tarn":                           {"one"},
		"órl":                                  {"two"},
		"dwyer":                                {"two"},
		"fen":                                  {"three", "one"},
		"fenhall.example":                      {"one"},
		"orla@fenhall.example":                 {"one"},
		"orla@fen":                             {"one"},
		"öst":                                  {"one"},
		"orla fenhall.example":                 {"one"},
		"quill fenhall.ex":                     {"one"},
		"example":                              {},
		"353 234":                              {"one"},
		"wal":                                  {"two"},
		"all":                                  {},
		"bicycle green":                        {"two"},
		"orla green":                           {},
		"two":                                  {"two"},
		"o q t f ö 3 1 2 or qu ta fenhall 353": {"one"}, // many words, as one types a whole line
		strings.Repeat("orla quill tarn ", 40): {"one"},
		strings.Join(strings.Split("abcdefghijklmnopqrstuvwxyz0123456789", ""), " "): {},
		"%": {},
		"_": {},
		`"`: {},
	} {
		require.Equal(t, want, finds(t, s, search), search)
	}
	require.NoError(t, s.Responses.AddContact(&responses.Response{ID: "three", Name: "Nell Holm", Contact: []byte(`{"name":"Nell Holm"}`)}))
	require.Equal(t, []string{"three"}, finds(t, s, "holm"))

	for _, id := range []string{"one", "two", "three"} {
		require.NoError(t, s.Responses.DeleteResponse("q", id))
	}
	var left int64
	require.NoError(t, s.Read.Model(&responses.Word{}).Count(&left).Error)
	require.Zero(t, left, "nothing that was deleted can be found")
}

// The database is one of the schema before marks, words and tallies by value, made by that program from random
// responses and 40 starts.
func TestADatabaseBeforeSearch(t *testing.T) {
	dir := t.TempDir()
	data, err := os.ReadFile("testdata/schema9.sqlite")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, File), data, 0o600))
	s, err := Open(dir, Options{Now: func() time.Time { return time.Date(2026, 3, 10, 0, 0, 0, 0, time.UTC) }})
	require.NoError(t, err)
	defer s.Close()

	migrated := tallied(t, s, "q")
	require.NoError(t, s.Responses.Recount("q"))
	require.Equal(t, tallied(t, s, "q"), migrated)
	for _, by := range tallies.Breakdowns {
		list, err := s.Tallies.Breakdown("q", by)
		require.NoError(t, err)
		starts := 0
		for _, one := range list {
			starts += one.Starts
		}
		require.Equal(t, 40, starts, by)
	}
	with := 0
	for r, err := range s.Responses.Reader("q", responses.Genuine).All() {
		require.NoError(t, err)
		if r.Email != "" {
			with++
		}
	}
	require.Positive(t, with)
	require.Len(t, finds(t, s, "fenhall.example"), with)
	held, err := s.Responses.Person("ORLA7@fenhall.example")
	require.NoError(t, err)
	require.LessOrEqual(t, len(held.Responses), 1)
	for value, want := range map[string]int{"a0": 0, "a1": 0, "a2": 0} {
		n, err := s.Responses.Reader("q", responses.Genuine).Only(responses.Filter{Answer: &responses.Answer{Field: "area", Value: value}}).Count()
		require.NoError(t, err)
		list, err := s.Tallies.AnswerCounts("q")
		require.NoError(t, err)
		for _, v := range list {
			if v.Field == "area" && v.Value == value {
				want = v.Count
			}
		}
		require.Positive(t, want)
		require.Equal(t, want, n)
	}
}
