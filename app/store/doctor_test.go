package store

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
)

// sound is a folder with random responses, some of them forgotten, and a launched quiz; it is closed.
func soundFolder(t *testing.T, damage string, args ...any) string {
	t.Helper()
	s, dir := forgetful(t)
	d := `{"format":"omphalos-quiz/1","name":"Wall","questions":[],"outcomes":[{"id":"visit","name":"Visit"}],"otherwise":"visit"}`
	require.NoError(t, s.Write.Model(&documents.Quiz{}).Where("id = 'q'").Update("document", []byte(d)).Error)
	for n := 1; n <= 2; n++ {
		require.NoError(t, s.Write.Create(&documents.Version{QuizID: "q", Number: n, Document: []byte(d), At: time.Now()}).Error)
	}
	require.NoError(t, s.Responses.SetKeeping("q", 25, responses.ForgetAll))
	require.NoError(t, s.Responses.ForgetOld())
	at := time.Date(2026, 3, 15, 10, 0, 0, 0, time.UTC)
	_, err := s.Responses.BringIn(&responses.Import{ID: "i", QuizID: "q", Name: "past.csv"}, []*responses.Submission{{Response: &responses.Response{
		ID: "imported1", Version: 1, Outcome: "visit", Kept: true, Email: "orla@fenhall.example", Answers: []byte("{}"),
		Day: "2026-03-15", At: at,
	}}})
	require.NoError(t, err)
	submit(t, s, &responses.Response{ID: "nothing1", QuizID: "q", Version: 1, Outcome: "visit", Day: "2026-03-15", At: at},
		func(one *responses.Submission) {
			one.Walked = tallies.Walked{Source: "newsletter", Device: "phone", Way: tallies.WayLink}
		})
	if damage != "" {
		require.NoError(t, s.Write.Exec(damage, args...).Error)
	}
	return dir
}

// A folder is sound while a server runs on it; each damage is named.
func TestTheDoctorNamesDamage(t *testing.T) {
	findings, err := Examine(placeOf(t, soundFolder(t, "")))
	require.NoError(t, err)
	require.Empty(t, findings)
	for damage, said := range map[string]string{
		"UPDATE stage_tallies SET count = count + 1 WHERE stage = 'end' AND place = 'visit' AND version = 1":            "tatistic by stage",
		"DELETE FROM version_day_tallies WHERE day = '2026-03-15'":                                                      "tatistic by day",
		"UPDATE slice_tallies SET leads = 0 WHERE kind = 'device' AND stage = 'end'":                                    "tatistic by value",
		"UPDATE answer_tallies SET count = 0 WHERE field = 'area'":                                                      "tatistic of answers",
		"DELETE FROM responses WHERE id IN (SELECT id FROM responses WHERE kept AND email <> '' AND NOT aside LIMIT 1)": "the search index contains words of deleted responses, so someone who was deleted could still be found",
		"UPDATE versions SET document = '{' WHERE number = 2":                                                           "ouldn’t read version 2 of quiz q",
		"UPDATE quizzes SET document = '{}'":                                                                            "draft of “Wall” (q)",
		"DELETE FROM versions WHERE number = 2":                                                                         "some responses belong to a version that doesn’t exist",
		"DELETE FROM migrations WHERE id = '0012'":                                                                      "The database is from an earlier version of Omphalos. Start this version on the folder once to update it",
		"INSERT INTO migrations (id) VALUES ('9999')":                                                                   "The database is from a newer version of Omphalos. Check it with that version",
	} {
		t.Run(said, func(t *testing.T) {
			t.Parallel()
			findings, err := Examine(placeOf(t, soundFolder(t, damage)))
			require.NoError(t, err)
			require.NotEmpty(t, findings)
			require.Contains(t, strings.Join(findings, "\n"), said)
			require.LessOrEqual(t, len(findings), 4*mostFound)
		})
	}
}

// A file with overwritten pages is called damaged, and a folder without one has none.
func TestTheDoctorOfADamagedFile(t *testing.T) {
	dir := t.TempDir()
	data, err := os.ReadFile("testdata/schema9.sqlite")
	require.NoError(t, err)
	for i := 40_000; i < 60_000; i++ {
		data[i] ^= 0x5a
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, File), data, 0o600))
	findings, err := Examine(dir, Options{})
	require.NoError(t, err)
	require.NotEmpty(t, findings)
	require.Contains(t, findings[0], "The file is damaged")
	copy(data, "no database at all")
	require.NoError(t, os.WriteFile(filepath.Join(dir, File), data, 0o600))
	findings, err = Examine(dir, Options{})
	require.NoError(t, err)
	require.Contains(t, findings[0], "The file is damaged")
	_, err = Examine(t.TempDir(), Options{})
	require.ErrorContains(t, err, "no database found in")
}
