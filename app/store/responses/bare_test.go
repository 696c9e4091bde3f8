package responses

import (
	"database/sql"
	"fmt"
	"net/url"
	"path/filepath"
	"slices"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/attempts"
	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
	"omphalos/app/store/people"
	"omphalos/app/store/tallies"
)

// What is found often is walked instead of looked up: pages of it hold the same responses, in the same order.
func TestWhatIsFoundOftenIsWalked(t *testing.T) {
	s := open(t)
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	const people = 300
	for n := range people {
		name := []string{"Orla Quill", "ÖRLA Quill", "Colorla Tarn", "Orla Tarn"}[n%4]
		add(t, s, &Response{ID: database.NewID(), QuizID: "q", Version: 1, Kept: true, Name: name, At: at.Add(time.Duration(n) * time.Minute),
			Answers: []byte(`{"note":{"text":"Quiet 100% of the time"}}`)})
	}
	for search, each := range map[string]int{"orla": 2, "orla q": 2, "örl": 1, "quiet 100": 4, "tarn orl": 1, "qui": 4} {
		looked := s.Reader("q", Genuine).Only(Filter{Search: search})
		walked := s.Reader("q", Genuine).Only(Filter{Search: search})
		require.NoError(t, walked.look())
		require.Len(t, walked.hits.ids, each*people/4, search)
		walked.hits.many = true
		for _, reader := range []*Reader{looked, walked} {
			n, place := 0, Cursor{}
			for {
				page, err := reader.Before(place, 23)
				require.NoError(t, err)
				other, err := looked.Before(place, 23)
				require.NoError(t, err)
				require.Equal(t, other, page, search)
				if n += len(page); len(page) == 0 {
					break
				}
				place = CursorOf(&page[len(page)-1])
			}
			require.Equal(t, each*people/4, n, search)
		}
	}
}

func BenchmarkBareGroupCommit(b *testing.B) {
	s := open(b) // makes the tables
	db, err := sql.Open("sqlite3", "file:"+filepath.Join(b.TempDir(), "bare.db")+"?_journal_mode=WAL&_synchronous=FULL&_txlock=immediate")
	require.NoError(b, err)
	defer db.Close()
	db.SetMaxOpenConns(1)
	var schema []string // the table with its index
	require.NoError(b, s.Read.Raw("SELECT sql FROM sqlite_master WHERE tbl_name = 'responses' AND sql IS NOT NULL ORDER BY type DESC").Scan(&schema).Error)
	for _, sql := range schema {
		_, err = db.Exec(sql)
		require.NoError(b, err)
	}
	type job struct {
		r    *Response
		done chan error
	}
	jobs := make(chan job, maxBatch)
	go func() {
		for first := range jobs {
			group := []job{first}
			for more := true; more && len(group) < maxBatch; {
				select {
				case next := <-jobs:
					group = append(group, next)
				default:
					more = false
				}
			}
			tx, err := db.Begin()
			if err == nil {
				var insert *sql.Stmt
				insert, err = tx.Prepare(insertResponse)
				for _, j := range group {
					if err == nil {
						_, err = insert.Exec(j.r.values()...)
					}
				}
				if err == nil {
					err = tx.Commit()
				}
			}
			for _, j := range group {
				j.done <- err
			}
		}
	}()
	var n atomic.Int64
	b.ResetTimer()
	b.SetParallelism(64)
	b.RunParallel(func(pb *testing.PB) {
		for pb.Next() {
			j := job{&Response{ID: fmt.Sprint(n.Add(1)), QuizID: "q", Version: 1, Kept: true, Outcome: "visit"}, make(chan error, 1)}
			jobs <- j
			if err := <-j.done; err != nil {
				b.Error(err)
			}
		}
	})
	close(jobs)
}

// open keeps responses in a new file, without what else a server keeps.
func open(t testing.TB) *Store {
	t.Helper()
	path := filepath.Join(t.TempDir(), "responses.db")
	var db database.DB
	var err error
	db.Dialect, db.Now = database.OnSQLite, time.Now
	db.Write, err = database.Connect(path, url.Values{"_txlock": {"immediate"}}, 1)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, database.CloseDB(db.Write)) })
	db.Read, err = database.Connect(path, url.Values{}, 1)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, database.CloseDB(db.Read)) })
	for _, k := range slices.Concat(people.Tables, documents.Tables, deliveries.Tables, tallies.Tables, Tables) {
		require.NoError(t, db.Write.AutoMigrate(k.Of))
	}
	require.NoError(t, db.Write.Create(&documents.Quiz{ID: "q"}).Error)
	quizzes := documents.New(&db, nil)
	s := New(&db, quizzes, deliveries.New(&db, attempts.New(&db)))
	require.NoError(t, s.Start())
	t.Cleanup(s.Stop)
	return s
}

func add(t testing.TB, s *Store, r *Response) {
	t.Helper()
	fresh, err := s.Submit(Submission{Response: r})
	require.NoError(t, err)
	require.True(t, fresh)
}
