package respond

import (
	"compress/gzip"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"strings"
	"testing"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/require"

	"omphalos/app/engine"
	"omphalos/app/page"
	"omphalos/app/store"
)

// handler makes respondents' pages of a store.
func handler(t testing.TB, s *store.Store, patient bool) (*Handler, http.Handler) {
	t.Helper()
	e, err := engine.New(s, engine.Options{Prepare: Prepare, Patient: patient})
	require.NoError(t, err)
	h := &Handler{Engine: e}
	gin.SetMode(gin.ReleaseMode)
	g := gin.New()
	h.Routes(g)
	return h, page.Heads(g)
}

func server(t testing.TB) (*Handler, http.Handler) {
	t.Helper()
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	text, err := os.ReadFile("../../demo/living-wall.json")
	require.NoError(t, err)
	q, err := s.Documents.CreateQuizText("Wall", text)
	require.NoError(t, err)
	_, err = s.Launch(q.ID, 1, 0, "wall", 0)
	require.NoError(t, err)
	return handler(t, s, false)
}

// A page that was written ahead is the page that would be drawn now, also when it is compressed.
func TestPagesWrittenAheadEqualPagesDrawnNow(t *testing.T) {
	handlerOf, h := server(t)
	address := pageAddress(t, h)
	plain := httptest.NewRecorder()
	h.ServeHTTP(plain, askedBy("GET", address, nil))
	require.Empty(t, plain.Header().Get("Content-Encoding"))
	packed := httptest.NewRecorder()
	r := askedBy("GET", address, nil)
	r.Header.Set("Accept-Encoding", "gzip")
	h.ServeHTTP(packed, r)
	require.Less(t, packed.Body.Len(), plain.Body.Len()*2/3)
	unzip, err := gzip.NewReader(packed.Body)
	require.NoError(t, err)
	text, err := io.ReadAll(unzip)
	require.NoError(t, err)
	require.Equal(t, plain.Body.String(), string(text))
	token := strings.TrimPrefix(address, "/q/wall?w=")
	require.Equal(t, 2, strings.Count(plain.Body.String(), token), "in the form and in the way back")
	first, err := handlerOf.Engine.Get(&engine.Visit{Slug: "wall"})
	require.NoError(t, err)
	pagesOf := first.Source.Prepared.(*pageCache)
	require.NotEmpty(t, pagesOf.asks)
	for i, ready := range pagesOf.asks {
		screen := engine.Screen{S: first.Source, Token: "TOKEN", Done: "250", Back: "?w=TOKEN&back=1"}
		drawn := page.Execute(pages, "ask", first.Source.Ask(screen, &engine.Place{}, []int{i}))
		require.Equal(t, string(drawn), string(ready.fill("TOKEN", 250)))
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

// aBrowser is the cookie of a browser that has been here.
var aBrowser = &http.Cookie{Name: browserCookie, Value: "abrowserthathasbeenhere"}

// askedBy is a request of that browser.
func askedBy(method, address string, body io.Reader) *http.Request {
	r := httptest.NewRequest(method, address, body)
	r.AddCookie(aBrowser)
	return r
}

// pageAddress is the address of the second question of a walk of that browser.
func pageAddress(t testing.TB, h http.Handler) string {
	t.Helper()
	w := httptest.NewRecorder()
	h.ServeHTTP(w, askedBy("GET", "/q/wall", nil))
	form := url.Values{"w": {sealed.FindStringSubmatch(w.Body.String())[1]}, "area": {"small"}}
	if !strings.Contains(w.Body.String(), `name="area"`) { // the opening page comes first
		form.Del("area")
	}
	for range 2 {
		r := askedBy("POST", "/q/wall", strings.NewReader(form.Encode()))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		w = httptest.NewRecorder()
		h.ServeHTTP(w, r)
		to := w.Header().Get("Location")
		w = httptest.NewRecorder()
		h.ServeHTTP(w, askedBy("GET", to, nil))
		if strings.Contains(w.Body.String(), `class="back"`) && form.Has("area") {
			return to
		}
		form = url.Values{"w": {sealed.FindStringSubmatch(w.Body.String())[1]}, "area": {"small"}}
	}
	t.Fatal("the second question was not reached")
	return ""
}

// BenchmarkPage is a question page with its own token in it; BenchmarkBareHandler answers the same bytes, headers and
// body, with nothing done.
func BenchmarkPage(b *testing.B) {
	_, h := server(b)
	benchmark(b, h, pageAddress(b, h))
}

func BenchmarkFirstPage(b *testing.B) {
	_, h := server(b)
	benchmark(b, h, "/q/wall")
}

func BenchmarkBareHandler(b *testing.B) {
	_, own := server(b)
	w := httptest.NewRecorder()
	r := askedBy("GET", pageAddress(b, own), nil)
	r.Header.Set("Accept-Encoding", "gzip")
	own.ServeHTTP(w, r)
	benchmark(b, http.HandlerFunc(func(out http.ResponseWriter, _ *http.Request) {
		header := out.Header()
		for name, values := range w.Header() {
			header[name] = values
		}
		_, _ = out.Write(w.Body.Bytes())
	}), "/")
}

// benchmark asks over the loopback as a browser does, on connections that stay open. The client does not unpack what
// it gets: that would be measured with the server.
func benchmark(b *testing.B, h http.Handler, path string) {
	s := httptest.NewServer(h)
	defer s.Close()
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 64, DisableCompression: true}}
	b.ResetTimer()
	b.RunParallel(func(pb *testing.PB) {
		var buf [8192]byte
		for pb.Next() {
			ask, err := http.NewRequest("GET", s.URL+path, nil)
			if err != nil {
				b.Error(err)
				return
			}
			ask.AddCookie(aBrowser)
			ask.Header.Set("Accept-Encoding", "gzip")
			r, err := client.Do(ask)
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
