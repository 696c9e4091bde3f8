package main

import (
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync/atomic"
	"time"

	"omphalos/app"
	"omphalos/app/store"
	"omphalos/demo"
)

var faultTrials = []trial{
	{"disk full", "the disk fills under respondents, and is freed again (tmpfs)", false, (*bench).diskFull},
	{"read-only folder", "a server is started on a folder that cannot be written", false, (*bench).readOnly},
	{"two on one folder", "a second server is started on a folder in use", false, (*bench).two},
	{"flipped bytes", "2,000 bytes of the database file are changed while no server runs", false, (*bench).flipped},
	{"slow disk", "every wait for the disk takes 200 ms more (strace)", false, (*bench).slowDisk},
	{"clock", "the clock steps an hour to and fro, and over a change of summer time", false, (*bench).clock},
	{"PostgreSQL restarted", "the database server is stopped immediately and started again", true, (*bench).databaseGone},
}

// onTmpfs is the data of the demonstration on a small file system of its own; gone takes it away.
func (b *bench) onTmpfs(size string) (dir string, at []string, gone func(), err error) {
	dir = filepath.Join(b.dir, "tmpfs-"+size)
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", nil, nil, err
	}
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size="+size, "tmpfs", dir).CombinedOutput(); err != nil {
		return "", nil, nil, fmt.Errorf("it needs the right to mount: %s", strings.TrimSpace(string(out)))
	}
	gone = func() { _ = exec.Command("umount", "-l", dir).Run() }
	made, err := b.filled(false)
	data := filepath.Join(dir, "data")
	if err == nil {
		err = exec.Command("cp", "-r", made[1], data).Run()
	}
	if err != nil {
		gone()
		return "", nil, nil, err
	}
	return dir, []string{"--data", data}, gone, nil
}

func (b *bench) diskFull() (string, error) {
	dir, at, gone, err := b.onTmpfs("96m")
	if err != nil {
		return "", err
	}
	defer gone()
	s, err := b.start(at)
	if err != nil {
		return "", err
	}
	defer s.kill()
	c := gather(b.clients/4, func() string { return s.url })
	time.Sleep(time.Second)
	filler := filepath.Join(dir, "filler")
	_ = exec.Command("dd", "if=/dev/zero", "of="+filler, "bs=64k").Run() // until there is no room
	full := eventually(20*time.Second, func() bool { return !healthy(s.url) })
	before := c.count()
	time.Sleep(2 * time.Second)
	page, err := http.Get(s.url + "/q/living-wall")
	if err != nil {
		return "", err
	}
	page.Body.Close()
	while := c.count() - before
	if err := os.Remove(filler); err != nil {
		return "", err
	}
	began := time.Now()
	again := eventually(20*time.Second, func() bool { return healthy(s.url) && c.count() > before+while })
	back := time.Since(began)
	c.end()
	if err := s.end(); err != nil {
		return "", err
	}
	came, err := c.verdict(b, at)
	came = fmt.Sprintf("/healthz says so: %v; pages are served all the same (%d); %d were acknowledged while it was "+
		"full; freed, it continues within %v without hands. %s", full, page.StatusCode, while, shortly(back), came)
	if err == nil && (!full || !again || page.StatusCode != http.StatusOK) {
		err = errors.New("it did not notice, or did not go on")
	}
	return came, err
}

// refused starts a server that should not start, and returns what it says.
func (b *bench) refused(at []string, words string) (string, error) {
	cmd := exec.Command(b.program, append([]string{"serve", "--addr", "127.0.0.1:0"}, at...)...)
	began := time.Now()
	timer := time.AfterFunc(20*time.Second, func() { _ = cmd.Process.Kill() })
	defer timer.Stop()
	out, err := cmd.CombinedOutput()
	text := strings.TrimSpace(string(out))
	if err == nil || !strings.Contains(text, words) {
		return text, errors.New("it does not say what is wrong")
	}
	said := strings.ReplaceAll(text, b.dir, "…")
	return fmt.Sprintf("it ends in %v and says: “%s”", shortly(time.Since(began)), said), nil
}

func (b *bench) readOnly() (string, error) {
	dir, at, gone, err := b.onTmpfs("64m")
	if err != nil {
		return "", err
	}
	defer gone()
	if out, err := exec.Command("mount", "-o", "remount,ro", dir).CombinedOutput(); err != nil {
		return "", errors.New(string(out))
	}
	return b.refused(at, "not writable")
}

func (b *bench) two() (string, error) {
	at, s, err := b.served(false)
	if err != nil {
		return "", err
	}
	defer s.kill()
	came, err := b.refused(at, "another omphalos is using it")
	if err == nil && !healthy(s.url) {
		err = errors.New("the first one has suffered")
	}
	return came, err
}

func (b *bench) flipped() (string, error) {
	at, err := b.filled(false)
	if err != nil {
		return "", err
	}
	file := filepath.Join(at[1], store.File)
	data, err := os.ReadFile(file)
	if err != nil {
		return "", err
	}
	for i := range 2000 {
		data[len(data)/3+i] ^= 0x5a
	}
	if err := os.WriteFile(file, data, 0o600); err != nil {
		return "", err
	}
	out, err := exec.Command(b.program, append([]string{"doctor"}, at...)...).CombinedOutput()
	said, _, _ := strings.Cut(strings.TrimSpace(string(out)), "\n") // each page has a line
	if err == nil {
		return "doctor: " + said, errors.New("the damage is not named")
	}
	return "doctor ends with 1 and says: “" + strings.ReplaceAll(said, b.dir, "…") + "”", nil
}

// slowDisk compares pages with those of a disk that is not slow, in the same run.
func (b *bench) slowDisk() (string, error) {
	if _, err := exec.LookPath("strace"); err != nil {
		return "", errors.New("it needs strace")
	}
	var pages [2]time.Duration
	var rates [2]float64
	var came string
	traced := []string{"strace", "-f", "-qqq", "-o", "/dev/null", "-e", "trace=fdatasync,fsync"}
	delayed := append(traced[:len(traced):len(traced)], "-e", "inject=fdatasync,fsync:delay_exit=200000")
	for i, before := range [][]string{traced, delayed} {
		at, err := b.filled(false)
		if err != nil {
			return "", err
		}
		s, err := b.start(at, before...)
		if err != nil {
			return "", err
		}
		c := gather(b.clients, func() string { return s.url })
		time.Sleep(time.Second)
		began, had := time.Now(), c.count()
		pages[i] = latencies(s.url+"/q/living-wall", 1000, 4).at(0.99)
		time.Sleep(max(0, 5*time.Second-time.Since(began)))
		rates[i] = float64(c.count()-had) / time.Since(began).Seconds()
		c.end()
		_ = s.end()
		if came, err = c.verdict(b, at); err != nil {
			return came, err
		}
	}
	first := fmt.Sprintf("the first page takes %.1f ms at p99 under %d respondents (%.1f without, when they come faster)",
		ms(pages[1]), b.clients, ms(pages[0]))
	const says = "%s, and %.0f responses a second are stored instead of %.0f: those that come together share a wait. %s"
	return fmt.Sprintf(says,
		first, rates[1], rates[0], came), nil
}

func ms(d time.Duration) float64 { return float64(d) / float64(time.Millisecond) }

// shortly is a time as it is said.
func shortly(d time.Duration) time.Duration { return d.Round(10 * time.Millisecond) }

// clock runs the server within this process, on a clock that jumps.
func (b *bench) clock() (string, error) {
	var offset atomic.Int64
	start := time.Date(2026, 3, 29, 0, 58, 0, 0, time.UTC) // two minutes before summer time begins in Ireland
	began := time.Now()
	now := func() time.Time { return start.Add(time.Since(began) + time.Duration(offset.Load())) }
	dir := filepath.Join(b.dir, "clock")
	s, err := store.Open(dir, store.Options{Now: now})
	if err != nil {
		return "", err
	}
	if err := demo.Fill(s, "http://127.0.0.1:1", password, now()); err != nil {
		return "", errors.Join(err, s.Close())
	}
	handler, err := app.New(s, app.Options{Now: now, Patient: true})
	if err != nil {
		return "", errors.Join(err, s.Close())
	}
	web := httptest.NewServer(handler)
	c := gather(8, func() string { return web.URL })
	const steps = 40
	for n := range steps {
		time.Sleep(250 * time.Millisecond)
		switch {
		case n == steps/2:
			offset.Store(int64(5 * time.Minute)) // over the change
		case n%2 == 0:
			offset.Add(int64(time.Hour))
		default:
			offset.Add(-int64(time.Hour))
		}
	}
	c.end()
	web.Close()
	if err := s.Close(); err != nil {
		return "", err
	}
	came, err := c.verdict(b, []string{"--data", dir})
	if err == nil && c.broken > 0 {
		err = fmt.Errorf("%d walks broke off", c.broken)
	}
	return fmt.Sprintf("%d steps: %s; no walk broke off", steps, came), err
}

func (b *bench) databaseGone() (string, error) {
	control := strings.Fields(os.Getenv("OMPHALOS_TEST_POSTGRES")) // pg_ctl and the folder
	if len(control) != 2 {
		return "", errors.New("OMPHALOS_TEST_POSTGRES does not say how it is restarted")
	}
	at, s, err := b.served(true)
	if err != nil {
		return "", err
	}
	defer s.kill()
	c := gather(b.clients, func() string { return s.url })
	slowest := time.Duration(0)
	const times = 5
	for range times {
		time.Sleep(2 * time.Second)
		words := []string{control[0], "-D", control[1], "-m", "immediate", "-w", "restart"}
		if os.Getuid() == 0 { // it does not run as root
			words = append([]string{"runuser", "-u", "postgres", "--"}, words...)
		}
		restart := exec.Command(words[0], words[1:]...)
		if err := restart.Run(); err != nil { // the server that it starts would keep its output open
			return "", err
		}
		began, had := time.Now(), c.count()
		if !eventually(20*time.Second, func() bool { return healthy(s.url) && c.count() > had }) {
			return "", errors.New("it does not go on")
		}
		slowest = max(slowest, time.Since(began))
	}
	c.end()
	if err := s.end(); err != nil {
		return "", err
	}
	came, err := c.verdict(b, at)
	return fmt.Sprintf("%d times: responses are acknowledged again within %v of its being back, without hands. %s",
		times, shortly(slowest), came), err
}
