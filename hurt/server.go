package main

import (
	"bufio"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"

	"omphalos/app/store"
	"omphalos/demo"
)

// filled is a new place for data with the demonstration in it: a folder, or a schema on the server.
func (b *bench) filled(server bool) (at []string, err error) {
	dir := filepath.Join(b.dir, strings.ToLower(rand.Text()))
	o := store.Options{}
	if server {
		if o.Database, err = b.schema(); err != nil {
			return nil, err
		}
	}
	s, err := store.Open(dir, o)
	if err != nil {
		return nil, err
	}
	err = errors.Join(demo.Fill(s, "http://127.0.0.1:1", password, time.Now()), s.Close())
	at = []string{"--data", dir}
	if server {
		at = append(at, "--database", o.Database)
	}
	return at, err
}

// password is that of the demonstration's owner.
var password = strings.ToLower(rand.Text())

func (b *bench) schema() (string, error) {
	ctx := context.Background()
	c, err := pgx.Connect(ctx, b.database)
	if err != nil {
		return "", err
	}
	defer c.Close(ctx)
	name := "h_" + strings.ToLower(rand.Text())
	_, err = c.Exec(ctx, "CREATE SCHEMA "+name)
	return b.database + "&search_path=" + name, err
}

// opened is a store on such a place.
func opened(at []string) (*store.Store, error) {
	o := store.Options{}
	if len(at) > 2 {
		o.Database = at[3]
	}
	return store.Open(at[1], o)
}

// server is the program at work.
type server struct {
	*exec.Cmd
	url   string
	said  *lines        // on standard error
	ended chan struct{} // closed when it has
	err   error         // how it ended
}

// lines keeps what a program said, to some bound.
type lines struct {
	mu   sync.Mutex
	text []byte
}

func (l *lines) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if len(l.text) < 1<<20 {
		l.text = append(l.text, p...)
	}
	return len(p), nil
}

func (l *lines) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return string(l.text)
}

// start starts the program; before are words in front of it, such as those of strace.
func (b *bench) start(at []string, before ...string) (*server, error) {
	words := append(append(before, b.program, "serve", "--addr", "127.0.0.1:0"), at...)
	s := &server{Cmd: exec.Command(words[0], words[1:]...), said: &lines{}, ended: make(chan struct{})}
	s.Stderr = s.said
	out, err := s.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := s.Start(); err != nil {
		return nil, err
	}
	scan := bufio.NewScanner(out)
	for scan.Scan() {
		if i := strings.Index(scan.Text(), "http://"); i >= 0 {
			s.url = strings.TrimSpace(scan.Text()[i:])
			break
		}
	}
	go func() {
		_, _ = io.Copy(io.Discard, out)
		s.err = s.Wait()
		close(s.ended)
	}()
	if s.url == "" {
		<-s.ended
		return nil, fmt.Errorf("it did not start: %s", strings.TrimSpace(s.said.String()))
	}
	return s, nil
}

// served is a server on a new place with the demonstration in it.
func (b *bench) served(onServer bool) (at []string, s *server, err error) {
	if at, err = b.filled(onServer); err != nil {
		return nil, nil, err
	}
	s, err = b.start(at)
	return at, s, err
}

// kill ends it at once, as a machine that fails does.
func (s *server) kill() {
	_ = exec.Command("pkill", "-KILL", "-P", strconv.Itoa(s.Process.Pid)).Run()
	_ = s.Process.Kill()
	<-s.ended
}

// end asks it to end, and waits.
func (s *server) end() error {
	_ = s.Process.Signal(os.Interrupt)
	// Anyone who stands in front of it passes no signal on.
	_ = exec.Command("pkill", "-INT", "-P", strconv.Itoa(s.Process.Pid)).Run()
	select {
	case <-s.ended:
		return s.err
	case <-time.After(30 * time.Second):
		s.kill()
		return errors.New("it did not end in 30 s")
	}
}

// sound asks doctor.
func (b *bench) sound(at []string) error {
	out, err := exec.Command(b.program, append([]string{"doctor"}, at...)...).CombinedOutput()
	if err != nil {
		return fmt.Errorf("doctor: %s", strings.TrimSpace(string(out)))
	}
	return nil
}

// healthy reports whether the server says that its database takes what is written.
func healthy(url string) bool {
	r, err := (&http.Client{Timeout: 5 * time.Second}).Get(url + "/healthz")
	if err != nil {
		return false
	}
	r.Body.Close()
	return r.StatusCode == http.StatusOK
}

// eventually waits for something, for at most a while.
func eventually(most time.Duration, what func() bool) bool {
	for end := time.Now().Add(most); time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
		if what() {
			return true
		}
	}
	return what()
}
