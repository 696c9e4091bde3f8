package main

import (
	"bufio"
	"database/sql"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/app/store/responses"
	"omphalos/demo"
	"omphalos/demo/visitor"
)

func build(t *testing.T) string {
	t.Helper()
	program, err := built()
	require.NoError(t, err)
	return program
}

var programs string // the folder of the program that was built; "" for none

// built is the program, built once for all tests.
var built = sync.OnceValues(func() (string, error) {
	var err error
	if programs, err = os.MkdirTemp("", "omphalos-program-"); err != nil {
		return "", err
	}
	program := filepath.Join(programs, "omphalos")
	if out, err := exec.Command("go", "build", "-ldflags=-w", "-o", program, ".").CombinedOutput(); err != nil {
		return program, fmt.Errorf("%w\n%s", err, out)
	}
	return program, nil
})

// TestMain takes the program away when all tests have run.
func TestMain(m *testing.M) {
	code := m.Run()
	_ = os.RemoveAll(programs)
	os.Exit(code)
}

// run starts the program and returns it with the address that it prints.
func run(t *testing.T, program string, args ...string) (*exec.Cmd, string) {
	t.Helper()
	return runAt(t, "http://", program, args...)
}

// runAt is run, where the address begins otherwise.
func runAt(t *testing.T, scheme, program string, args ...string) (*exec.Cmd, string) {
	t.Helper()
	cmd := exec.Command(program, args...)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = cmd.Process.Kill() })
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if i := strings.Index(lines.Text(), scheme); i >= 0 {
			go func() { _, _ = io.Copy(io.Discard, out) }()
			return cmd, strings.TrimSpace(lines.Text()[i:])
		}
	}
	t.Fatal("the program printed no address")
	return nil, ""
}

// storedBy is how many responses of the main quiz there are of each email address.
func storedBy(t *testing.T, s *store.Store) map[string]int {
	t.Helper()
	q, err := s.Documents.QuizBySlug(visitor.Slug)
	require.NoError(t, err)
	stored := map[string]int{}
	for r, err := range s.Responses.Reader(q.ID, responses.All).All() {
		require.NoError(t, err)
		stored[r.Email]++
	}
	return stored
}

func TestEveryAcknowledgedAnswerSurvivesAKill(t *testing.T) {
	program, data := build(t), t.TempDir()
	s, err := store.Open(data)
	require.NoError(t, err)
	require.NoError(t, demo.Fill(s, "http://127.0.0.1:1", madeUp(), time.Now()))
	require.NoError(t, s.Close())
	server, address := run(t, program, "serve", "--addr", "127.0.0.1:0", "--data", data)

	var mu sync.Mutex
	var acknowledged []string
	var clients sync.WaitGroup
	for c := range 16 {
		clients.Add(1)
		go func() {
			defer clients.Done()
			for n := 0; ; n++ {
				email := fmt.Sprintf("r%d-%d@kill.example", c, n)
				client := &http.Client{Timeout: 5 * time.Second}
				if visitor.Finish(client, address, email) != nil {
					return // the server no longer exists
				}
				mu.Lock()
				acknowledged = append(acknowledged, email)
				if len(acknowledged) == 150 {
					_ = server.Process.Kill() // SIGKILL, in the middle of the others' submissions
				}
				mu.Unlock()
			}
		}()
	}
	clients.Wait()
	_ = server.Wait()
	require.GreaterOrEqual(t, len(acknowledged), 150)
	out, _, code := command(t, program, data, "doctor", "--data", data)
	require.Equal(t, "sound\n", out)
	require.Zero(t, code)

	s, err = store.Open(data)
	require.NoError(t, err)
	defer s.Close()
	stored := storedBy(t, s)
	for _, email := range acknowledged {
		require.Equal(t, 1, stored[email], email)
	}
}

func TestClearLinesWhenItCannotStart(t *testing.T) {
	program := build(t)
	_, address := run(t, program, "serve", "--addr", "127.0.0.1:0", "--data", t.TempDir())
	taken := strings.TrimPrefix(address, "http://")
	newer := t.TempDir()
	s, err := store.Open(newer)
	require.NoError(t, err)
	require.NoError(t, s.Close())
	db, err := sql.Open("sqlite3", filepath.Join(newer, store.File))
	require.NoError(t, err)
	_, err = db.Exec("INSERT INTO migrations (id) VALUES ('9999')") // as a newer program would
	require.NoError(t, err)
	require.NoError(t, db.Close())
	for _, c := range []struct {
		args []string
		says string
	}{
		{[]string{"serve", "--addr", taken, "--data", t.TempDir()}, "stop it, or choose another address with --addr"},
		{[]string{"serve", "--addr", "127.0.0.1:0", "--data", "/proc/nowhere"}, "couldn’t create the data folder"},
		{[]string{"serve", "--addr", "127.0.0.1:0", "--data", newer}, "the database was written by a newer version of Omphalos; use that version or another data folder"},
		{[]string{"serve", "--addr", "127.0.0.1:0", "--data", t.TempDir(), "--owner-email", "nobody"}, "isn’t an email address"},
		{[]string{"score", "missing.json", "missing.csv"}, "missing.json"},
		{[]string{"demo", "--addr", "nonsense"}, "127.0.0.1:8080"},
	} {
		out, err := exec.Command(program, c.args...).CombinedOutput()
		var exit *exec.ExitError
		require.ErrorAs(t, err, &exit, c.args)
		require.Equal(t, 1, exit.ExitCode(), c.args)
		require.Contains(t, string(out), c.says)
		require.Equal(t, 1, strings.Count(strings.TrimSpace(string(out)), "\n")+1, "one line: %s", out)
	}
	r, err := http.Get(address + "/healthz")
	require.NoError(t, err)
	r.Body.Close()
	require.Equal(t, http.StatusOK, r.StatusCode)
}
