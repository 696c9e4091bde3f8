package app

import (
	"flag"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"omphalos/demo"
)

var many = flag.Int("many", 1_000_000, "responses that BenchmarkMany measures with, beside 1,000")

// manyPages are the views of Leads that are asked for all the time, each by its address.
var manyPages = []struct{ name, query string }{
	{"first", ""},
	{"outcome", "?outcome=visit"},
	{"answers", "?answer=area:small&source=search"},
	{"rare answer", "?answer=staff:297&device=tablet"},
	{"search rare", "?q=p777."},
	{"search usual", "?q=orla"},
	{"search two", "?q=orla+fenhall.example"},
	{"search none", "?q=nobodyatall"},
	{"questions", "?view=questions"},
	{"scores", "?view=scores"},
	{"deep page", "?view=&before=MjAyNi0xMS0wMVQwMDowMDowMFogbWFueQ"},
}

// BenchmarkMany is what views of Leads cost with 1,000 responses over three versions, and with a million: the second in
// proportion to the first is what counts.
func BenchmarkMany(b *testing.B) {
	d := newDesk(b, true)
	q, err := d.Store.Documents.QuizBySlug("living-wall")
	require.NoError(b, err)
	base := "/quizzes/" + q.ID + "/leads"
	had := 0
	for _, n := range []int{1000, *many} {
		begun := time.Now()
		require.NoError(b, demo.Many(d.Store, q.ID, had, n-had, time.Now()))
		b.Logf("%d responses more in %s", n-had, time.Since(begun).Round(time.Second))
		had = n
		for _, p := range manyPages {
			b.Run(fmt.Sprintf("%s/%d", p.name, n), func(b *testing.B) {
				for range b.N {
					if code := d.get(base + p.query).Code; code != http.StatusOK {
						b.Fatal(code)
					}
				}
			})
		}
	}
	b.Run("export", func(b *testing.B) {
		for range b.N {
			var before, after runtime.MemStats
			w := &discarded{header: http.Header{}}
			r := httptest.NewRequest("GET", base+".csv", nil)
			r.AddCookie(d.cookie)
			runtime.GC()
			runtime.ReadMemStats(&before)
			d.h.ServeHTTP(w, r)
			runtime.GC()
			runtime.ReadMemStats(&after)
			b.ReportMetric(float64(w.most)/(1<<20), "MB-most-held")
			b.ReportMetric(float64(w.size)/(1<<20), "MB-written")
		}
	})
}

// discarded is a response that no one keeps; it looks how much memory is held while it is written.
type discarded struct {
	header     http.Header
	size       int64
	looked     int64
	most       uint64
	statusCode int
}

func (w *discarded) Header() http.Header    { return w.header }
func (w *discarded) WriteHeader(status int) { w.statusCode = status }

func (w *discarded) Write(p []byte) (int, error) {
	w.size += int64(len(p))
	if w.size-w.looked > 32<<20 {
		var now runtime.MemStats
		runtime.ReadMemStats(&now)
		w.looked, w.most = w.size, max(w.most, now.HeapInuse)
	}
	return io.Discard.Write(p)
}
