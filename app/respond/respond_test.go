package respond

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/require"

	"omphalos/app/store"
	"omphalos/core/quiz"
	"omphalos/core/walk"
)

func server(t testing.TB) (*Room, http.Handler) {
	t.Helper()
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	text, err := os.ReadFile("../../demo/living-wall.json")
	require.NoError(t, err)
	q, err := s.CreateQuizText("Wall", text)
	require.NoError(t, err)
	_, err = s.Launch(q.ID, 1, 0, "wall")
	require.NoError(t, err)
	r, err := New(s, nil)
	require.NoError(t, err)
	gin.SetMode(gin.ReleaseMode)
	g := gin.New()
	r.Routes(g)
	return r, g
}

func TestPlacesAreSealed(t *testing.T) {
	r, _ := server(t)
	p := place{ID: "walk", Version: 3, Began: 1, At: "q", Answers: map[string]walk.Answer{"q": {Text: strings.Repeat("long ", 200)}}}
	token, err := r.sealer.seal("quiz", p)
	require.NoError(t, err)
	require.Less(t, len(token), 600, "long places are packed")
	back, err := r.sealer.open("quiz", token)
	require.NoError(t, err)
	require.Equal(t, p, *back)
	_, err = r.sealer.open("another", token)
	require.Error(t, err)
	for i := 0; i < len(token); i += 7 {
		changed := []byte(token)
		changed[i] ^= 1
		_, err := r.sealer.open("quiz", string(changed))
		require.Error(t, err, "character %d", i)
	}
	for _, bad := range []string{"", "short", "not base64!", strings.Repeat("A", 100)} {
		_, err := r.sealer.open("quiz", bad)
		require.Error(t, err)
	}
}

func TestPagesWrittenAheadEqualPagesDrawnNow(t *testing.T) {
	r, _ := server(t)
	v, err := r.current("wall")
	require.NoError(t, err)
	for i := range v.Doc.Questions {
		s := v.screen("TOKEN", "250")
		s.Back = "?w=BACK"
		drawn := v.draw("ask", v.ask(s, &place{}, []int{i}))
		require.Equal(t, string(drawn), string(v.asks[i].fill("TOKEN", "BACK", 250)))
		unzip, err := gzip.NewReader(bytes.NewReader(v.asks[i].gzip("TOKEN", "BACK", 250)))
		require.NoError(t, err)
		plain, err := io.ReadAll(unzip)
		require.NoError(t, err, "question %d", i)
		require.Equal(t, string(drawn), string(plain))
		require.Less(t, len(v.asks[i].gzip("TOKEN", "BACK", 250)), len(drawn)*2/3)
	}
}

func TestAFirstPageIsSmall(t *testing.T) {
	_, h := server(t)
	total := 0
	for _, path := range []string{"/q/wall"} {
		w := httptest.NewRecorder()
		h.ServeHTTP(w, httptest.NewRequest("GET", path, nil))
		require.Equal(t, http.StatusOK, w.Code)
		total += w.Body.Len()
	}
	css, err := os.ReadFile("../page/static/dist/respond.css")
	require.NoError(t, err)
	js, err := files.ReadFile("respond.js")
	require.NoError(t, err)
	require.Less(t, total+len(css)+len(js), 50_000)
}

func TestNothingIsKeptOfWhoIsNoLead(t *testing.T) {
	text, err := os.ReadFile("../../demo/living-wall.json")
	require.NoError(t, err)
	d, err := quiz.Read(text)
	require.NoError(t, err)
	c, err := walk.New(d)
	require.NoError(t, err)
	in := walk.Input{Answers: map[string]walk.Answer{"area": {Picks: []string{"large"}}, "budget": {Picks: []string{"b3"}}}}
	at := time.Date(2026, 3, 4, 5, 6, 7, 0, time.UTC)
	r, err := Response(d, c.Walk(in), Finished{ID: "w", QuizID: "q", At: at, Began: at, Input: in, Email: "a@b", Name: "N", Source: "s", Consent: "c"})
	require.NoError(t, err)
	got, err := json.Marshal(r)
	require.NoError(t, err)
	want, err := json.Marshal(&store.Response{ID: "w", QuizID: "q", Outcome: "later", At: time.Date(2026, 3, 4, 0, 0, 0, 0, time.UTC)})
	require.NoError(t, err)
	require.JSONEq(t, string(want), string(got))
}

// BenchmarkPage is a question page with its own place in it; BenchmarkBareHandler answers the same bytes with nothing done.
func BenchmarkPage(b *testing.B) {
	r, h := server(b)
	v, err := r.current("wall")
	require.NoError(b, err)
	token, err := r.sealer.seal(v.QuizID, place{ID: "w", Version: 1, At: "light", Answers: map[string]walk.Answer{"area": {Picks: []string{"small"}}}})
	require.NoError(b, err)
	benchmark(b, h, "/q/wall?w="+token)
}

func BenchmarkFirstPage(b *testing.B) {
	_, h := server(b)
	benchmark(b, h, "/q/wall")
}

func BenchmarkBareHandler(b *testing.B) {
	body := bytes.Repeat([]byte("x"), 2500)
	benchmark(b, http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write(body) }), "/")
}

// benchmark asks over the loopback, on connections that stay open. Clients do not ask for compression: unpacking would be measured
// with the server.
func benchmark(b *testing.B, h http.Handler, path string) {
	s := httptest.NewServer(h)
	defer s.Close()
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 64, DisableCompression: true}}
	b.ResetTimer()
	b.RunParallel(func(pb *testing.PB) {
		var buf [8192]byte
		for pb.Next() {
			r, err := client.Get(s.URL + path)
			if err != nil {
				b.Error(err)
				return
			}
			for {
				if _, err := r.Body.Read(buf[:]); err != nil {
					break
				}
			}
			r.Body.Close()
		}
	})
}
