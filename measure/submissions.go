package main

import (
	"context"
	"database/sql"
	"fmt"
	"path/filepath"
	"time"

	"github.com/jackc/pgx/v5"
	_ "github.com/mattn/go-sqlite3"
	"golang.org/x/sync/errgroup"

	"omphalos/app/store"
	"omphalos/app/store/responses"
)

// together is how many respondents finish at once, besides those whose number grows.
const together = 64

// submitter stores invented responses, and bare rows next to them.
type submitter struct {
	store *store.Store
	quiz  string
	bare  bareTable
	n     int
}

// sample is the next response.
func (s *submitter) sample(n int) *responses.Response {
	now := time.Now()
	return &responses.Response{
		ID: fmt.Sprint("measured", n), QuizID: s.quiz, Version: 1, Kept: true,
		Outcome: "visit", Verdict: "1", Reason: "as it is",
		Scores:  []byte(`{"scale.fit":"12","scale.urgency":"7"}`),
		Answers: []byte(`{"area":{"picks":["medium"]},"light":{"picks":["bright"]},"staff":{"number":30}}`),
		Name:    "Orla Quill-Tarn", Email: fmt.Sprintf("orla%d@fenhall.example", n),
		Contact: []byte(`{"email":"orla@fenhall.example"}`),
		Day:     now.Format(time.DateOnly), StartedAt: now.Add(-time.Minute), At: now,
	}
}

// stored is what a response costs when so many are finished at once, and the bare rows committed so many at once.
func (s *submitter) stored(atOnce int) (cost, least time.Duration, err error) {
	rounds := max(5, 2000/atOnce)
	cost, err = each(rounds, func() error {
		var all errgroup.Group
		for range atOnce {
			s.n++
			at := s.n
			all.Go(func() error {
				_, err := s.store.Responses.Submit(responses.Submission{Response: s.sample(at)})
				return err
			})
		}
		return all.Wait()
	})
	if err != nil {
		return 0, 0, err
	}
	least, err = each(rounds, func() error {
		rows := make([]*responses.Response, atOnce)
		for k := range rows {
			s.n++
			rows[k] = s.sample(s.n)
		}
		return s.bare.put(rows)
	})
	return cost / time.Duration(atOnce), least / time.Duration(atOnce), err
}

// bareTable takes rows without all that the program keeps next to them.
type bareTable interface {
	put([]*responses.Response) error // in one transaction
	close()
}

const bareColumns = "(id text PRIMARY KEY, at text, name text, email text, answers %[1]s, scores %[1]s, contact %[1]s)"

func bareRow(r *responses.Response) []any {
	return []any{r.ID, r.At.Format(time.RFC3339), r.Name, r.Email, r.Answers, r.Scores, r.Contact}
}

// bareFile is one in a file of its own.
type bareFile struct{ *sql.DB }

func newBareFile(dir string) (bareTable, error) {
	const settings = "?_journal_mode=WAL&_synchronous=FULL&_txlock=immediate"
	db, err := sql.Open("sqlite3", "file:"+filepath.Join(dir, "bare.db")+settings)
	if err != nil {
		return nil, err
	}
	_, err = db.Exec("CREATE TABLE bare " + fmt.Sprintf(bareColumns, "blob"))
	return bareFile{db}, err
}

func (b bareFile) put(rows []*responses.Response) error {
	tx, err := b.Begin()
	for k := 0; err == nil && k < len(rows); k++ {
		_, err = tx.Exec("INSERT INTO bare VALUES (?, ?, ?, ?, ?, ?, ?)", bareRow(rows[k])...)
	}
	if err == nil {
		err = tx.Commit()
	}
	return err
}

func (b bareFile) close() { b.Close() }

// bareCopy is one on a server, which is copied into.
type bareCopy struct{ *pgx.Conn }

func newBareCopy(address string) (bareTable, error) {
	c, err := pgx.Connect(context.Background(), address)
	if err != nil {
		return nil, err
	}
	_, err = c.Exec(context.Background(), "CREATE TABLE bare "+fmt.Sprintf(bareColumns, "bytea"))
	return bareCopy{c}, err
}

func (b bareCopy) put(rows []*responses.Response) error {
	columns := []string{"id", "at", "name", "email", "answers", "scores", "contact"}
	from := pgx.CopyFromSlice(len(rows), func(i int) ([]any, error) { return bareRow(rows[i]), nil })
	_, err := b.CopyFrom(context.Background(), pgx.Identifier{"bare"}, columns, from)
	return err
}

func (b bareCopy) close() { b.Close(context.Background()) }
