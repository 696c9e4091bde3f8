// Command measure tells what things cost as they grow: pages of respondents, submissions, the answer to an edit, Leads and
// the replay, at 1, 10 and 100 times as many quizzes, questions and responses. Each stands beside a limit that is measured
// in the same run; what counts is the ratio, and whether it grows.
//
//	go run ./measure -into docs/performance.md
package main

import (
	"context"
	"database/sql"
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
	text := m.text()
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
	cost, err := each(20, func() error { _, err := get(h, "/quizzes/"+id+"/leads", strings.Join(cookies, "; ")); return err })
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
			ID: fmt.Sprint("measured", n), QuizID: id, Version: 1, Kept: true, Outcome: "visit", Verdict: "1", Reason: "as it is",
			Scores: []byte(`{"scale.fit":"12","scale.urgency":"7"}`), Name: "Orla Quill-Tarn", Email: fmt.Sprintf("orla%d@fenhall.example", n),
			Answers: []byte(`{"area":{"picks":["medium"]},"light":{"picks":["bright"]},"budget":{"picks":["b10"]},"staff":{"number":30}}`),
			Contact: []byte(`{"email":"orla@fenhall.example"}`), Day: now.Format(time.DateOnly), StartedAt: now.Add(-time.Minute), At: now,
		}
	}
	cost, err := group(func(n int) error { _, err := s.Submit(sample(n)); return err })
	if err != nil {
		return err
	}
	db, err := sql.Open("sqlite3", "file:"+filepath.Join(dir, "bare.db")+"?_journal_mode=WAL&_synchronous=FULL&_txlock=immediate")
	if err != nil {
		return err
	}
	defer db.Close()
	if _, err := db.Exec("CREATE TABLE bare (id text PRIMARY KEY, at text, name text, email text, answers blob, scores blob, contact blob)"); err != nil {
		return err
	}
	bare, err := each(30, func() error {
		tx, err := db.Begin()
		for k := 0; err == nil && k < together; k++ {
			n++
			r := sample(n)
			_, err = tx.Exec("INSERT INTO bare VALUES (?, ?, ?, ?, ?, ?, ?)", r.ID, r.At, r.Name, r.Email, r.Answers, r.Scores, r.Contact)
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
			one.Choices = append(one.Choices, quiz.Choice{ID: fmt.Sprint("c", c), Points: map[string]rule.Number{"s": rule.Int(int64(c))}})
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

// text is the page.
func (m *measured) text() string {
	var b strings.Builder
	fmt.Fprintf(&b, `# Cost as it grows

Written by `+"`make measure`"+` on %s, on a machine with %d cores. At 1 × there are %d quizzes beside the demonstration, %d questions in the quiz that is
edited, and %d responses; at 10 × and 100 × ten and a hundred times as many of each. Each cost stands beside a limit that was measured in the same run:
what counts is the ratio, and whether it grows. Absolute figures are those of this machine.

| | limit | 1 × | 10 × | 100 × | growth of the ratio |
|---|---|---|---|---|---|
`, time.Now().Format("2 January 2006"), runtime.NumCPU(), quizzes, questions, responses)
	for _, l := range []line{m.page, m.submit, m.leads, m.replay, m.edit} {
		fmt.Fprintf(&b, "| %s | %s |", l.what, l.limit)
		var ratios []float64
		for i := range l.cost {
			ratios = append(ratios, float64(l.cost[i])/float64(l.least[i]))
			fmt.Fprintf(&b, " %s (%.1f ×) |", micro(l.cost[i]), ratios[i])
		}
		fmt.Fprintf(&b, " %.2f |\n", slices.Max(ratios)/ratios[0])
	}
	most := factors[len(factors)-1]
	each := float64(m.perByte[most]-m.perByte[1]) / float64((most-1)*responses)
	perSecond := float64(time.Second) / float64(m.submit.cost[len(m.submit.cost)-1])
	fmt.Fprintf(&b, `
## The next factors of ten, on paper

A response takes %.0f bytes with its words and indexes. So 1,000 launches with 100 million responses take %.0f GB: a disk holds that, a backup of the file
takes as long as copying it, and %.0f responses a second (what this machine stores) would bring them in %.0f hours. What grows with them:

- **Pages, submissions, the figures of the rooms** do not: pages depend on the version that runs, figures on tallies with a line for each value. Submissions
  touch the same few lines of tallies and an index whose depth grows by one level for each factor of some hundred.
- **Leads** reads a page by its index. A filter that no index serves reads the index of its quiz alone: a million responses of one quiz take a second, ten million
  ten. Past that, filters need tallies of their own, or partitions by month, which PostgreSQL has.
- **The replay** reads what it replays: %.0f s for a million responses. It can be told to draw; past ten million it should do that by itself.
- **The count** depends on the quiz alone. A quiz of %d questions with one scale is edited in %s.
- **One writer** is the bound of submissions, on a file and on a server (transactions that write come one after another). Several databases with the launches spread over them
  are the way past it; nothing of a launch leads to another one but accounts.
`, each, each*1e8/1e9, perSecond, 1e8/perSecond/3600, 1e6*m.replay.cost[len(m.replay.cost)-1].Seconds(), questions*most, micro(m.edit.cost[len(m.edit.cost)-1]))
	return b.String()
}

func micro(d time.Duration) string {
	if d >= 10*time.Millisecond {
		return fmt.Sprintf("%.0f ms", float64(d)/1e6)
	}
	return fmt.Sprintf("%.0f µs", float64(d)/1e3)
}
