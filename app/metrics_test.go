package app

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/app/store/responses"
	"omphalos/core/quiz"
	"omphalos/demo"
)

// Figures name parts of the program and nothing of anyone; they are an address of the server only where that is asked
// for.
func TestFiguresForPrometheus(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	_, err = s.People.CreateOwner(demo.Owner, password)
	require.NoError(t, err)
	m := NewMetrics(s)
	closing := make(chan struct{})
	h, err := New(s, Options{Metrics: m, Shown: true, Closing: closing})
	require.NoError(t, err)
	for _, path := range []string{"/q/some-quiz-name", "/", "/nowhere/at/all", "/assets/dist/app.css", "/healthz"} {
		send(h, "GET", path, nil, nil)
	}
	q, err := s.Documents.CreateQuiz(quiz.New("Ferns"))
	require.NoError(t, err)
	_, err = s.Responses.Submit(responses.Submission{Response: &responses.Response{ID: "one", QuizID: q.ID, Version: 1, Outcome: "visit", Day: "2026-03-01"}})
	require.NoError(t, err)
	here := func(r *http.Request) { r.RemoteAddr = "127.0.0.1:9" }
	require.Equal(t, http.StatusNotFound, send(h, "GET", "/metrics", nil, nil).Code, "from another machine")
	proxied := send(h, "GET", "/metrics", nil, func(r *http.Request) { here(r); r.Header.Set("X-Forwarded-For", "192.0.2.1") })
	require.Equal(t, http.StatusNotFound, proxied.Code, "by a proxy of this machine")
	body := send(h, "GET", "/metrics", nil, here).Body.String()
	for _, want := range []string{
		`omphalos_request_seconds_count{part="respondents",status="4xx"} 1`,
		`omphalos_request_seconds_count{part="none",status="4xx"} 1`,
		`omphalos_request_seconds_count{part="assets",status="2xx"} 1`,
		`omphalos_request_seconds_count{part="operation",status="2xx"} 1`,
		"omphalos_responses_stored_total 1", "omphalos_deliveries_waiting 0", "go_goroutines",
	} {
		require.Contains(t, body, want)
	}
	require.NotContains(t, body, "some-quiz-name")
	require.NotContains(t, body, "larkmoor")
	require.NotContains(t, body, "omphalos_database_bytes 0")
	for line := range strings.Lines(body) {
		if strings.HasPrefix(line, "omphalos_") && strings.Contains(line, "{") {
			require.Regexp(t, `\{(le="[^"]+",)?part="(respondents|workbench|assets|operation|none)",status="[1-5]xx"`, strings.ReplaceAll(line, `,le="`, `,x="`))
		}
	}
	require.Equal(t, http.StatusOK, send(h, "GET", "/readyz", nil, nil).Code)
	close(closing)
	require.Equal(t, http.StatusServiceUnavailable, send(h, "GET", "/readyz", nil, nil).Code)
	require.Equal(t, http.StatusOK, send(h, "GET", "/healthz", nil, nil).Code)

	h, err = New(s, Options{Metrics: NewMetrics(s)})
	require.NoError(t, err)
	require.Equal(t, http.StatusNotFound, send(h, "GET", "/metrics", nil, here).Code)
}
