package e2e

import (
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	standard "github.com/standard-webhooks/standard-webhooks/libraries/go"
	"github.com/stretchr/testify/require"

	"omphalos/app/hooks"
)

// An address is added, its secret is shown once, a test arrives signed with it, and what was sent can be read and sent
// again.
func TestAnotherProgramIsTold(t *testing.T) {
	w := start(t, true)
	id := quizID(t, w)
	var secret atomic.Value
	var came atomic.Int32
	receiver := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		hook, err := standard.NewWebhook(secret.Load().(string))
		if err == nil {
			err = hook.Verify(body, r.Header)
		}
		if err != nil || !strings.Contains(string(body), "hook.test") {
			http.Error(rw, "not signed", http.StatusUnauthorized)
			return
		}
		came.Add(1)
		rw.WriteHeader(http.StatusNoContent)
	}))
	defer receiver.Close()
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan struct{})
	go func() {
		(&hooks.Sender{Store: w.Store, Now: time.Now, Allowed: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}}).Run(ctx)
		close(ended)
	}()
	t.Cleanup(func() { stop(); <-ended })

	b := open(t, 1280, 800)
	b.signIn(w)
	b.goTo(w.URL + "/quizzes/" + id + "/launch?part=hooks")
	b.put("#hookurl", "ftp://hooks.larkmoor.example")
	b.click("button", "Add")
	b.has("This isn’t a complete address. Type all of it, such as https://hooks.larkmoor.example/quiz")
	b.put("#hookurl", receiver.URL+"/quiz")
	b.click("button", "Add")
	b.has("You won’t see this secret again")
	secret.Store(b.text("[data-secret]"))
	b.click("button", "Copy the secret")
	b.has("Copied")
	b.click("a", "I’ve copied it")
	b.has(receiver.URL + "/quiz")
	b.wait(`document.querySelectorAll("article.sheet").length === 2`)
	b.click(`article.sheet:nth-of-type(2) button`, "Send test")
	for end := time.Now().Add(patience); came.Load() < 1; time.Sleep(50 * time.Millisecond) {
		require.True(t, time.Now().Before(end), "no test came")
	}
	b.has("✓ 204") // without loading the page again
	b.click("summary", "Show content")
	b.has(`"type": "hook.test"`)
	b.has(`"email": "orla@fenhall.example"`)
	require.NotContains(t, b.text("main"), secret.Load().(string))
	b.click("button", "Resend")
	for end := time.Now().Add(patience); came.Load() < 2; time.Sleep(50 * time.Millisecond) {
		require.True(t, time.Now().Before(end), "it did not come again")
	}
	b.quiet()
}
