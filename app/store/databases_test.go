package store

import (
	"context"
	"fmt"
	"math/rand/v2"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"omphalos/app/store/attempts"
	"omphalos/app/store/database"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/documents"
	"omphalos/app/store/responses"
	"omphalos/app/store/storetest"
	"omphalos/app/store/tallies"
	"omphalos/core/quiz"
)

// onServer reports whether these tests run on a PostgreSQL server.
func onServer() bool { return storetest.Server() != "" }

// openAt opens the database of a folder.
func openAt(t testing.TB, dir string, now ...func() time.Time) (*Store, error) {
	t.Helper()
	dir, o := placeOf(t, dir)
	if len(now) > 0 {
		o.Now = now[0]
	}
	return Open(dir, o)
}

// placeOf is where the database of a folder is: in it, or where tests run on a server, in the schema that stands for
// it.
func placeOf(t testing.TB, dir string) (string, Options) {
	return dir, Options{Database: storetest.Database(t, dir)}
}

// onFile is for tests of what SQLite does in its own way.
func onFile(t testing.TB) {
	t.Helper()
	if onServer() {
		t.Skip("it is of SQLite alone")
	}
}

// inServer reports whether a text stands in any line of the schema that stands for a folder.
func inServer(t testing.TB, dir, text string) bool {
	t.Helper()
	_, o := placeOf(t, dir)
	ctx := context.Background()
	c, err := pgx.Connect(ctx, o.Database)
	require.NoError(t, err)
	defer c.Close(ctx)
	rows, err := c.Query(ctx, "SELECT table_name FROM information_schema.tables WHERE table_schema = current_schema()")
	require.NoError(t, err)
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	for _, name := range names {
		found := false
		// Columns of bytes are written as text, with what is in them.
		query := "SELECT EXISTS (SELECT 1 FROM " + name + " t WHERE t::text LIKE $1 OR t::text LIKE '%' || encode($2::bytea, 'hex') || '%')"
		require.NoError(t, c.QueryRow(ctx, query, "%"+text+"%", []byte(text)).Scan(&found))
		if found {
			return true
		}
	}
	return false
}

// twoServers are two stores on one database; tests of them need one on a server.
func twoServers(t testing.TB) (a, b *Store) {
	t.Helper()
	storetest.NeedsServer(t)
	dir := t.TempDir()
	a, err := openAt(t, dir)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, a.Close()) })
	b, err = openAt(t, dir)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, b.Close()) })
	return a, b
}

// An edit on one server is heard on the other, and what moves there makes its kept pages old at once.
func TestServersHearEachOther(t *testing.T) {
	a, b := twoServers(t)
	q, err := a.Documents.CreateQuiz(quiz.New("Wall"))
	require.NoError(t, err)
	ctx, end := context.WithCancel(context.Background())
	heard := make(chan int, 16)
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		b.Hear(ctx, func(id string, n int) {
			if id == q.ID {
				heard <- n
			}
		})
	}()
	revision := 0
	require.Eventually(t, func() bool { // until the other listens
		changeName(t, a, q.ID, revision, fmt.Sprint("Name ", revision))
		revision++
		select {
		case n := <-heard:
			return n > 0
		case <-time.After(100 * time.Millisecond):
			return false
		}
	}, 10*time.Second, time.Millisecond)
	before := b.Changes()
	require.NoError(t, a.Documents.DeleteQuiz(q.ID))
	require.Eventually(t, func() bool { return b.Changes() > before }, 5*time.Second, time.Millisecond)
	end()
	<-ended
}

// Mails and deliveries that are due are taken up by one server, and by another one once that has had its time.
func TestWhatIsDueIsClaimedOnce(t *testing.T) {
	a, b := twoServers(t)
	for n := range 40 {
		m := &deliveries.Mail{QuizID: fmt.Sprint("q", n%4), ResponseID: fmt.Sprint(n), MessageID: "m", Recipients: "x@y.example"}
		require.NoError(t, a.Deliveries.QueueMail(m))
	}
	var all sync.WaitGroup
	var mu sync.Mutex
	seen := map[string]int{}
	end := time.Now().Add(20 * time.Second)
	for _, s := range []*Store{a, b, a, b} {
		all.Go(func() {
			// A round finds nothing where another one is at the same mails; the last rounds find nothing new.
			for quiet := 0; quiet < 3 && time.Now().Before(end); quiet++ {
				list, err := s.Deliveries.DueMails(5)
				require.NoError(t, err)
				mu.Lock()
				for _, m := range list {
					seen[m.ID]++
				}
				if len(seen) < 40 {
					quiet = 0
				}
				mu.Unlock()
			}
		})
	}
	all.Wait()
	require.Len(t, seen, 40)
	for id, n := range seen {
		require.Equal(t, 1, n, id)
	}
	later := b.Now().Add(2 * deliveries.ClaimFor)
	b.Now = func() time.Time { return later }
	list, err := b.Deliveries.DueMails(100)
	require.NoError(t, err)
	require.Len(t, list, 40, "the one that took them up has not sent them")
}

// Two servers that store at once tell the same sources apart, up to the bound: the tallies equal a recount.
func TestServersTellTheSameApart(t *testing.T) {
	a, b := twoServers(t)
	has(t, a, "q")
	var all sync.WaitGroup
	for k, s := range []*Store{a, b} {
		all.Go(func() {
			r := rand.New(rand.NewPCG(4, uint64(k)))
			for n := range 2 * tallies.MaxSources {
				one := randomResponse(r, n)
				one.ID, one.Source = fmt.Sprint(k, "-", n), fmt.Sprint("source ", k, r.IntN(tallies.MaxSources))
				_, err := s.Responses.Submit(responses.Submission{Response: one})
				require.NoError(t, err)
			}
		})
	}
	all.Wait()
	var apart int64
	require.NoError(t, a.Read.Model(&tallies.KnownValue{}).Where("quiz_id = 'q' AND kind = ?", tallies.BySource).Count(&apart).Error)
	require.Equal(t, int64(tallies.MaxSources), apart, "as many as are told apart, on both together")
	before := tallied(t, a, "q")
	require.NoError(t, b.Responses.Recount("q"))
	require.Equal(t, before, tallied(t, a, "q"))
}

// Attempts are counted for both servers together, and again when their time is over.
func TestAttemptsAreCountedTogether(t *testing.T) {
	now := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	clock := func() time.Time { return now }
	dir := t.TempDir()
	s, err := openAt(t, dir, clock)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	servers := []*Store{s, s}
	if onServer() {
		servers[1], err = openAt(t, dir, clock)
		require.NoError(t, err)
		t.Cleanup(func() { require.NoError(t, servers[1].Close()) })
	}
	for n := range 6 {
		count, err := servers[n%2].Attempts.Try("ip 192.0.2.1", time.Minute)
		require.NoError(t, err)
		require.Equal(t, n+1, count)
	}
	other, err := s.Attempts.Try("ip 192.0.2.2", time.Minute)
	require.NoError(t, err)
	require.Equal(t, 1, other)
	require.NoError(t, s.Attempts.Forget("ip 192.0.2.2"))
	now = now.Add(time.Minute)
	count, err := servers[1].Attempts.Try("ip 192.0.2.1", time.Minute)
	require.NoError(t, err)
	require.Equal(t, 1, count)
	var kept []attempts.Attempt
	require.NoError(t, s.Read.Find(&kept).Error)
	require.Len(t, kept, 1)
	require.NotContains(t, kept[0].Key, "192.0.2.1")
	now = now.Add(time.Hour)
	require.NoError(t, s.PurgeOld())
	require.NoError(t, s.Read.Find(&kept).Error)
	require.Empty(t, kept)
}

// openWith opens the database of a folder on the server, with settings of its connections.
func openWith(t *testing.T, dir, settings string) *Store {
	t.Helper()
	storetest.NeedsServer(t)
	dir, o := placeOf(t, dir)
	o.Database += settings
	s, err := Open(dir, o)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s
}

// A server that stops in the middle of a transaction keeps the others waiting for a while, not for ever: they say so,
// and continue once the database has given it up.
func TestNobodyWaitsForEver(t *testing.T) {
	dir := t.TempDir()
	stopped := openWith(t, dir, "&idle_in_transaction_session_timeout=1500ms")
	waits := openWith(t, dir, "&lock_timeout=200ms")
	has(t, stopped, "q")
	tx := stopped.Write.Begin()
	require.NoError(t, tx.Exec(database.OnPostgres.Begin).Error)
	one := randomResponse(rand.New(rand.NewPCG(1, 1)), 1)
	_, err := waits.Responses.Submit(responses.Submission{Response: one})
	require.ErrorContains(t, err, "lock timeout")
	require.Eventually(t, func() bool {
		_, err := waits.Responses.Submit(responses.Submission{Response: one})
		return err == nil
	}, 10*time.Second, 50*time.Millisecond)
	require.Error(t, tx.Commit().Error, "the one that stopped is told")
	_, err = stopped.Responses.Submit(responses.Submission{Response: randomResponse(rand.New(rand.NewPCG(1, 1)), 2)})
	require.NoError(t, err, "and writes again")
}

// What keeps others from waiting stands where the address says nothing else.
func TestTheWriterWaitsForAWhile(t *testing.T) {
	s := openWith(t, t.TempDir(), "")
	for name, want := range database.NoEndlessWait {
		var is string
		require.NoError(t, s.Write.Raw("SHOW "+name).Scan(&is).Error)
		require.Equal(t, want, is, name)
	}
}

// Invitations stay in the order of the list that they were made from.
func TestInvitationsStayInOrder(t *testing.T) {
	s := open(t)
	list := make([]responses.Invitation, 700)
	for i := range list {
		list[i].Name = fmt.Sprint(i)
	}
	require.NoError(t, s.Responses.Invite("q", list, nil))
	got, err := s.Responses.Invitations("q")
	require.NoError(t, err)
	require.Len(t, got, len(list))
	for i := range got {
		require.Equal(t, fmt.Sprint(i), got[i].Name)
	}
}

// A secret is made once, whichever server asks first, and by many at once.
func TestASecretIsMadeOnce(t *testing.T) {
	a, b := open(t), (*Store)(nil)
	if b = a; onServer() {
		a, b = twoServers(t)
	}
	var all sync.WaitGroup
	secrets := make([][]byte, 16)
	for i := range secrets {
		all.Go(func() {
			s := []*Store{a, b}[i%2]
			secret, err := s.Secret("pages")
			require.NoError(t, err)
			secrets[i] = secret
		})
	}
	all.Wait()
	for _, secret := range secrets {
		require.Len(t, secret, 32)
		require.Equal(t, secrets[0], secret)
	}
}

// The doctor sees one moment, while responses are stored on the same database.
func TestTheDoctorSeesOneMoment(t *testing.T) {
	dir := t.TempDir()
	s, err := openAt(t, dir)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	d := `{"format":"omphalos-quiz/1","name":"Wall","questions":[],"outcomes":[{"id":"visit","name":"Visit"}],"otherwise":"visit"}`
	for n := 1; n <= 2; n++ {
		require.NoError(t, s.Write.Create(&documents.Version{QuizID: "q", Number: n, Document: []byte(d), At: s.Now()}).Error)
	}
	has(t, s, "q")
	stop := make(chan struct{})
	var all sync.WaitGroup
	all.Go(func() {
		r := rand.New(rand.NewPCG(5, 5))
		for n := 0; ; n++ {
			select {
			case <-stop:
				return
			default:
				_, err := s.Responses.Submit(responses.Submission{Response: randomResponse(r, n)})
				require.NoError(t, err)
			}
		}
	})
	for range 12 {
		time.Sleep(20 * time.Millisecond)
		findings, err := Examine(placeOf(t, dir))
		require.NoError(t, err)
		require.Empty(t, findings)
	}
	close(stop)
	all.Wait()
}
