// Command measure tells what things cost as they grow: pages of respondents, submissions, the answer to an edit, Leads
// and the replay, at 1, 10 and 100 times as many quizzes, questions, responses and clients. Each stands next to a limit
// that is measured in the same run; what counts is the ratio, and whether it grows. Next to a PostgreSQL server it is
// measured there too.
//
//	FSYNC=on scripts/with-postgres.sh go run ./measure -into docs/performance.md
package main

import (
	"context"
	"flag"
	"fmt"
	"log"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"omphalos/app"
	"omphalos/app/store"
	"omphalos/app/store/responses"
	"omphalos/core/quiz"
	"omphalos/core/walk"
	"omphalos/demo"
	"omphalos/demo/visitor"
)

// factors are how many times as much there is.
var factors = []int{1, 10, 100}

// What there is at factor 1.
const (
	quizzes   = 5
	questions = 5
	answered  = 1000
	clients   = 4
)

// line is what one thing costs at each factor, and its limit.
type line struct {
	what, limit string
	cost, least []time.Duration
}

// measured are the costs with one database.
type measured struct {
	server                                            string // its address; "" for a file
	page, clients, submit, crowd, leads, replay, edit line
	perByte                                           map[int]int64 // by factor: bytes of the database
}

func newMeasured(server string) *measured {
	bare := "the bare rows, committed as many at the same time"
	if server != "" {
		bare = "the bare rows, as many at the same time by COPY"
	}
	crowd := fmt.Sprintf("%d, %d and %d clients", clients, clients*factors[1], clients*factors[2])
	return &measured{
		server:  server,
		page:    line{what: "first page of a quiz", limit: "the same bytes, ready"},
		clients: line{what: "that page, over connections of " + crowd, limit: "the same bytes, asked by as many"},
		submit:  line{what: fmt.Sprintf("a response stored, of %d at the same time", together), limit: bare},
		crowd:   line{what: "a response stored, of " + crowd, limit: bare},
		leads:   line{what: "Leads, opened", limit: "Leads with 1,000 responses"},
		replay:  line{what: "a response replayed in the draft", limit: "the walk alone"},
		edit:    line{what: "an edit of a weight, counted", limit: "the convolution of the scale"},
		perByte: map[int]int64{},
	}
}

// name is that of the database.
func (m *measured) name() string {
	if m.server == "" {
		return "SQLite"
	}
	return "PostgreSQL"
}

func main() {
	log.SetFlags(0)
	into := flag.String("into", "", "file that the tables are written into, such as docs/performance.md")
	flag.Parse()
	if err := measure(*into); err != nil {
		log.Fatal(err)
	}
}

// measure measures on a file, and on the server next to which it runs, if it does.
func measure(into string) error {
	dir, err := os.MkdirTemp("", "measure")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	all := []*measured{newMeasured("")}
	if server := os.Getenv("OMPHALOS_TEST_DATABASE"); server != "" {
		all = append(all, newMeasured(server))
	}
	for _, m := range all {
		for _, f := range factors {
			if err := m.at(dir, f); err != nil {
				return err
			}
		}
	}
	text, err := report(all)
	if err != nil {
		return err
	}
	fmt.Print(text)
	if into == "" {
		return nil
	}
	return os.WriteFile(into, []byte(text), 0o644)
}

// place is where a database of its own is for a factor: a folder, and with a server the address of a schema there.
func (m *measured) place(dir string, factor int) (folder, address string, err error) {
	name := fmt.Sprint("x", factor)
	if m.server == "" {
		return filepath.Join(dir, name), "", nil
	}
	c, err := pgx.Connect(context.Background(), m.server)
	if err != nil {
		return "", "", err
	}
	defer c.Close(context.Background())
	_, err = c.Exec(context.Background(), "CREATE SCHEMA "+name)
	return filepath.Join(dir, name+"server"), m.server + "&search_path=" + name, err
}

// at measures everything at one factor.
func (m *measured) at(dir string, factor int) error {
	dir, address, err := m.place(dir, factor)
	if err != nil {
		return err
	}
	s, err := store.Open(dir, store.Options{Database: address})
	if err != nil {
		return err
	}
	defer s.Close()
	password := "measured with a long password"
	if err := demo.Fill(s, "http://127.0.0.1:1", password, time.Now()); err != nil {
		return err
	}
	for n := range quizzes * factor {
		if _, err := s.Documents.CreateQuiz(quiz.New(fmt.Sprint("Another ", n))); err != nil {
			return err
		}
	}
	q, err := s.Documents.QuizBySlug(visitor.Slug)
	if err != nil {
		return err
	}
	log.Printf("%s at %d ×: %d responses are made", m.name(), factor, answered*factor)
	if err := demo.Many(s, q.ID, 0, answered*factor, time.Now()); err != nil {
		return err
	}
	if m.perByte[factor], err = s.Size(); err != nil {
		return err
	}
	handler, err := app.New(s, app.Options{Now: time.Now, Patient: true})
	if err != nil {
		return err
	}
	for i, measure := range []func() error{
		func() error { return m.pages(handler, clients*factor) },
		func() error { return m.rooms(handler, q.ID, password) },
		func() error { return m.replayed(s, q.ID) },
		func() error { return m.submitted(s, q.ID, dir, address, clients*factor) },
		func() error {
			if m.server != "" {
				return nil // an edit is counted without the database
			}
			return m.edited(questions * factor)
		},
	} {
		log.Printf("%s at %d ×: step %d of 5", m.name(), factor, i+1)
		if err := measure(); err != nil {
			return err
		}
	}
	return nil
}

// submitted measures responses that are stored, and the bare rows next to them.
func (m *measured) submitted(s *store.Store, id, dir, address string, atOnce int) error {
	bare, err := newBareFile(dir)
	if address != "" {
		bare, err = newBareCopy(address)
	}
	if err != nil {
		return err
	}
	defer bare.close()
	all := submitter{store: s, quiz: id, bare: bare}
	cost, least, err := all.stored(together)
	if err != nil {
		return err
	}
	m.submit.add(cost, least)
	cost, least, err = all.stored(atOnce)
	m.crowd.add(cost, least)
	return err
}

// each is how long one of n takes, in the quickest of a few rounds.
func each(n int, do func() error) (time.Duration, error) {
	best := time.Duration(1<<62 - 1)
	for range 5 {
		runtime.GC()
		began := time.Now()
		for range n {
			if err := do(); err != nil {
				return 0, err
			}
		}
		best = min(best, time.Since(began)/time.Duration(n))
	}
	return best, nil
}

func (l *line) add(cost, least time.Duration) {
	l.cost, l.least = append(l.cost, cost), append(l.least, least)
}

func get(h http.Handler, path, cookie string) (*httptest.ResponseRecorder, error) {
	r := httptest.NewRequest(http.MethodGet, path, nil)
	if cookie != "" {
		r.Header.Set("Cookie", cookie)
	}
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	if w.Code != http.StatusOK {
		return w, fmt.Errorf("%s: %d", path, w.Code)
	}
	return w, nil
}

func (m *measured) pages(h http.Handler, clients int) error {
	w, err := get(h, "/q/"+visitor.Slug, "")
	if err != nil {
		return err
	}
	ready := w.Body.Bytes()
	bare := http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write(ready) })
	cost, err := each(2000, func() error { _, err := get(h, "/q/"+visitor.Slug, ""); return err })
	if err != nil {
		return err
	}
	least, err := each(2000, func() error { _, err := get(bare, "/q/"+visitor.Slug, ""); return err })
	if err != nil {
		return err
	}
	m.page.add(cost, least)
	asks := 8000 / clients
	if cost, err = asked(h, "/q/"+visitor.Slug, clients, asks); err == nil {
		least, err = asked(bare, "/q/"+visitor.Slug, clients, asks)
	}
	m.clients.add(cost, least)
	return err
}

func (m *measured) rooms(h http.Handler, id, password string) error {
	form := url.Values{"email": {demo.Owner}, "password": {password}}
	r := httptest.NewRequest(http.MethodPost, "/sign-in", strings.NewReader(form.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	var cookies []string
	for _, c := range w.Result().Cookies() {
		cookies = append(cookies, c.Name+"="+c.Value)
	}
	cost, err := each(20, func() error {
		_, err := get(h, "/quizzes/"+id+"/leads", strings.Join(cookies, "; "))
		return err
	})
	least := cost
	if len(m.leads.cost) > 0 {
		least = m.leads.cost[0]
	}
	m.leads.add(cost, least)
	return err
}

func (m *measured) replayed(s *store.Store, id string) error {
	d, err := s.Documents.VersionDocument(id, 1)
	if err != nil {
		return err
	}
	c, err := walk.New(d)
	if err != nil {
		return err
	}
	var inputs []walk.Input
	all := func(each func(walk.Input)) error {
		for r, err := range s.Responses.Reader(id, responses.Genuine).Lean().All() {
			if err != nil {
				return err
			}
			a, err := r.Answered()
			if err != nil {
				return err
			}
			each(a.InputIn(time.UTC))
		}
		return nil
	}
	if err := all(func(in walk.Input) { inputs = append(inputs, in) }); err != nil {
		return err
	}
	cost, err := each(1, func() error { return all(func(in walk.Input) { c.Walk(in) }) })
	if err != nil {
		return err
	}
	least, err := each(1, func() error {
		for _, in := range inputs {
			c.Walk(in)
		}
		return nil
	})
	m.replay.add(cost/time.Duration(len(inputs)), least/time.Duration(len(inputs)))
	return err
}
