package main

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"sync"
	"sync/atomic"
	"time"

	"omphalos/app/store/responses"
	"omphalos/demo/visitor"
)

var killTrials = []trial{
	{"kill, SQLite", "`kill -9` at random moments while respondents answer", false,
		func(b *bench) (string, error) { return b.killed(false) }},
	{"kill, PostgreSQL", "the same, with the data on a server", true,
		func(b *bench) (string, error) { return b.killed(true) }},
	{"kill one of two", "`kill -9` of one of two servers on one database; respondents change over", true,
		(*bench).killedOfTwo},
}

// crowd is respondents who answer until they are told to stop, and what was acknowledged to them.
type crowd struct {
	base     func() string
	stop     atomic.Bool
	all      sync.WaitGroup
	mu       sync.Mutex
	finished []string // by email address
	broken   int      // walks that broke off
}

// gather begins with some respondents; base is where they go now.
func gather(n int, base func() string) *crowd {
	c := &crowd{base: base}
	for k := range n {
		c.all.Go(func() {
			client := &http.Client{Timeout: 10 * time.Second, Transport: &http.Transport{}}
			for i := 0; !c.stop.Load(); i++ {
				email := fmt.Sprintf("r%d-%d@hurt.example", k, i)
				err := visitor.Finish(client, c.base(), email)
				c.mu.Lock()
				if err == nil {
					c.finished = append(c.finished, email)
				} else {
					c.broken++
				}
				c.mu.Unlock()
				if err != nil {
					time.Sleep(20 * time.Millisecond) // as someone who reloads
				}
			}
		})
	}
	return c
}

func (c *crowd) count() int {
	c.mu.Lock()
	defer c.mu.Unlock()
	return len(c.finished)
}

func (c *crowd) end() {
	c.stop.Store(true)
	c.all.Wait()
}

// lost compares what was acknowledged with what is stored.
func (c *crowd) lost(at []string) (lost, doubled int, err error) {
	s, err := opened(at)
	if err != nil {
		return 0, 0, err
	}
	defer s.Close()
	q, err := s.Documents.QuizBySlug(visitor.Slug)
	if err != nil {
		return 0, 0, err
	}
	stored := map[string]int{}
	for r, err := range s.Responses.Reader(q.ID, responses.All).All() {
		if err != nil {
			return 0, 0, err
		}
		stored[r.Email]++
	}
	for _, email := range c.finished {
		if stored[email] == 0 {
			lost++
		}
		if stored[email] > 1 {
			doubled++
		}
	}
	return lost, doubled, nil
}

// verdict is what a crowd came to, and whether the place is sound.
func (c *crowd) verdict(b *bench, at []string) (string, error) {
	lost, doubled, err := c.lost(at)
	if err != nil {
		return "", err
	}
	came := fmt.Sprintf("%d responses acknowledged: lost %d, doubled %d", len(c.finished), lost, doubled)
	if err := b.sound(at); err != nil {
		return came, err
	}
	if lost+doubled > 0 {
		return came, fmt.Errorf("lost or doubled")
	}
	return came + "; every figure equals a recount", nil
}

// killed kills the server again and again while a crowd answers.
func (b *bench) killed(onServer bool) (string, error) {
	at, s, err := b.served(onServer)
	if err != nil {
		return "", err
	}
	var url atomic.Value
	url.Store(s.url)
	c := gather(b.clients, func() string { return url.Load().(string) })
	r := rand.New(rand.NewPCG(1, 9))
	slowest := time.Duration(0)
	for range b.kills {
		time.Sleep(time.Duration(100+r.IntN(700)) * time.Millisecond)
		s.kill()
		began := time.Now()
		if s, err = b.start(at); err != nil {
			break
		}
		slowest = max(slowest, time.Since(began))
		url.Store(s.url)
	}
	c.end()
	if err != nil {
		return "", err
	}
	if err := s.end(); err != nil {
		return "", err
	}
	came, err := c.verdict(b, at)
	return fmt.Sprintf("%d kills under %d respondents, %s; served again after %v at most",
		b.kills, b.clients, came, shortly(slowest)), err
}

// killedOfTwo kills one of two servers and starts it again, then the other.
func (b *bench) killedOfTwo() (string, error) {
	at, err := b.filled(true)
	if err != nil {
		return "", err
	}
	var servers [2]*server
	var urls [2]atomic.Value
	for i := range servers {
		if servers[i], err = b.start(at); err != nil {
			return "", err
		}
		urls[i].Store(servers[i].url)
	}
	var turn atomic.Uint64
	c := gather(b.clients, func() string { return urls[turn.Add(1)%2].Load().(string) })
	r := rand.New(rand.NewPCG(2, 9))
	n := b.kills / 4
	for k := range n {
		time.Sleep(time.Duration(200+r.IntN(700)) * time.Millisecond)
		one, other := k%2, 1-k%2
		urls[one].Store(servers[other].url) // as a proxy does
		servers[one].kill()
		time.Sleep(300 * time.Millisecond)
		if servers[one], err = b.start(at); err != nil {
			c.end()
			return "", err
		}
		urls[one].Store(servers[one].url)
	}
	c.end()
	for _, s := range servers {
		if err := s.end(); err != nil {
			return "", err
		}
	}
	came, err := c.verdict(b, at)
	return fmt.Sprintf("%d kills under %d respondents, %s; %d walks broke off and were started again",
		n, b.clients, came, c.broken), err
}
