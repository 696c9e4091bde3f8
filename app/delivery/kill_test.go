package delivery

import (
	"bufio"
	"context"
	"fmt"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/app/store/deliveries"
	"omphalos/app/store/responses"
	"omphalos/standins/mailbox"
)

// Names of what the killed program is told by its environment.
const (
	killDir  = "OMPHALOS_TEST_KILL_DIR"
	killSMTP = "OMPHALOS_TEST_KILL_SMTP"
	killTurn = "OMPHALOS_TEST_KILL_TURN"
)

// victim is the program that is killed: it stores responses with their messages, says which are stored, and sends.
func victim() {
	fail := func(err error) {
		if err != nil {
			fmt.Println("failed", err)
			os.Exit(1)
		}
	}
	s, err := store.Open(os.Getenv(killDir))
	fail(err)
	q, err := s.Documents.QuizBySlug("wall")
	fail(err)
	settings, err := Read(Flags{Server: "smtp://" + os.Getenv(killSMTP), From: "Larkmoor <hello@larkmoor.example>"})
	fail(err)
	sender := &Sender{Store: s, Settings: settings, Origin: "https://quiz.example", Now: time.Now}
	go func() {
		for {
			fail(sender.Send(context.Background()))
		}
	}()
	for n := range 1 << 20 {
		id := fmt.Sprintf("r%s-%d", os.Getenv(killTurn), n)
		_, err := s.Responses.Submit(responses.Submission{Response: &responses.Response{
			ID: id, QuizID: q.ID, Version: 1, Kept: true, Outcome: "later", Day: "2026-11-26", At: time.Now().UTC(), StartedAt: time.Now().UTC(),
			Email: id + "@kill.example", Contact: []byte(`{"email":"` + id + `@kill.example"}`), Answers: []byte(`{}`),
		}, Mails: []deliveries.Mail{{MessageID: "own", Recipients: id + "@kill.example"}}})
		fail(err)
		fmt.Println(id)
	}
}

func TestMain(m *testing.M) {
	if os.Getenv(killDir) != "" {
		victim()
	}
	os.Exit(m.Run())
}

// Killed a hundred times between response, outbox and SMTP, every message of an acknowledged response is delivered; what
// comes twice is the one that was in flight at a kill, with the same Message-ID.
func TestNoMessageIsLostByAKill(t *testing.T) {
	w := newWorld(t)
	dir := t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	q, err := s.Documents.CreateQuizText("A wall", []byte(document))
	require.NoError(t, err)
	_, err = s.Launch(q.ID, 1, 0, "wall", 0)
	require.NoError(t, err)
	require.NoError(t, s.Close())
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	box := &mailbox.Mailbox{Most: 1 << 20}
	server := box.SMTP()
	go func() { _ = server.Serve(l) }()
	defer server.Close()

	const kills = 100
	acknowledged := map[string]bool{}
	random := rand.New(rand.NewPCG(14, 100))
	for turn := range kills {
		cmd := exec.Command(os.Args[0], "-test.run=^$")
		cmd.Env = append(os.Environ(), killDir+"="+dir, killSMTP+"="+l.Addr().String(), fmt.Sprint(killTurn, "=", turn))
		out, err := cmd.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, cmd.Start())
		after := 1 + random.IntN(12)
		for lines := bufio.NewScanner(out); lines.Scan(); {
			require.NotContains(t, lines.Text(), "failed")
			acknowledged[lines.Text()] = true
			if after--; after == 0 {
				time.Sleep(time.Duration(random.IntN(8)) * time.Millisecond)
				require.NoError(t, cmd.Process.Kill())
			}
		}
		_ = cmd.Wait() // it was killed
	}
	require.Greater(t, len(acknowledged), kills)

	s, err = store.Open(dir)
	require.NoError(t, err)
	defer s.Close()
	sender := &Sender{Store: s, Settings: w.Settings, Origin: "https://quiz.example", Now: time.Now}
	sender.Settings.Host, sender.Settings.Port = "127.0.0.1", l.Addr().(*net.TCPAddr).Port
	for n := int64(1); n > 0; {
		require.NoError(t, sender.Send(context.Background()))
		n, err = s.Deliveries.WaitingMails()
		require.NoError(t, err)
	}
	came, ids, twice := map[string]int{}, map[string]string{}, 0
	for _, m := range box.All() {
		require.Empty(t, m.Fault)
		to := strings.TrimSuffix(m.To[0], "@kill.example")
		id := m.Header.Get("Message-Id")
		if came[to]++; came[to] > 1 {
			twice++
			require.Equal(t, ids[to], id, "what comes twice is the same mail")
		}
		ids[to] = id
	}
	for id := range acknowledged {
		require.Positive(t, came[id], "%s was acknowledged, and its message did not come", id)
	}
	require.LessOrEqual(t, twice, kills*atOnce, "those that were being sent, at most")
	t.Logf("%d acknowledged, %d mails, %d of them twice", len(acknowledged), len(box.All()), twice)
}
