package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"omphalos/demo"
	"omphalos/demo/visitor"
)

var loadTrials = []trial{
	{"long load", "respondents at half of what it takes, edits, and Leads read meanwhile", false, (*bench).long},
	{"slow clients", "500 clients that send a byte a second, 500 that stop reading", false, (*bench).slowClients},
	{"half-begun walks", "10,000 respondents who begin and go away, each on a connection", false, (*bench).halfBegun},
	{"windows listening", "5,000 windows of the workbench ask to listen to edits", false, (*bench).listening},
}

// times are how long requests took.
type times []time.Duration

// at is a quantile.
func (t times) at(q float64) time.Duration {
	if len(t) == 0 {
		return 0
	}
	sorted := slices.Sorted(slices.Values(t))
	return sorted[min(len(sorted)-1, int(q*float64(len(sorted))))]
}

// latencies asks for a page n times, some at once.
func latencies(page string, n, atOnce int) times {
	var mu sync.Mutex
	var out times
	var all sync.WaitGroup
	for range atOnce {
		all.Go(func() {
			client := &http.Client{Timeout: time.Minute, Transport: &http.Transport{}}
			for range n / atOnce {
				began := time.Now()
				r, err := client.Get(page)
				if err == nil {
					_, _ = io.Copy(io.Discard, r.Body)
					r.Body.Close()
				}
				took := time.Since(began)
				if err != nil || r.StatusCode != http.StatusOK {
					took = time.Minute // it counts as never
				}
				mu.Lock()
				out = append(out, took)
				mu.Unlock()
			}
		})
	}
	all.Wait()
	return out
}

// besides compares the first page of respondents at idle with the same while something continues.
func (b *bench) besides(at []string, begin func(s *server) (end func(), said string, err error)) (string, error) {
	s, err := b.start(at)
	if err != nil {
		return "", err
	}
	defer s.kill()
	page := s.url + "/q/" + visitor.Slug
	const n, atOnce = 4000, 4
	latencies(page, 400, atOnce) // warm
	idle := latencies(page, n, atOnce)
	end, said, err := begin(s)
	if err != nil {
		return "", err
	}
	while := latencies(page, n, atOnce)
	end()
	ratio := float64(while.at(0.99)) / float64(idle.at(0.99))
	came := fmt.Sprintf("%s the first page takes %.1f ms at p99, %.2f times as long as at idle",
		said, ms(while.at(0.99)), ratio)
	if ratio > 2 {
		return came, errors.New("more than twice")
	}
	return came, nil
}

func (b *bench) slowClients() (string, error) {
	at, err := b.filled(false)
	if err != nil {
		return "", err
	}
	return b.besides(at, func(s *server) (func(), string, error) {
		host := strings.TrimPrefix(s.url, "http://")
		ctx, stop := context.WithCancel(context.Background())
		var all sync.WaitGroup
		for k := range 1000 {
			all.Go(func() {
				for ctx.Err() == nil { // who is cut off comes again
					c, err := net.Dial("tcp", host)
					if err != nil {
						return
					}
					if k%2 == 0 {
						drip(ctx, c)
					} else {
						ask := "GET /assets/dist/app.css HTTP/1.1\r\nHost: " + host + "\r\n\r\n"
						_, _ = io.WriteString(c, strings.Repeat(ask, 20))
						select { // and reads nothing
						case <-ctx.Done():
						case <-time.After(30 * time.Second):
						}
					}
					c.Close()
				}
			})
		}
		time.Sleep(2 * time.Second)
		return func() { stop(); all.Wait() }, "", nil
	})
}

// drip sends a request a byte a second.
func drip(ctx context.Context, c net.Conn) {
	text := "POST /q/" + visitor.Slug + " HTTP/1.1\r\nHost: quiz\r\n" +
		"Content-Type: application/x-www-form-urlencoded\r\nContent-Length: 5000\r\n\r\n"
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	for i := range len(text) {
		if _, err := c.Write([]byte{text[i]}); err != nil {
			return // it was cut off
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

func (b *bench) halfBegun() (string, error) {
	at, err := b.filled(false)
	if err != nil {
		return "", err
	}
	return b.besides(at, func(s *server) (func(), string, error) {
		const walks = 10_000
		var left []*http.Transport
		var mu sync.Mutex
		var failed atomic.Int64
		var all sync.WaitGroup
		for k := range 50 {
			all.Go(func() {
				for i := range walks / 50 {
					t := &http.Transport{}
					client := &http.Client{Transport: t, Timeout: 30 * time.Second}
					if err := visitor.Begin(client, s.url, 1+(k+i)%3); err != nil {
						failed.Add(1)
					}
					mu.Lock()
					left = append(left, t) // its connection stands open
					mu.Unlock()
				}
			})
		}
		all.Wait()
		if n := failed.Load(); n > 0 {
			return nil, "", fmt.Errorf("%d of %d could not begin", n, walks)
		}
		return func() {
			for _, t := range left {
				t.CloseIdleConnections()
			}
		}, "all of them could begin;", nil
	})
}

// signedIn is a client of the owner.
func signedIn(base string) (*http.Client, error) {
	jar, err := cookiejar.New(nil)
	if err != nil {
		return nil, err
	}
	client := &http.Client{Jar: jar, Timeout: time.Minute, Transport: &http.Transport{MaxConnsPerHost: 0}}
	r, err := client.PostForm(base+"/sign-in", url.Values{"email": {demo.Owner}, "password": {password}})
	if err != nil {
		return nil, err
	}
	defer r.Body.Close()
	if r.StatusCode != http.StatusOK {
		return nil, fmt.Errorf("signing in: %s", r.Status)
	}
	return client, nil
}

func (b *bench) listening() (string, error) {
	at, err := b.filled(false)
	if err != nil {
		return "", err
	}
	id, err := quizID(at)
	if err != nil {
		return "", err
	}
	return b.besides(at, func(s *server) (func(), string, error) {
		client, err := signedIn(s.url)
		if err != nil {
			return nil, "", err
		}
		client.Timeout = 0
		ctx, stop := context.WithCancel(context.Background())
		var all sync.WaitGroup
		var hear, later atomic.Int64
		turns := make(chan struct{}, 100)
		for range 5000 {
			all.Go(func() {
				turns <- struct{}{}
				r, err := http.NewRequestWithContext(ctx, http.MethodGet, s.url+"/quizzes/"+id+"/events", nil)
				if err != nil {
					return
				}
				answer, err := client.Do(r)
				<-turns
				if err != nil {
					return
				}
				defer answer.Body.Close()
				if answer.StatusCode != http.StatusOK {
					later.Add(1)
					return
				}
				hear.Add(1)
				_, _ = io.Copy(io.Discard, answer.Body)
			})
		}
		if !eventually(time.Minute, func() bool { return hear.Load()+later.Load() == 5000 }) {
			stop()
			return nil, "", fmt.Errorf("%d of 5000 were answered", hear.Load()+later.Load())
		}
		said := fmt.Sprintf("%d hear, %d are asked to look later;", hear.Load(), later.Load())
		return func() { stop(); all.Wait() }, said, nil
	})
}

func quizID(at []string) (string, error) {
	s, err := opened(at)
	if err != nil {
		return "", err
	}
	q, err := s.Documents.QuizBySlug(visitor.Slug)
	if err != nil {
		return "", errors.Join(err, s.Close())
	}
	return q.ID, s.Close()
}

// figure reads one of the program's figures.
func figure(base, name string) float64 {
	r, err := http.Get(base + "/metrics")
	if err != nil {
		return -1
	}
	defer r.Body.Close()
	text, _ := io.ReadAll(r.Body)
	m := regexp.MustCompile(`(?m)^` + name + ` (\S+)$`).FindSubmatch(text)
	if m == nil {
		return -1
	}
	n, _ := strconv.ParseFloat(string(m[1]), 64)
	return n
}

// token is one of the owner, for reading and writing.
func (b *bench) token(at []string) (string, error) {
	words := []string{"token", "--account", demo.Owner, "--name", "hurt", "--scopes", "read,write"}
	said, err := exec.Command(b.program, append(words, at...)...).Output()
	if err != nil {
		return "", err
	}
	return strings.Fields(string(said))[0], nil
}

// watch looks at a server until the end of a context: from minute 2 of ten on.
func (b *bench) watch(ctx context.Context, s *server) (memory, goroutines, files []float64) {
	for began := time.Now(); ctx.Err() == nil; {
		time.Sleep(2 * time.Second)
		if time.Since(began) < b.minutes/5 {
			continue
		}
		memory = append(memory, figure(s.url, "process_resident_memory_bytes"))
		goroutines = append(goroutines, figure(s.url, "go_goroutines"))
		files = append(files, float64(openFiles(s.Process.Pid)))
	}
	return memory, goroutines, files
}

// long looks at memory, goroutines and files under mixed load.
func (b *bench) long() (string, error) {
	at, err := b.filled(false)
	if err != nil {
		return "", err
	}
	id, err := quizID(at)
	if err != nil {
		return "", err
	}
	token, err := b.token(at)
	if err != nil {
		return "", err
	}
	s, err := b.start(at)
	if err != nil {
		return "", err
	}
	defer s.kill()
	c := gather(b.clients, func() string { return s.url }) // what it takes
	time.Sleep(8 * time.Second)
	most := float64(c.count()) / 8
	c.end()

	l := &load{base: s.url, quiz: id, token: token}
	ctx, stop := context.WithTimeout(context.Background(), b.minutes)
	defer stop()
	l.begin(ctx, most/2, b.clients)
	memory, goroutines, files := b.watch(ctx, s)
	l.all.Wait()
	if err := s.end(); err != nil {
		return "", err
	}
	grew := later(memory)/earlier(memory) - 1
	came := fmt.Sprintf("%v, %.0f responses a second (it takes %.0f) and %d requests: ",
		b.minutes, most/2, most, len(l.took))
	came += fmt.Sprintf("memory %+.1f %% (%.0f MB at the end), ", 100*grew, later(memory)/1e6)
	came += fmt.Sprintf("goroutines %+.0f of %.0f, files %+.0f of %.0f; ",
		later(goroutines)-earlier(goroutines), later(goroutines), later(files)-earlier(files), later(files))
	came += fmt.Sprintf("p99.9 %.0f ms, slowest %.0f ms; %d failed",
		ms(l.took.at(0.999)), ms(l.took.at(1)), l.failed.Load())
	switch {
	case grew > 0.1:
		err = errors.New("memory grows")
	case later(goroutines) > 1.1*earlier(goroutines)+20, later(files) > 1.1*earlier(files)+20:
		err = errors.New("goroutines or files grow")
	case l.took.at(0.999) > time.Second:
		err = errors.New("too slow at p99.9")
	case l.failed.Load() > 0:
		err = errors.New("requests failed")
	default:
		err = b.sound(at)
	}
	return came, err
}

// earlier and later are the middle of the first and of the last fifth.
func earlier(list []float64) float64 { return middle(list[:len(list)/5+1]) }
func later(list []float64) float64   { return middle(list[len(list)-len(list)/5-1:]) }

func middle(list []float64) float64 { return slices.Sorted(slices.Values(list))[len(list)/2] }

func openFiles(pid int) int {
	list, _ := os.ReadDir(fmt.Sprintf("/proc/%d/fd", pid))
	return len(list)
}

// load is respondents, edits and readers of Leads at a rate.
type load struct {
	base, quiz, token string
	began             time.Time
	all               sync.WaitGroup
	mu                sync.Mutex
	took              times
	failed            atomic.Int64
}

// RoundTrip measures requests.
func (l *load) RoundTrip(r *http.Request) (*http.Response, error) {
	began := time.Now()
	answer, err := http.DefaultTransport.RoundTrip(r)
	l.mu.Lock()
	l.took = append(l.took, time.Since(began))
	l.mu.Unlock()
	return answer, err
}

func (l *load) begin(ctx context.Context, rate float64, clients int) {
	l.began = time.Now()
	http.DefaultTransport.(*http.Transport).MaxIdleConnsPerHost = clients
	client := &http.Client{Transport: l, Timeout: 30 * time.Second}
	due := make(chan int, clients)
	l.all.Go(func() {
		tick := time.NewTicker(time.Duration(float64(time.Second) / max(1, rate)))
		defer tick.Stop()
		defer close(due)
		for n := 0; ; n++ {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
				select {
				case due <- n:
				default: // all are busy
				}
			}
		}
	})
	for range clients {
		l.all.Go(func() {
			for n := range due {
				if visitor.Finish(client, l.base, fmt.Sprintf("l%d@hurt.example", n)) != nil {
					l.failed.Add(1)
				}
			}
		})
	}
	every := func(period time.Duration, do func(n int) error) {
		l.all.Go(func() {
			tick := time.NewTicker(period)
			defer tick.Stop()
			for n := 0; ; n++ {
				select {
				case <-ctx.Done():
					return
				case <-tick.C:
					if do(n) != nil {
						l.failed.Add(1)
					}
				}
			}
		})
	}
	every(time.Second, func(n int) error { return l.edit(client, n) })
	every(500*time.Millisecond, func(int) error { return l.api(client, "GET", "/results") })
	every(700*time.Millisecond, func(int) error { return l.api(client, "GET", "/responses?limit=100") })
}

// edit changes a weight of the draft.
func (l *load) edit(client *http.Client, n int) error {
	patch := []map[string]any{{"op": "replace", "path": "/name", "value": fmt.Sprint("Living wall ", n)}}
	body, err := json.Marshal(patch)
	if err != nil {
		return err
	}
	tag, err := l.ask(client, "GET", "/draft", "", nil)
	if err == nil {
		_, err = l.ask(client, "PATCH", "/draft", tag, body)
	}
	return err
}

func (l *load) api(client *http.Client, method, path string) error {
	_, err := l.ask(client, method, path, "", nil)
	return err
}

// ask asks the API, and returns the tag of what it answers with; a change is made to what has a tag.
func (l *load) ask(client *http.Client, method, path, tag string, body []byte) (string, error) {
	r, err := http.NewRequest(method, l.base+"/api/v1/quizzes/"+l.quiz+path, bytes.NewReader(body))
	if err != nil {
		return "", err
	}
	r.Header.Set("Authorization", "Bearer "+l.token)
	r.Header.Set("Content-Type", "application/json-patch+json")
	if tag != "" {
		r.Header.Set("If-Match", tag)
	}
	answer, err := client.Do(r)
	if err != nil {
		return "", err
	}
	defer answer.Body.Close()
	text, _ := io.ReadAll(answer.Body)
	if answer.StatusCode >= 400 {
		return "", fmt.Errorf("%s %s: %s %.200s", method, path, answer.Status, text)
	}
	return answer.Header.Get("ETag"), nil
}
