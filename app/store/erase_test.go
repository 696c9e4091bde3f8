package store

import (
	"bytes"
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/app/store/tallies"
	"omphalos/core/quiz"
)

// traces are the files of a folder that hold a text.
func traces(t *testing.T, dir, text string) (found []string) {
	t.Helper()
	files, err := os.ReadDir(dir)
	require.NoError(t, err)
	for _, f := range files {
		data, err := os.ReadFile(filepath.Join(dir, f.Name()))
		require.NoError(t, err)
		if bytes.Contains(data, []byte(text)) {
			found = append(found, f.Name())
		}
	}
	return found
}

// What is deleted is nowhere in the files, while the program continues.
func TestPurgedIsGone(t *testing.T) {
	onFile(t)
	dir := t.TempDir()
	now := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	s, err := openAt(t, dir, func() time.Time { return now })
	require.NoError(t, err)
	defer func() { require.NoError(t, s.Close()) }()
	q, err := s.Documents.CreateQuiz(quiz.New("The zebra quiz"))
	require.NoError(t, err)
	kept, err := s.Documents.CreateQuiz(quiz.New("The other quiz"))
	require.NoError(t, err)
	for i := range int64(50) {
		r := sample(i)
		r.QuizID, r.Name, r.Day = q.ID, "Zebra Quill", "2026-03-01"
		submit(t, s, r)
		o := sample(1000 + i)
		o.QuizID, o.Name, o.Day = kept.ID, "Other Quill", "2026-03-01"
		submit(t, s, o)
	}
	require.NoError(t, s.Documents.Missed(q.ID, "places", "zebra@larkmoor.example"))
	first := sample(0).ID
	require.NotEmpty(t, traces(t, dir, first))
	require.NoError(t, s.Responses.DeleteResponse(q.ID, first))
	require.Empty(t, traces(t, dir, first))
	require.ErrorIs(t, s.Responses.DeleteResponse(q.ID, first), database.ErrNotFound)
	require.ErrorIs(t, s.Responses.DeleteResponse(q.ID, sample(1000).ID), database.ErrNotFound, "of another quiz")
	counts, err := s.Tallies.QuizCounts(q.ID, time.UTC)
	require.NoError(t, err)
	require.Equal(t, 49, counts.Leads)
	before := tallied(t, s, q.ID)
	require.NoError(t, s.Responses.Recount(q.ID))
	require.Equal(t, before, tallied(t, s, q.ID), "tallies are those of the responses that are left")

	require.ErrorIs(t, s.PurgeQuiz(q.ID), database.ErrNotFound, "what is not deleted is not purged")
	require.NoError(t, s.Documents.DeleteQuiz(q.ID))
	bin, err := s.Documents.Bin()
	require.NoError(t, err)
	require.Len(t, bin, 1)
	require.Equal(t, now.Add(30*24*time.Hour), bin[0].PurgeDay().UTC())
	require.NoError(t, s.PurgeOld())
	require.NoError(t, s.Documents.RestoreQuiz(q.ID), "until then it comes back")
	require.NoError(t, s.Documents.DeleteQuiz(q.ID))
	now = now.Add(documents.BinLife + time.Minute)
	require.NoError(t, s.PurgeOld())
	require.ErrorIs(t, s.Documents.RestoreQuiz(q.ID), database.ErrNotFound)
	for _, text := range []string{"Zebra", "zebra", q.ID} {
		require.Empty(t, traces(t, dir, text), text)
	}
	require.NotEmpty(t, traces(t, dir, "Other Quill"))
	counts, err = s.Tallies.QuizCounts(kept.ID, time.UTC)
	require.NoError(t, err)
	require.Equal(t, 50, counts.Leads)
}

func TestOneProgramAFolder(t *testing.T) {
	onFile(t)
	dir := t.TempDir()
	s, err := openAt(t, dir)
	require.NoError(t, err)
	require.NoError(t, s.Takes())
	_, err = openAt(t, dir)
	require.ErrorIs(t, err, ErrInUse)
	require.ErrorContains(t, err, dir)
	require.NoError(t, s.Close())
	s, err = openAt(t, dir)
	require.NoError(t, err, "the folder is free again")
	require.NoError(t, s.Close())
}

// A backup is of one moment, taken while responses come, and comes back whole.
func TestBackupAndRestore(t *testing.T) {
	onFile(t)
	dir, other := t.TempDir(), t.TempDir()
	file := filepath.Join(t.TempDir(), "copy.db")
	s, err := openAt(t, dir)
	require.NoError(t, err)
	q, err := s.Documents.CreateQuiz(quiz.New("Ferns"))
	require.NoError(t, err)
	for i := range int64(20) {
		r := sample(i)
		r.QuizID = q.ID
		submit(t, s, r)
	}
	require.NoError(t, Backup(dir, file))
	require.ErrorContains(t, Backup(dir, file), "already exists")
	_, err = Restore(dir, file, true)
	require.ErrorIs(t, err, ErrInUse, "not under a program that runs")
	require.NoError(t, s.Close())

	kept, err := Restore(other, file, false)
	require.NoError(t, err)
	require.Empty(t, kept)
	_, err = Restore(other, file, false)
	require.ErrorContains(t, err, "--replace")
	kept, err = Restore(other, file, true)
	require.NoError(t, err)
	require.FileExists(t, kept)
	s, err = openAt(t, other)
	require.NoError(t, err)
	_, err = s.Responses.Response(sample(19).ID)
	require.NoError(t, err)
	require.NoError(t, s.Close())

	data, err := os.ReadFile(file)
	require.NoError(t, err)
	whole := bytes.Clone(data)
	for at := 4096; at < len(data); at += 4096 { // every page but the first
		copy(data[at:], bytes.Repeat([]byte{0x5a}, 64))
	}
	damaged := filepath.Join(t.TempDir(), "damaged.db")
	require.NoError(t, os.WriteFile(damaged, data, 0o600))
	for _, bad := range []string{damaged, filepath.Join(other, "none.db"), "erase_test.go"} {
		_, err = Restore(t.TempDir(), bad, true)
		require.Error(t, err, bad)
	}
	require.ErrorContains(t, Backup(t.TempDir(), file+"2"), "no database")

	for change, want := range map[string]string{
		"INSERT INTO migrations (id) VALUES ('9999')": "of a later program",
		"DROP TABLE hooks":                            "lacks the table hooks",
		"DELETE FROM migrations":                      "", // of an earlier one: it is brought up to date when it is opened
	} {
		changed := filepath.Join(t.TempDir(), "changed.db")
		require.NoError(t, os.WriteFile(changed, whole, 0o600))
		db, err := sql.Open("sqlite3", changed)
		require.NoError(t, err)
		_, err = db.Exec(change)
		require.NoError(t, err)
		require.NoError(t, db.Close())
		if _, err = Restore(t.TempDir(), changed, false); want == "" {
			require.NoError(t, err, change)
		} else {
			require.ErrorContains(t, err, want, change)
		}
	}
}

func TestHeldPlacesGoAfterADay(t *testing.T) {
	now := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	s, err := openAt(t, t.TempDir(), func() time.Time { return now })
	require.NoError(t, err)
	defer s.Close()
	hold := func(h deliveries.HeldPlace) bool {
		held, err := s.Deliveries.Hold(h)
		require.NoError(t, err)
		return held
	}
	require.True(t, hold(deliveries.HeldPlace{ID: "a", QuizID: "q", Walk: "a", Network: "192.0.2.1", Token: "token"}))
	token, err := s.Deliveries.Held("a", "q")
	require.NoError(t, err)
	require.Equal(t, "token", token)
	_, err = s.Deliveries.Held("a", "another")
	require.ErrorIs(t, err, database.ErrNotFound)
	now = now.Add(deliveries.HeldFor + time.Second)
	_, err = s.Deliveries.Held("a", "q")
	require.ErrorIs(t, err, database.ErrNotFound)
	require.NoError(t, s.PurgeOld())

	// An honest respondent's place stays, whatever others send; a walk has the newest of its own.
	require.True(t, hold(deliveries.HeldPlace{ID: "honest", QuizID: "q", Walk: "honest", Network: "192.0.2.1", Token: "token"}))
	for i := range deliveries.HeldOfNetwork + 10 {
		h := deliveries.HeldPlace{ID: database.NewID() + database.NewID(), QuizID: "q", Walk: database.NewID(), Network: "198.51.100.7", Token: "token"}
		require.Equal(t, i < deliveries.HeldOfNetwork, hold(h), i)
	}
	require.False(t, hold(deliveries.HeldPlace{ID: "long", QuizID: "q", Walk: "x", Network: "192.0.2.2", Token: strings.Repeat("x", deliveries.LongestHeld+1)}))
	for i := range 3 * deliveries.HeldOfWalk {
		now = now.Add(time.Second)
		require.True(t, hold(deliveries.HeldPlace{ID: fmt.Sprintf("walk%03d", i), QuizID: "q", Walk: "one", Network: "192.0.2.3", Token: "token"}))
	}
	var own []string
	require.NoError(t, s.Read.Model(&deliveries.HeldPlace{}).Where("walk = ?", "one").Order("id").Pluck("id", &own).Error)
	require.Len(t, own, deliveries.HeldOfWalk)
	require.Equal(t, fmt.Sprintf("walk%03d", 3*deliveries.HeldOfWalk-1), own[deliveries.HeldOfWalk-1])
	for i := range deliveries.HeldOfQuiz {
		require.NoError(t, s.Write.Create(&deliveries.HeldPlace{ID: database.NewID() + database.NewID(), QuizID: "full", ExpiresAt: now.Add(time.Duration(i))}).Error)
	}
	require.False(t, hold(deliveries.HeldPlace{ID: "more", QuizID: "full", Walk: "y", Network: "192.0.2.4", Token: "token"}), "its quiz has as many")
	_, err = s.Deliveries.Held("honest", "q")
	require.NoError(t, err)
}

// What happened on the way of respondents before a purge, and is written after it, is of no quiz any more.
func TestNothingIsWrittenOfAPurgedQuiz(t *testing.T) {
	s := open(t)
	q, err := s.Documents.CreateQuiz(quiz.New("Ferns"))
	require.NoError(t, err)
	event := tallies.Event{QuizID: q.ID, Version: 1, Day: "2026-03-02", Stage: tallies.StageStep, Place: "area"}
	late := sample(1)
	late.QuizID = q.ID
	require.NoError(t, s.Documents.DeleteQuiz(q.ID))
	require.NoError(t, s.PurgeQuiz(q.ID))
	s.Responses.Tally(event)
	_, err = s.Responses.Submit(responses.Submission{Response: late})
	require.ErrorIs(t, err, database.ErrNotFound)
	submit(t, s, sample(2)) // of another quiz: the events are written with it
	for _, model := range ofQuizzes {
		var n int64
		require.NoError(t, s.Read.Model(model).Where("quiz_id = ?", q.ID).Count(&n).Error)
		require.Zero(t, n, "%T", model)
	}
}

// The catalogue lists the tables of the database, each once, and says of each that names its quiz or its response that
// it does.
func TestTheCatalogueListsEveryTable(t *testing.T) {
	s := open(t)
	made, err := s.Write.Migrator().GetTables()
	require.NoError(t, err)
	listed := map[string]database.Model{}
	for _, k := range catalogue {
		name := database.NameOf(k.Of)
		require.NotContains(t, listed, name)
		require.Contains(t, made, name)
		listed[name] = k
		require.Equal(t, s.Write.Migrator().HasColumn(k.Of, "quiz_id") && name != "journal_lines", k.Quiz, name)
		if s.Write.Migrator().HasColumn(k.Of, "response_id") && name != "words" && name != "invitations" {
			require.True(t, k.Response, name)
		}
	}
	for _, name := range made {
		if name != "migrations" && !strings.HasPrefix(name, "sqlite_") {
			require.Contains(t, listed, name)
		}
	}
}

// Bounds hold where many ask at once.
func TestBoundsHoldAtOnce(t *testing.T) {
	s := open(t)
	q, err := s.Documents.CreateQuiz(quiz.New("Ferns"))
	require.NoError(t, err)
	for name, c := range map[string]struct {
		model any
		most  int
		add   func(n int) error
	}{
		"files": {&documents.Handout{}, documents.MaxHandouts, func(n int) error {
			return s.Documents.PutHandout(&documents.Handout{QuizID: q.ID, ID: fmt.Sprint("f", n)})
		}},
		"hooks": {&deliveries.Hook{}, deliveries.MaxHooks, func(int) error {
			return s.Deliveries.AddHook(&deliveries.Hook{QuizID: q.ID, URL: "https://larkmoor.example"})
		}},
		"links":  {&documents.RehearsalLink{}, documents.MaxRehearsalLinks, func(int) error { _, err := s.Documents.MakeRehearsalLink(q, 1, false); return err }},
		"places": {&documents.Place{}, documents.MaxPlaces, func(n int) error { return s.Documents.AddPlace(&documents.Place{QuizID: q.ID, Name: fmt.Sprint(n)}) }},
		"filters": {&responses.KeptFilter{}, responses.MaxKeptFilters, func(n int) error {
			return s.Responses.KeepFilter(&responses.KeptFilter{QuizID: q.ID, Name: fmt.Sprint(n)})
		}},
	} {
		var all sync.WaitGroup
		var taken atomic.Int32
		for n := range c.most + 20 {
			all.Go(func() {
				if c.add(n) == nil {
					taken.Add(1)
				}
			})
		}
		all.Wait()
		var n int64
		require.NoError(t, s.Read.Model(c.model).Where("quiz_id = ?", q.ID).Count(&n).Error)
		require.EqualValues(t, c.most, n, name)
		require.EqualValues(t, c.most, taken.Load(), name)
	}
}

func TestInvitationsAreBounded(t *testing.T) {
	s := open(t)
	q, err := s.Documents.CreateQuiz(quiz.New("Ferns"))
	require.NoError(t, err)
	require.NoError(t, s.Responses.Invite(q.ID, make([]responses.Invitation, responses.MaxInvitations), nil))
	require.ErrorIs(t, s.Responses.Invite(q.ID, make([]responses.Invitation, 1), nil), database.ErrFull)
	other, err := s.Documents.CreateQuiz(quiz.New("Moss"))
	require.NoError(t, err)
	people := make([]responses.Invitation, 300)
	for i := range people {
		people[i].Email = "orla@fenhall.example"
	}
	letter := bytes.Repeat([]byte("x"), 1<<20)
	require.ErrorIs(t, s.Responses.Invite(other.ID, people, func(*responses.Invitation) ([]byte, error) { return letter, nil }), responses.ErrLetters)
	none, err := s.Responses.Invitations(other.ID)
	require.NoError(t, err)
	require.Empty(t, none)
}
