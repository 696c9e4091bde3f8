// Command measure tells what things cost as they grow: pages of respondents, submissions, the answer to an edit, Leads
// and the replay, at 1, 10 and 100 times as many quizzes, questions and responses. Each stands beside a limit that is
// measured in the same run; what counts is the ratio, and whether it grows.
//
//	go run ./measure -into docs/performance.md
package main

import (
	"context"
	"database/sql"
	_ "embed"
	"flag"
	"fmt"
	"log"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"text/template"
	"time"

	_ "github.com/mattn/go-sqlite3"
	"golang.org/x/sync/errgroup"

	"omphalos/app"
	"omphalos/app/store"
	"omphalos/core/quiz"
	"omphalos/core/reach"
	"omphalos/core/rule"
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
	responses = 1000
)

// line is what one thing costs at each factor, and its limit.
type line struct {
	what, limit string
	cost, least []time.Duration
}

func main() {
	log.SetFlags(0)
	into := flag.String("into", "", "file that the tables are written into, such as docs/performance.md")
	flag.Parse()
	dir, err := os.MkdirTemp("", "measure")
	if err != nil {
		log.Fatal(err)
	}
	defer os.RemoveAll(dir)
	m := &measured{
		page:    line{what: "first page of a quiz", limit: "the same bytes, ready"},
		submit:  line{what: "a response stored, of 64 at once", limit: "the bare rows, committed 64 at once"},
		leads:   line{what: "Leads, opened", limit: "Leads with 1,000 responses"},
		replay:  line{what: "a response replayed in the draft", limit: "the walk alone"},
		edit:    line{what: "an edit of a weight, counted", limit: "the convolution of the scale"},
		perByte: map[int]int64{},
	}
	for _, f := range factors {
		if err := m.at(filepath.Join(dir, fmt.Sprint(f)), f); err != nil {
			os.RemoveAll(dir)
			log.Fatal(err)
		}
	}
	text, err := m.text()
	if err != nil {
		os.RemoveAll(dir)
		log.Fatal(err)
	}
	fmt.Print(text)
	if *into != "" {
		if err := os.WriteFile(*into, []byte(text), 0o644); err != nil {
			log.Fatal(err)
		}
	}
}

type measured struct {
	page, submit, leads, replay, edit line
	perByte                           map[int]int64 // by factor: bytes of the database
}

// at measures everything at one factor.
func (m *measured) at(dir string, factor int) error {
	s, err := store.Open(dir)
	if err != nil {
		return err
	}
	defer s.Close()
	password := "measured with a long password"
	if err := demo.Fill(s, "http://127.0.0.1:1", password, time.Now()); err != nil {
		return err
	}
	for n := range quizzes * factor {
		if _, err := s.CreateQuiz(quiz.New(fmt.Sprint("Another ", n))); err != nil {
			return err
		}
	}
	q, err := s.QuizBySlug(visitor.Slug)
	if err != nil {
		return err
	}
	if err := demo.Many(s, q.ID, 0, responses*factor, time.Now()); err != nil {
		return err
	}
	size, err := s.Size()
	if err != nil {
		return err
	}
	m.perByte[factor] = size
	handler, err := app.New(s, app.Options{Now: time.Now, Patient: true})
	if err != nil {
		return err
	}
	for _, measure := range []func() error{
		func() error { return m.pages(handler) },
		func() error { return m.rooms(handler, q.ID, password) },
		func() error { return m.replayed(s, q.ID) },
		func() error { return m.submitted(s, q.ID, dir) },
		func() error { return m.edited(questions * factor) },
	} {
		if err := measure(); err != nil {
			return err
		}
	}
	return nil
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

func (m *measured) pages(h http.Handler) error {
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
	m.page.add(cost, least)
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
	d, err := s.VersionDocument(id, 1)
	if err != nil {
		return err
	}
	c, err := walk.New(d)
	if err != nil {
		return err
	}
	var inputs []walk.Input
	all := func(each func(walk.Input)) error {
		for r, err := range s.Reader(id, store.Genuine).Lean().All() {
			if err != nil {
				return err
			}
			a, err := r.Answered()
			if err != nil {
				return err
			}
			each(walk.Input{
				Answers: a.Answers, Params: a.Params, Today: a.StartedAt.Format(time.DateOnly),
				Visitor: walk.Visitor{Country: a.Country, Language: a.Language, Device: a.Device},
			})
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

// together is how many respondents finish at once.
const together = 64

func (m *measured) submitted(s *store.Store, id, dir string) error {
	n := 0
	group := func(submit func(n int) error) (time.Duration, error) {
		cost, err := each(30, func() error {
			var all errgroup.Group
			for range together {
				n++
				at := n
				all.Go(func() error { return submit(at) })
			}
			return all.Wait()
		})
		return cost / together, err
	}
	sample := func(n int) *store.Response {
		now := time.Now()
		return &store.Response{
			ID: fmt.Sprint("measured", n), QuizID: id, Version: 1, Kept: true,
			Outcome: "visit", Verdict: "1", Reason: "as it is",
			Scores:  []byte(`{"scale.fit":"12","scale.urgency":"7"}`),
			Answers: []byte(`{"area":{"picks":["medium"]},"light":{"picks":["bright"]},"staff":{"number":30}}`),
			Name:    "Orla Quill-Tarn", Email: fmt.Sprintf("orla%d@fenhall.example", n),
			Contact: []byte(`{"email":"orla@fenhall.example"}`),
			Day:     now.Format(time.DateOnly), StartedAt: now.Add(-time.Minute), At: now,
		}
	}
	cost, err := group(func(n int) error { _, err := s.Submit(sample(n)); return err })
	if err != nil {
		return err
	}
	const settings = "?_journal_mode=WAL&_synchronous=FULL&_txlock=immediate"
	db, err := sql.Open("sqlite3", "file:"+filepath.Join(dir, "bare.db")+settings)
	if err != nil {
		return err
	}
	defer db.Close()
	const bareTable = `CREATE TABLE bare
		(id text PRIMARY KEY, at text, name text, email text, answers blob, scores blob, contact blob)`
	if _, err := db.Exec(bareTable); err != nil {
		return err
	}
	bare, err := each(30, func() error {
		tx, err := db.Begin()
		for k := 0; err == nil && k < together; k++ {
			n++
			r := sample(n)
			_, err = tx.Exec("INSERT INTO bare VALUES (?, ?, ?, ?, ?, ?, ?)",
				r.ID, r.At, r.Name, r.Email, r.Answers, r.Scores, r.Contact)
		}
		if err == nil {
			err = tx.Commit()
		}
		return err
	})
	m.submit.add(cost, bare/together)
	return err
}

// edited counts a document of one scale after each edit of a weight.
func (m *measured) edited(n int) error {
	d := quiz.New("Measured")
	d.Scales = []quiz.Scale{{ID: "s"}}
	for q := range n {
		one := quiz.Question{ID: fmt.Sprint("q", q), Kind: quiz.Single, Required: true}
		for c := range 5 {
			points := map[string]rule.Number{"s": rule.Int(int64(c))}
			one.Choices = append(one.Choices, quiz.Choice{ID: fmt.Sprint("c", c), Points: points})
		}
		d.Questions = append(d.Questions, one)
	}
	d.Outcomes = []quiz.Outcome{{ID: "low"}, {ID: "high"}}
	d.Otherwise = "low"
	d.Verdicts = []quiz.Verdict{{Bands: &quiz.Bands{On: "scale.s", Cuts: []quiz.Cut{
		{From: rule.Int(0), Outcome: "low"}, {From: rule.Int(int64(2 * n)), Outcome: "high"},
	}}}}
	var counter reach.Counter
	k := 0
	cost, err := each(max(1, 200/n), func() error {
		k++
		d.Questions[n/2].Choices[2].Points["s"] = rule.Int(int64(k % 4))
		_, err := counter.Check(context.Background(), d, reach.Options{Budget: reach.EditBudget})
		return err
	})
	if err != nil {
		return err
	}
	least, err := each(max(1, 2000/n), func() error { convolve(n); return nil })
	m.edit.add(cost, least)
	return err
}

// convolve is the distribution of the sum of n questions with 0 to 4 points.
func convolve(n int) []float64 {
	list := []float64{1}
	for range n {
		next := make([]float64, len(list)+4)
		for v, p := range list {
			for c := range 5 {
				next[v+c] += p * 0.2
			}
		}
		list = next
	}
	return list
}

//go:embed page.md
var pageText string

// figures are what the page says.
type figures struct {
	Date                        string
	Cores                       int
	Quizzes, Questions, Most    int
	Responses                   int
	Rows                        []figureRow
	Bytes, Gigabytes, PerSecond float64 // of a response; of 100 million; how many are stored
	Hours, Replay               float64 // until these have come in; seconds for a million replayed
	Edit                        string
}

// figureRow is one line of the table, with its cells.
type figureRow struct{ What, Limit, One, Ten, Hundred, Growth string }

// text is the page.
func (m *measured) text() (string, error) {
	last := len(factors) - 1
	perByte := float64(m.perByte[factors[last]]-m.perByte[1]) / float64((factors[last]-1)*responses)
	perSecond := float64(time.Second) / float64(m.submit.cost[last])
	f := figures{
		Date: time.Now().Format("2 January 2006"), Cores: runtime.NumCPU(), Quizzes: quizzes, Questions: questions,
		Most: questions * factors[last], Responses: responses, Bytes: perByte, Gigabytes: perByte * 1e8 / 1e9,
		PerSecond: perSecond, Hours: 1e8 / perSecond / 3600, Replay: 1e6 * m.replay.cost[last].Seconds(),
		Edit: micro(m.edit.cost[last]),
	}
	for _, l := range []line{m.page, m.submit, m.leads, m.replay, m.edit} {
		f.Rows = append(f.Rows, l.row())
	}
	page, err := template.New("page").Parse(pageText)
	if err != nil {
		return "", err
	}
	var b strings.Builder
	err = page.Execute(&b, f)
	return b.String(), err
}

func (l *line) row() figureRow {
	ratios, cells := make([]float64, len(factors)), make([]string, len(factors))
	for i := range factors {
		ratios[i] = float64(l.cost[i]) / float64(l.least[i])
		cells[i] = fmt.Sprintf("%s (%.1f ×)", micro(l.cost[i]), ratios[i])
	}
	return figureRow{l.what, l.limit, cells[0], cells[1], cells[2], fmt.Sprintf("%.2f", slices.Max(ratios)/ratios[0])}
}

func micro(d time.Duration) string {
	if d >= 10*time.Millisecond {
		return fmt.Sprintf("%.0f ms", float64(d)/1e6)
	}
	return fmt.Sprintf("%.0f µs", float64(d)/1e3)
}
