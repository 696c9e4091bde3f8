package respond

import (
	"flag"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/app/store/responses"
)

var load = flag.Duration("load", 2*time.Second, "how long 64 clients walk the quiz at once")

// Sixty-four clients walk eight questions and a contact step at once, over the wire; nothing fails, and every walk that was
// acknowledged is stored once.
func TestAFullWalkUnderLoad(t *testing.T) {
	var questions []string
	for i := range 8 {
		questions = append(questions, fmt.Sprintf(`{"id":"q%d","kind":"single","required":true,"text":"Question %d?","choices":[{"id":"a","label":"A","points":{"s":%d}},{"id":"b","label":"B"}]}`, i, i+1, i))
	}
	v := newVisit(t, `"questions":[`+strings.Join(questions, ",")+`],"outcomes":[{"id":"o","heading":"End","ending":{"kind":"page"}}],"otherwise":"o",
	"contact":{"place":"before_outcome","fields":[{"id":"email","kind":"email","required":true}]}`)
	s := httptest.NewServer(v.h)
	defer s.Close()
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 64}, Timeout: 20 * time.Second}
	token := regexp.MustCompile(`name="w" value="([^"]+)"`)
	walk := func(n int64) error {
		var body string
		take := func(r *http.Response, err error) error {
			if err != nil {
				return err
			}
			defer r.Body.Close()
			text, err := io.ReadAll(r.Body)
			if err == nil && r.StatusCode != http.StatusOK {
				err = fmt.Errorf("status %d: %s", r.StatusCode, text)
			}
			body = string(text)
			return err
		}
		if err := take(client.Get(s.URL + "/q/pages")); err != nil {
			return err
		}
		for i := range 9 {
			m := token.FindStringSubmatch(body)
			if m == nil {
				return fmt.Errorf("page %d has no form: %.200s", i, body)
			}
			form := url.Values{"w": {m[1]}, ".c.email": {fmt.Sprintf("w%d@load.example", n)}}
			form.Set(fmt.Sprint("q", i), "a")
			if err := take(client.PostForm(s.URL+"/q/pages", form)); err != nil {
				return err
			}
		}
		if !strings.Contains(body, "End") {
			return fmt.Errorf("no end: %.200s", body)
		}
		return nil
	}
	var done atomic.Int64
	var wait sync.WaitGroup
	failed := make(chan error, 64)
	end := time.Now().Add(*load)
	for range 64 {
		wait.Go(func() {
			for time.Now().Before(end) {
				if err := walk(done.Add(1)); err != nil {
					failed <- err
					return
				}
			}
		})
	}
	wait.Wait()
	close(failed)
	for err := range failed {
		require.NoError(t, err)
	}
	q, err := v.s.Documents.QuizBySlug("pages")
	require.NoError(t, err)
	stored := map[string]int{}
	for r, err := range v.s.Responses.Reader(q.ID, responses.All).All() {
		require.NoError(t, err)
		stored[r.Email]++
	}
	require.Len(t, stored, int(done.Load()))
	for email, n := range stored {
		require.Equal(t, 1, n, email)
	}
	t.Logf("%d walks of 10 pages in %s", done.Load(), *load)
}
